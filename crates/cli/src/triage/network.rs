//! The thread that makes requests: rechecks, and candidates for new URLs.

use std::collections::{HashMap, HashSet};
use std::sync::mpsc::{Receiver, Sender};

use rummage_core::findings::selection::Selection;
use rummage_core::mend::Confidence;
use rummage_core::verdict::Verdict;
use rummage_engine::Stop;
use rummage_store::{OpenRun, RunState, StoredUrl};
use rummage_triage::{Msg, Proposal, Recheck};
use rummage_view::{TargetId, TargetLine, TargetList, TargetOrder};

use super::decisions;
use super::words::line;
use crate::args::CheckOptions;
use crate::commands::mend;
use crate::failure::Failure;
use crate::jobs::{ALL_PAGES, CrawlJob, finished, runtime};
use crate::session::Session;
use crate::watch::ProgressReporter;

/// A target of a request.
#[derive(Debug, Clone)]
pub(super) struct Wanted {
    pub(super) url: StoredUrl,
    pub(super) line: TargetLine,
}

/// What is to be requested.
#[derive(Debug)]
pub(super) enum NetworkJob {
    /// Check again: these targets, which are these URLs.
    Recheck(Vec<Wanted>, Vec<String>),
    /// Try candidates for new URLs.
    Propose(Vec<Wanted>),
}

/// Runs jobs, one after the other, until there are no more.
pub(super) fn serve(
    session: &Session,
    stop: &Stop,
    jobs: Receiver<NetworkJob>,
    news: &Sender<Msg>,
) {
    let mut next = None;
    while let Some(job) = next.take().or_else(|| jobs.recv().ok()) {
        let msg = match job {
            NetworkJob::Recheck(mut wanted, mut urls) => {
                // What was added meanwhile is checked together.
                for job in jobs.try_iter() {
                    match job {
                        NetworkJob::Recheck(more, more_urls) => {
                            wanted.extend(more);
                            urls.extend(more_urls);
                        }
                        other => {
                            next = Some(other);
                            break;
                        }
                    }
                }
                match recheck(session, stop, &wanted) {
                    Ok(results) => {
                        let words = decisions::words(session, vec!["recheck".to_owned()], urls);
                        Msg::Rechecked(results, line(&words))
                    }
                    Err(failure) => Msg::NotRechecked(ids(&wanted), failure.sentence()),
                }
            }
            NetworkJob::Propose(wanted) => {
                let found = propose(session, &wanted).map_err(|failure| failure.sentence());
                Msg::Proposed(ids(&wanted), found)
            }
        };
        // The view is closed: nothing is lost that was not stored.
        let _ = news.send(msg);
    }
}

fn ids(wanted: &[Wanted]) -> Vec<TargetId> {
    wanted.iter().map(|one| one.line.id).collect()
}

fn recheck(
    session: &Session,
    stop: &Stop,
    wanted: &[Wanted],
) -> Result<Vec<(TargetId, Recheck)>, Failure> {
    let stopped = || Failure::Usage {
        what: "the recheck was stopped".to_owned(),
        hint: "What was found is kept; continue with: rummage crawl --resume".to_owned(),
    };
    if *stop.borrow() {
        return Err(stopped());
    }
    let reader = session.reader()?;
    let base = finished(&reader, session.run(&reader, None)?)?;
    let section = session.section_of(&base.site);
    let before = reader.open_run(base)?;
    let targets: HashSet<StoredUrl> = wanted.iter().map(|one| one.url).collect();
    let targets: Vec<StoredUrl> = targets.into_iter().collect();
    let options = CheckOptions::default();
    let context = session.context(&options, section);
    let job = CrawlJob::recheck(context, &before, &targets, ALL_PAGES)?;
    let stop = stop.clone();
    // The view shows what is going on.
    let silent = session.terminal.silent();
    let mut reporter = ProgressReporter::new(silent, job.given_start.clone(), None);
    let ended = runtime()?.block_on(async { job.drive(stop, &mut reporter).await })?;
    if ended.run == 0 {
        return Err(Failure::Usage {
            what: "the start URL did not respond; nothing was checked".to_owned(),
            hint: "Check the network, and try again.".to_owned(),
        });
    }
    if ended.state == RunState::Stopped {
        return Err(stopped());
    }
    let reader = session.reader()?;
    let after = reader.open_run(reader.run(ended.run)?)?;
    results(&after, wanted)
}

/// What a run found for some targets.
fn results(after: &OpenRun<'_>, wanted: &[Wanted]) -> Result<Vec<(TargetId, Recheck)>, Failure> {
    let urls: HashSet<StoredUrl> = wanted.iter().map(|one| one.url).collect();
    let all = Selection::all();
    let query = after.query_to_any(&urls, &all)?;
    let list = TargetList::of(&query, TargetOrder::Worst)?;
    let mut by_id: HashMap<TargetId, TargetLine> = HashMap::new();
    let mut linked: HashMap<StoredUrl, TargetLine> = HashMap::new();
    for at in 0u32.. {
        let (Some(line), Some(url)) = (list.line(at)?, list.url(at)) else { break };
        linked.entry(url).or_insert_with(|| line.clone());
        by_id.insert(line.id, line);
    }
    let result = |one: &Wanted| {
        let recheck = match (by_id.get(&one.line.id), linked.get(&one.url)) {
            (Some(now), _) => Recheck {
                verdict: Some(now.verdict),
                cause: now.cause.clone(),
                is_same: now.verdict == one.line.verdict && now.cause == one.line.cause,
            },
            // The fault that was only of the link is gone, and links are still there.
            (None, Some(_)) => {
                Recheck { verdict: Some(Verdict::Sound), cause: "works".to_owned(), is_same: false }
            }
            (None, None) => Recheck { verdict: None, cause: String::new(), is_same: false },
        };
        (one.line.id, recheck)
    };
    Ok(wanted.iter().map(result).collect())
}

fn propose(session: &Session, wanted: &[Wanted]) -> Result<Vec<Proposal>, Failure> {
    // Nothing may be written over the view.
    let session = Session { terminal: session.terminal.silent(), ..session.clone() };
    let reader = session.reader()?;
    let run = reader.open_run(finished(&reader, session.run(&reader, None)?)?)?;
    let urls: HashSet<StoredUrl> = wanted.iter().map(|one| one.url).collect();
    let by_target: HashMap<&str, TargetId> =
        wanted.iter().map(|one| (one.line.target.as_str(), one.line.id)).collect();
    let found = mend::proposals(&session, &run, &urls)?.into_iter();
    let proposal = |(target, found): (String, rummage_core::mend::choose::Proposal)| {
        let confidence = found.confidence.as_str();
        Some(Proposal {
            target: *by_target.get(target.as_str())?,
            to: found.to,
            is_sure: found.confidence != Confidence::Low,
            why: format!("{confidence}: {}; {}", found.reason.words(), found.evidence),
        })
    };
    Ok(found.filter_map(proposal).collect())
}
