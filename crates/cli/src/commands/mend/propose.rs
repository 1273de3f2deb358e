//! `rummage mend propose`: repairs, each tried beforehand.

use std::collections::HashSet;
use std::io::Write;
use std::sync::Arc;

use rummage_core::extract::access_log::Arrivals;
use rummage_core::findings::selection::Selection;
use rummage_core::mend::choose::Proposal;
use rummage_core::mend::{Confidence, Fault};
use rummage_core::url::query::QueryRule;
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{OpenRun, RunInfo, StoredUrl};
use rummage_view::{ViewError, safe};
use url::Url;

use super::cases::{Case, find_anchors, try_all};
use super::entries::{self, Aim, plan};
use super::faults::{self, Faulty};
use super::mass;
use super::trials::Trials;
use crate::access_logs;
use crate::args::{CheckOptions, ExternalsChoice, FINDINGS, ProposeArgs, Selecting};
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::plain::options_of;
use crate::jobs::{Trial, finished, folder};
use crate::plan_file::PlanFile;
use crate::session::Session;

pub(in crate::commands) fn run(args: &ProposeArgs, session: &Session) -> Result<Exit, Failure> {
    let reader = session.reader()?;
    let base = finished(&reader, session.run(&reader, None)?)?;
    let run = reader.open_run(base.clone())?;
    let section = session.section_of(&base.site);
    let settings = session.config.settings(section.as_deref());
    let options = args.options.clone().like(Some(options_of(&run)?), &settings.options);
    let start = Url::parse(&base.start).ok();
    let folder = folder(&base.given_start, &options)?.map(Arc::new);
    let trial = Trial { session, options: &options, own: start.as_ref(), folder, once: true };
    let mut trials = Trials::new(trial);
    let (aim, faulty, is_partial) = match &start {
        Some(start) if !args.arrivals.is_empty() => {
            let (mut faulty, is_partial) =
                of_visitors(args, session, &options, start, &mut trials)?;
            let targets = faulty.iter().map(|one| one.fault.target.clone()).collect();
            let carried = run.carried(&targets)?;
            for one in &mut faulty {
                one.is_linked = carried.contains_key(&one.fault.target);
            }
            (Aim::Visitors, faulty, is_partial)
        }
        _ => (Aim::Links, of_links(&run, &args.selecting)?, false),
    };
    if faulty.is_empty() {
        let mut err = session.terminal.stderr();
        let _ = writeln!(err, "nothing broken or moved matches; there is nothing to propose");
        return Ok(if is_partial { Exit::Unfinished } else { Exit::Fine });
    }
    let known = faults::known(&run)?;
    let bounds = start.as_ref().map(|start| Bounds::around(start, &[]));
    let may = |url: &str| may_request(url, &options, bounds.as_ref());
    let new = |faulty: Faulty| Case::new(faulty, &known, &may);
    let mut cases: Vec<Case> = faulty.into_iter().map(new).collect();
    try_all(&mut cases, &mut trials)?;
    let unread = find_anchors(&mut cases, &run, &settings)?;
    for problem in &unread {
        let _ = writeln!(session.terminal.stderr(), "{problem}");
    }
    let rules = mass::find(&mut cases, &known, &mut trials, &may)?;
    let mut plan = plan(start.clone(), &cases, &rules, aim);
    plan.mends.extend(mass::spared(&run, &cases, &rules)?.iter().map(|url| entries::spared(url)));
    write(args, session, &base, plan, &cases, &trials)?;
    let is_whole = trials.is_whole && unread.is_empty() && !is_partial;
    let exit = if is_whole { Exit::Fine } else { Exit::Unfinished };
    Ok(report_internal(&trials.internal_errors, exit, session.terminal))
}

/// Candidates that work for some URLs of a run, best first, each with the target it is for.
pub(crate) fn proposals(
    session: &Session,
    run: &OpenRun<'_>,
    urls: &HashSet<StoredUrl>,
) -> Result<Vec<(String, Proposal)>, Failure> {
    let base = run.info();
    let settings = session.config.settings(session.section_of(&base.site).as_deref());
    let options = CheckOptions::default().like(Some(options_of(run)?), &settings.options);
    let start = Url::parse(&base.start).ok();
    let folder = folder(&base.given_start, &options)?.map(Arc::new);
    let trial = Trial { session, options: &options, own: start.as_ref(), folder, once: true };
    let mut trials = Trials::new(trial);
    let selection = Selection::default();
    let faulty = faults::of_query(&run.query_to_any(urls, &selection)?, true)?;
    let known = faults::known(run)?;
    let bounds = start.as_ref().map(|start| Bounds::around(start, &[]));
    let may = |url: &str| may_request(url, &options, bounds.as_ref());
    let new = |faulty: Faulty| Case::new(faulty, &known, &may);
    let mut cases: Vec<Case> = faulty.into_iter().map(new).collect();
    try_all(&mut cases, &mut trials)?;
    find_anchors(&mut cases, run, &settings)?;
    let of_case = |case: Case| {
        let target = case.faulty.fault.target;
        case.proposals.into_iter().map(move |proposal| (target.clone(), proposal))
    };
    Ok(cases.into_iter().flat_map(of_case).collect())
}

