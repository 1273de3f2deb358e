//! `rummage mend confirm`: whether a plan worked.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::io::Write;
use std::sync::Arc;

use rummage_core::mend::plan::{Action, Step};
use rummage_core::url::scope::Bounds;
use rummage_core::verdict::Verdict;
use rummage_engine::Ended;
use rummage_store::{OpenRun, Reader, RunState, StoredUrl};
use rummage_view::{ConfirmedRow, RepairState, ViewError, counted};
use url::Url;

use super::places;
use super::trials::Trials;
use crate::args::MendConfirmArgs;
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::plain::options_of;
use crate::jobs::{ALL_PAGES, CrawlJob, Reporter as _, Trial, finished, folder, runtime};
use crate::output;
use crate::plan_file::PlanFile;
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::watch::ProgressReporter;

pub(super) fn run(args: &MendConfirmArgs, session: &Session) -> Result<Exit, Failure> {
    let file = PlanFile::load(&args.plan)?;
    let plan = file.plan();
    let reader = session.reader()?;
    let base = finished(&reader, session.run(&reader, None)?)?;
    let before = reader.open_run(base.clone())?;
    if let (Some(site), Ok(start)) = (&file.site, Url::parse(&base.start))
        && !Bounds::around(&start, &[]).is_own(site)
    {
        return Err(Failure::Usage {
            what: format!("the plan is for {site}, and the last run was of {}", base.site),
            hint: "Name the site: --site HOST".to_owned(),
        });
    }
    let linked = places::of(&before, &plan)?;
    let targets: BTreeSet<StoredUrl> = linked.iter().map(|place| place.row.target).collect();
    let targets: Vec<StoredUrl> = targets.into_iter().collect();
    // The run in which the links are counted: a new one, unless no link was left before.
    let ended = match targets.is_empty() {
        true => None,
        false => Some(recheck(args, session, &before, &targets)?),
    };
    if ended.as_ref().is_some_and(|ended| ended.run == 0) {
        return Ok(Exit::Unfinished);
    }
    let number = ended.as_ref().map_or(base.number, |ended| ended.run);
    let fresh = Reader::open(&session.store)?;
    let after = fresh.open_run(fresh.run(number)?)?;
    let still = places::of(&after, &plan)?;
    let section = session.section_of(&base.site);
    let settings = session.config.settings(section.as_deref());
    let options = args.options.clone().like(Some(options_of(&before)?), &settings.options);
    let start = Url::parse(&base.start).ok();
    let folder = folder(&base.given_start, &options)?.map(Arc::new);
    let mut trials =
        Trials::new(Trial { session, options: &options, own: start.as_ref(), folder, once: false });
    let rows = rows(&file, &linked, &still, &mut trials)?;
    let mut out = output::buffered(session.terminal.stdout());
    rummage_view::confirmed(&mut out, &rows, session.terminal.verbose)?;
    out.flush().map_err(ViewError::from)?;
    let is_whole =
        trials.is_whole && ended.as_ref().is_none_or(|ended| ended.state == RunState::Finished);
    let exit = if !is_whole {
        Exit::Unfinished
    } else if rows.iter().all(|row| row.state == RepairState::Done) {
        Exit::Fine
    } else {
        Exit::Broken
    };
    let mut errors = trials.internal_errors;
    errors.extend(ended.into_iter().flat_map(|ended| ended.internal_errors));
    Ok(report_internal(&errors, exit, session.terminal))
}

/// Checks the targets again, and the pages that linked to them.
fn recheck(
    args: &MendConfirmArgs,
    session: &Session,
    before: &OpenRun<'_>,
    targets: &[StoredUrl],
) -> Result<Ended, Failure> {
    let base = before.info();
    let context = session.context(&args.options, session.section_of(&base.site));
    let job = CrawlJob::recheck(context, before, targets, ALL_PAGES)?;
    let mut reporter =
        ProgressReporter::new(session.terminal, base.given_start.clone(), None).without_head();
    reporter.say(&format!(
        "rechecking {} of run {}, with the pages that linked to them",
        counted(targets.len() as u64, "target", "targets"),
        base.number
    ));
    let runtime = runtime()?;
    let ended = runtime.block_on(async { job.drive(stop_on_signal(), &mut reporter).await });
    reporter.finish();
    session.deliver_digests(&runtime);
    ended
}

