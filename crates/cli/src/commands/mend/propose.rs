//! `rummage mend propose`: repairs, each tried beforehand.

use std::collections::{BTreeMap, HashSet};
use std::io::Write;
use std::sync::Arc;

use rummage_core::mend::anchors;
use rummage_core::mend::choose::{Proposal, choose};
use rummage_core::mend::known::KnownUrls;
use rummage_core::mend::makers::candidates;
use rummage_core::mend::plan::{Action, Mend, Rule};
use rummage_core::mend::rules::{self, RuleProposal};
use rummage_core::mend::{Candidate, Confidence};
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::Verdict;
use rummage_store::{OpenRun, RunInfo};
use rummage_view::{ViewError, safe};
use url::Url;

use super::faults::{self, Faulty};
use super::trials::Trials;
use crate::args::{CheckOptions, ExternalsChoice, FINDINGS, ProposeArgs};
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::plain::options_of;
use crate::jobs::{PageSources, Trial, finished, folder};
use crate::plan_file::{MendEntry, PlanFile, RuleEntry};
use crate::session::Session;

/// Candidates of the first round: the most plausible ones.
const FIRST: usize = 3;
/// How many other candidates a plan mentions.
const OTHERS: usize = 2;

/// A target, its candidates and what became of them.
struct Case {
    faulty: Faulty,
    candidates: Vec<Candidate>,
    proposals: Vec<Proposal>,
    /// A rule mends it.
    rule: Option<usize>,
}

pub(super) fn run(args: &ProposeArgs, session: &Session) -> Result<Exit, Failure> {
    let reader = session.reader()?;
    let base = finished(&reader, session.run(&reader, None)?)?;
    let run = reader.open_run(base.clone())?;
    let section = session.section_of(&base.site);
    let settings = session.config.settings(section.as_deref());
    let selection = args.selecting.selection(FINDINGS);
    let doubtful = args.selecting.selection(&[]).verdicts.contains(&Verdict::Doubtful);
    let faulty = faults::of(&run, &selection, doubtful)?;
    let known = faults::known(&run)?;
    let options = args.options.clone().like(Some(options_of(&run)?), &settings.options);
    let start = Url::parse(&base.start).ok();
    let bounds = start.as_ref().map(|start| Bounds::around(start, &[]));
    let may = |url: &str| may_request(url, &options, bounds.as_ref());
    let case = |faulty: Faulty| {
        let mut candidates = match faulty.anchor {
            Some(_) => Vec::new(),
            None => candidates(&faulty.fault, &known),
        };
        candidates.retain(|candidate| may(&candidate.to));
        Case { faulty, candidates, proposals: Vec::new(), rule: None }
    };
    let mut cases: Vec<Case> = faulty.into_iter().map(case).collect();
    if cases.is_empty() {
        let mut err = session.terminal.stderr();
        let _ = writeln!(err, "nothing broken or moved matches; there is nothing to propose");
        return Ok(Exit::Fine);
    }
    let folder = folder(&base.given_start, &options)?.map(Arc::new);
    let trial = Trial { session, options: &options, own: start.as_ref(), folder, once: true };
    let mut trials = Trials::new(trial);
    try_all(&mut cases, &mut trials)?;
    let missing = find_anchors(&mut cases, &run, &settings, session)?;
    let found = find_rules(&mut cases, &known, &mut trials, &may)?;
    let plan = plan(&base, &cases, &found);
    let is_whole = trials.is_whole && !missing;
    write(args, session, &base, plan, &cases, &trials)?;
    let exit = if is_whole { Exit::Fine } else { Exit::Unfinished };
    Ok(report_internal(&trials.internal_errors, exit, session.terminal))
}

/// Whether a candidate may be requested: external ones not if the run only noted them.
fn may_request(url: &str, options: &CheckOptions, bounds: Option<&Bounds>) -> bool {
    if options.externals != Some(ExternalsChoice::Note) {
        return true;
    }
    let url = Url::parse(url).ok();
    url.is_some_and(|url| bounds.is_some_and(|bounds| bounds.is_own(&url)))
}

/// Requests the candidates: first the most plausible ones of each target, then the others of
/// those targets for which none works.
fn try_all(cases: &mut [Case], trials: &mut Trials<'_>) -> Result<(), Failure> {
    let first = cases.iter().flat_map(|case| case.candidates.iter().take(FIRST));
    trials.request(first.map(|candidate| candidate.to.as_str()))?;
    let is_open = |case: &&Case| {
        let first = case.candidates.iter().take(FIRST);
        !first.clone().any(|one| trials.works(&one.to).is_some() && one.score >= 80)
    };
    let open: Vec<&str> = cases
        .iter()
        .filter(is_open)
        .flat_map(|case| case.candidates.iter().skip(FIRST))
        .map(|candidate| candidate.to.as_str())
        .collect();
    trials.request(open.into_iter())?;
    for case in cases {
        let tried = case.candidates.iter().filter_map(|candidate| trials.tried(candidate));
        case.proposals = choose(tried.collect());
    }
    Ok(())
}