/// The broken and moved targets of the links of a run.
fn of_links(run: &OpenRun<'_>, selecting: &Selecting) -> Result<Vec<Faulty>, Failure> {
    let selection = selecting.selection(FINDINGS);
    let doubtful = selecting.selection(&[]).verdicts.contains(&Verdict::Doubtful);
    Ok(faults::of(run, &selection, doubtful)?)
}

/// The missing URLs that visitors requested and that are missing still, most wanted first.
fn of_visitors(
    args: &ProposeArgs,
    session: &Session,
    options: &CheckOptions,
    start: &Url,
    trials: &mut Trials<'_>,
) -> Result<(Vec<Faulty>, bool), Failure> {
    let query = options.query.as_ref().map_or(QueryRule::Keep, |query| query.0.clone());
    let mut arrivals = Arrivals::new(Some(start), query);
    let is_partial = access_logs::read(&args.arrivals, &mut arrivals, session.terminal)?;
    let selection = args.selecting.selection(&Verdict::ALL);
    let mut faulty = Vec::new();
    for arrival in arrivals.finish() {
        // A server that fails has not lost the page.
        if arrival.is_over() || !matches!(arrival.status, 404 | 410) {
            continue;
        }
        let Some(target) = access_logs::url(start, &arrival.path) else { continue };
        if !selection.takes_url(&target, None) {
            continue;
        }
        let cause = if arrival.status == 410 { Cause::Gone } else { Cause::NotFound };
        let fault = Fault { cause: Some(cause), ..Fault::of(&target) };
        let places = arrival.people().max(1);
        faulty.push(Faulty { fault, anchor: None, places, is_linked: false });
    }
    trials.request(faulty.iter().map(|one| one.fault.target.as_str()))?;
    faulty.retain(|one| trials.works(&one.fault.target).is_none());
    faulty.sort_by_key(|one| std::cmp::Reverse(one.places));
    Ok((faulty, is_partial))
}

/// Whether a candidate may be requested: external ones not if the run only noted them.
fn may_request(url: &str, options: &CheckOptions, bounds: Option<&Bounds>) -> bool {
    if options.externals != Some(ExternalsChoice::Note) {
        return true;
    }
    let url = Url::parse(url).ok();
    url.is_some_and(|url| bounds.is_some_and(|bounds| bounds.is_own(&url)))
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
    let (site, number) = (safe(&base.site), base.number);
    let head = format!("Repairs for {site}, proposed on {today} from run {number}");
    let file = args.output.as_deref().filter(|file| file.as_os_str() != "-");
    let Some(file) = file else {
        let mut out = std::io::stdout();
        let text = plan.text(&head);
        out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(ViewError::from)?;
        return Ok(());
    };
    let rules = plan.rules.len();
    let added = plan.add_to(file, &head)?;
    let counted = |number: usize, one, many| rummage_view::counted(number as u64, one, many);
    let shown = file.display();
    let entries = counted(added.added, "entry", "entries");
    let entries = match added.kept {
        0 => entries,
        kept => format!("{entries} added, {kept} kept,"),
    };
    let mut lines = vec![format!(
        "{shown}: {entries} for {}; {} requested",
        counted(cases.len(), "target", "targets"),
        counted(trials.count(), "URL was", "URLs were"),
    )];
    let single = || cases.iter().filter(|case| case.rule.is_none());
    if rules > 0 {
        let by_rule = counted(cases.len() - single().count(), "target", "targets");
        lines.push(format!("  by {}: {by_rule}", counted(rules, "rule", "rules")));
    }
    for confidence in Confidence::ALL {
        let best = |case: &&Case| case.proposals.first().map(|best| best.confidence);
        let note = match confidence {
            Confidence::Low => "  (nothing happens to them until you decide)",
            _ => "",
        };
        match single().filter(|case| best(case) == Some(confidence)).count() {
            0 => {}
            number => lines.push(format!("  {} confidence: {number}{note}", confidence.as_str())),
        }
    }
    match single().filter(|case| case.proposals.is_empty()).count() {
        0 => {}
        none => lines.push(format!("  without a candidate that works: {none}")),
    }
    if !trials.is_whole {
        lines.push("  stopped: not all candidates were tried; run it again".to_owned());
    }
    lines.push(format!("look through it: rummage mend show {shown}"));
    let mut out = session.terminal.stdout();
    for line in lines {
        writeln!(out, "{line}").map_err(ViewError::from)?;
    }
    Ok(())
}