/// What became of each repair.
fn rows(
    file: &PlanFile,
    linked: &[places::Place],
    still: &[places::Place],
    trials: &mut Trials<'_>,
) -> Result<Vec<ConfirmedRow>, Failure> {
    // The new URLs; of rules, those of the links that they covered.
    let mut covered: BTreeMap<usize, BTreeSet<&str>> = BTreeMap::new();
    for (rule, place) in linked.iter().filter_map(|place| Some((place.step.rule?, place))) {
        covered.entry(rule).or_default().extend(place.step.to.as_deref());
    }
    let new: Vec<String> = file
        .mends
        .iter()
        .filter(|entry| entry.mend.action == Action::Replace)
        .filter_map(|entry| entry.mend.to.clone())
        .chain(covered.values().flatten().map(|to| (*to).to_owned()))
        .collect();
    let is_served = |action| matches!(action, Action::Redirect | Action::Gone);
    let old = file.mends.iter().filter(|entry| is_served(entry.mend.action));
    let old: Vec<String> = old.map(|entry| entry.mend.target.clone()).collect();
    trials.request(new.iter().chain(&old).map(String::as_str))?;
    let left = Left::of(still);
    let mut rows = Vec::new();
    for (number, entry) in file.rules.iter().enumerate() {
        let new = covered.get(&number).into_iter().flatten();
        let dead: Vec<&&str> = new.filter(|url| trials.works(url).is_none()).collect();
        let (state, note) = match (left.rules.get(&number), dead.as_slice()) {
            (Some(links), _) => (RepairState::NotYet, links.sentence()),
            (None, [first, ..]) => (
                RepairState::Failed,
                format!("{} of its URLs do not work, such as {first}", dead.len()),
            ),
            (None, []) => (RepairState::Done, "no link to it is left".to_owned()),
        };
        let (target, to) = (entry.rule.from.clone(), Some(entry.rule.to.clone()));
        rows.push(ConfirmedRow { state, target, to, note });
    }
    for (number, entry) in file.mends.iter().enumerate() {
        let mend = &entry.mend;
        let (state, note) = match mend.action {
            Action::Leave => continue,
            Action::Redirect | Action::Gone => {
                served(mend.action, mend.to.as_deref(), &mend.target, trials)
            }
            Action::Replace | Action::Unwrap | Action::Drop => {
                let to = mend.to.as_deref().filter(|_| mend.action == Action::Replace);
                match (left.mends.get(&number), to.map(|to| trials.works(to))) {
                    (_, Some(None)) => {
                        (RepairState::Failed, "the new URL does not work".to_owned())
                    }
                    (Some(links), _) => (RepairState::NotYet, links.sentence()),
                    (None, Some(Some((_, evidence)))) => {
                        (RepairState::Done, format!("no link to it is left; new URL: {evidence}"))
                    }
                    (None, None) => (RepairState::Done, "no link to it is left".to_owned()),
                }
            }
        };
        let (target, to) = (mend.target.clone(), mend.to.clone());
        rows.push(ConfirmedRow { state, target, to, note });
    }
    Ok(rows)
}

/// The links that the plan still concerns, by the position of its rule or single repair.
#[derive(Default)]
struct Left<'a> {
    rules: HashMap<usize, LinksLeft<'a>>,
    mends: HashMap<usize, LinksLeft<'a>>,
}

struct LinksLeft<'a> {
    first: &'a places::Place,
    count: usize,
}

impl<'a> Left<'a> {
    fn of(still: &'a [places::Place]) -> Left<'a> {
        let mut left = Left::default();
        for place in still {
            let Step { rule, mend, .. } = place.step;
            let of_rule = rule.map(|rule| left.rules.entry(rule));
            for entry in of_rule.into_iter().chain(mend.map(|mend| left.mends.entry(mend))) {
                entry.or_insert(LinksLeft { first: place, count: 0 }).count += 1;
            }
        }
        left
    }
}

impl LinksLeft<'_> {
    fn sentence(&self) -> String {
        let first = format!("{}:{}", self.first.row.page, self.first.row.line);
        match self.count {
            1 => format!("1 link is left: {first}"),
            count => format!("{count} links are left, the first on {first}"),
        }
    }
}

/// Whether the server responds to the old URL as planned.
fn served(
    action: Action,
    to: Option<&str>,
    target: &str,
    trials: &Trials<'_>,
) -> (RepairState, String) {
    let Some(outcome) = trials.outcome(target) else {
        return (RepairState::NotYet, "it was not requested".to_owned());
    };
    let last = outcome.last.clone().unwrap_or_default();
    match (action, to) {
        (Action::Gone, _) if outcome.status == Some(410) => {
            (RepairState::Done, "410 Gone".to_owned())
        }
        (Action::Redirect, Some(to)) if outcome.hops > 0 => {
            let bare = |url: &str| url.split('#').next().unwrap_or_default().to_owned();
            let works = matches!(outcome.verdict, Verdict::Sound | Verdict::Moved);
            match (bare(&last) == bare(to), works) {
                (true, true) => {
                    (RepairState::Done, "the server redirects to the new URL".to_owned())
                }
                (true, false) => (RepairState::Failed, "the new URL does not work".to_owned()),
                (false, _) => (RepairState::Failed, format!("the server redirects to {last}")),
            }
        }
        _ => {
            let status =
                outcome.status.map_or("no response".to_owned(), |status| status.to_string());
            (RepairState::NotYet, format!("the server responds {status}"))
        }
    }
}