/// Looks for other anchors on the pages whose anchors are missing. Returns whether a page could
/// not be read.
fn find_anchors(
    cases: &mut [Case],
    run: &OpenRun<'_>,
    settings: &crate::config::Section,
    session: &Session,
) -> Result<bool, Failure> {
    let mut by_page: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (at, case) in cases.iter().enumerate() {
        if let Some((page, _)) = &case.faulty.anchor {
            by_page.entry(page.clone()).or_default().push(at);
        }
    }
    if by_page.is_empty() {
        return Ok(false);
    }
    let sources = PageSources::of(run, settings)?;
    let mut is_missing = false;
    for (page, wanted) in by_page {
        let source = match sources.get(&page) {
            Ok(source) => source,
            Err(why) => {
                let mut err = session.terminal.stderr();
                let _ = writeln!(err, "cannot look for anchors on {}: {}", safe(&page), safe(&why));
                is_missing = true;
                continue;
            }
        };
        let all = anchors::of_page(&source);
        for at in wanted {
            let Case { faulty, candidates, proposals, .. } = &mut cases[at];
            let Some((_, fragment)) = &faulty.anchor else { continue };
            *candidates = anchors::candidates(&page, fragment, &faulty.fault.texts, &all);
            let tried = candidates.iter().map(|candidate| rummage_core::mend::choose::Tried {
                candidate: candidate.clone(),
                moved_to: None,
                evidence: "the anchor is on the page".to_owned(),
            });
            *proposals = choose(tried.collect());
        }
    }
    Ok(is_missing)
}

/// A rule that works, and how sure it is.
struct FoundRule {
    rule: Rule,
    /// How many targets it covers.
    covers: usize,
}

/// Finds rules, and tries them.
fn find_rules(
    cases: &mut [Case],
    known: &KnownUrls,
    trials: &mut Trials<'_>,
    may: &impl Fn(&str) -> bool,
) -> Result<Vec<FoundRule>, Failure> {
    let likely = |case: &Case| case.proposals.first().map(|best| best.to.clone());
    let likely: Vec<Option<String>> = cases.iter().map(likely).collect();
    let targets: Vec<(&str, Option<&str>)> = cases
        .iter()
        .zip(&likely)
        .map(|(case, to)| (case.faulty.fault.target.as_str(), to.as_deref()))
        .collect();
    let proposals = rules::find(&targets, known);
    let new_url = |proposal: &RuleProposal, at: usize| proposal.rule.rewrite(targets[at].0);
    let samples: Vec<Vec<(usize, String)>> = proposals
        .iter()
        .map(|proposal| {
            let sample = proposal.sample();
            let with_url = sample.filter_map(|at| Some((at, new_url(proposal, at)?)));
            with_url.filter(|(_, url)| may(url)).collect()
        })
        .collect();
    trials.request(samples.iter().flatten().map(|(_, url)| url.as_str()))?;
    let mut found = Vec::new();
    let mut mended: Vec<(usize, usize)> = Vec::new();
    for (proposal, sample) in proposals.iter().zip(&samples) {
        let tried: Vec<&(usize, String)> =
            sample.iter().filter(|(_, url)| trials.has(url)).collect();
        let works = |(_, url): &&&(usize, String)| trials.works(url).is_some();
        let mends = tried.iter().filter(works).count();
        let share = if tried.is_empty() { 0 } else { 100 * mends / tried.len() };
        if mends < 3 || share < 60 {
            continue;
        }
        let confidence = match share {
            90.. => Confidence::High,
            _ => Confidence::Medium,
        };
        let failed: HashSet<usize> =
            tried.iter().filter(|one| !works(one)).map(|(at, _)| *at).collect();
        let number = found.len();
        mended.extend(
            proposal.covers.iter().filter(|at| !failed.contains(at)).map(|at| (*at, number)),
        );
        let rule = Rule {
            mends: mends as u64,
            tried: tried.len() as u64,
            confidence: Some(confidence),
            ..proposal.rule.clone()
        };
        found.push(FoundRule { rule, covers: proposal.covers.len() });
    }
    for (at, rule) in mended {
        cases[at].rule = Some(rule);
    }
    Ok(found)
}

fn plan(base: &RunInfo, cases: &[Case], rules: &[FoundRule]) -> PlanFile {
    let rule = |found: &FoundRule| {
        let covers = rummage_view::counted(found.covers as u64, "target", "targets");
        RuleEntry { rule: found.rule.clone(), remarks: vec![format!("applies to {covers}")] }
    };
    PlanFile {
        site: Url::parse(&base.start).ok(),
        rules: rules.iter().map(rule).collect(),
        mends: in_order(cases).map(entry).collect(),
    }
}

/// The cases without a rule: the surest first, of those the most frequent.
fn in_order(cases: &[Case]) -> impl Iterator<Item = &Case> {
    let mut single: Vec<&Case> = cases.iter().filter(|case| case.rule.is_none()).collect();
    single.sort_by_key(|case| {
        let confidence = case.proposals.first().map(|best| best.confidence);
        std::cmp::Reverse((confidence, case.faulty.places))
    });
    single.into_iter()
}

/// A single repair, with other choices as comments.
fn entry(case: &Case) -> MendEntry {
    let Faulty { fault, places, .. } = &case.faulty;
    let mut remarks = Vec::new();
    let mut others = case.proposals.iter();
    let best = others.next();
    for other in others.take(OTHERS) {
        remarks.push(format!(
            "or to = {}  # {}: {}; {}",
            toml_edit::Value::from(other.to.as_str()),
            other.confidence.as_str(),
            other.reason.words(),
            other.evidence
        ));
    }
    let is_sure = best.is_some_and(|best| best.confidence != Confidence::Low);
    if best.is_some() && !is_sure {
        remarks.insert(0, "or action = \"replace\"".to_owned());
    }
    if !is_sure {
        remarks.push(match fault.is_image {
            true => "or action = \"drop\"    # removes the image".to_owned(),
            false => "or action = \"unwrap\"  # removes the link, keeps its text".to_owned(),
        });
    }
    let why = match best {
        Some(best) if best.is_ambiguous => {
            format!("{}; another URL fits as well", best.reason.words())
        }
        Some(best) => best.reason.words(),
        None => "no URL was found that it may have meant".to_owned(),
    };
    MendEntry {
        mend: Mend {
            target: fault.target.clone(),
            action: if is_sure { Action::Replace } else { Action::Leave },
            to: best.map(|best| best.to.clone()),
            confidence: best.map(|best| best.confidence),
        },
        why: Some(why),
        tried: best.map(|best| best.evidence.clone()),
        places: Some(*places),
        remarks,
    }
}

/// Writes the plan, and says what is in it.
fn write(
    args: &ProposeArgs,
    session: &Session,
    base: &RunInfo,
    plan: PlanFile,
    cases: &[Case],
    trials: &Trials<'_>,
) -> Result<(), Failure> {
    let today = session.clock.today();
    let head =
        format!("Repairs for {}, proposed on {today} from run {}", safe(&base.site), base.number);
    let count = |confidence: Confidence| {
        let is = |case: &&Case| {
            case.rule.is_none()
                && case.proposals.first().map(|best| best.confidence) == Some(confidence)
        };
        cases.iter().filter(is).count()
    };
    let by_rule = cases.iter().filter(|case| case.rule.is_some()).count();
    let none = cases.iter().filter(|c| c.rule.is_none() && c.proposals.is_empty()).count();
    let rules = plan.rules.len();
    let file = args.output.as_deref().filter(|file| file.as_os_str() != "-");
    let Some(file) = file else {
        let mut out = std::io::stdout();
        let text = plan.text(&head);
        out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(ViewError::from)?;
        return Ok(());
    };
    let added = plan.add_to(file, &head)?;
    let mut out = session.terminal.stdout();
    let counted = |number: usize, one, many| rummage_view::counted(number as u64, one, many);
    let shown = file.display();
    let mut lines = vec![format!(
        "{shown}: {} for {}; {} requested",
        match added.kept {
            0 => counted(added.added, "entry", "entries"),
            kept => format!(
                "{} added, {} kept,",
                counted(added.added, "entry", "entries"),
                rummage_view::count(kept as u64)
            ),
        },
        counted(cases.len(), "target", "targets"),
        counted(trials.count(), "URL was", "URLs were"),
    )];
    if rules > 0 {
        let mends = counted(by_rule, "target", "targets");
        lines.push(format!("  by {}: {mends}", counted(rules, "rule", "rules")));
    }
    for confidence in Confidence::ALL {
        let note = match confidence {
            Confidence::Low => "  (nothing happens to them until you decide)",
            _ => "",
        };
        match count(confidence) {
            0 => {}
            number => lines.push(format!("  {} confidence: {number}{note}", confidence.as_str())),
        }
    }
    if none > 0 {
        lines.push(format!("  without a candidate that works: {none}"));
    }
    if !trials.is_whole {
        lines.push("  stopped: not all candidates were tried; run it again".to_owned());
    }
    lines.push(format!("look through it: rummage mend show {shown}"));
    for line in lines {
        writeln!(out, "{line}").map_err(ViewError::from)?;
    }
    Ok(())
}
