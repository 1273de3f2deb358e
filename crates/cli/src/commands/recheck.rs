//! `rummage recheck`: checks some URLs again, and keeps all other results of the last run.

use std::collections::BTreeSet;
use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_engine::Ended;
use rummage_store::{OpenRun, Reader, RunState, StoreError, StoredUrl};
use rummage_view::{ViewError, safe};
use url::Url;

use super::findings;
use crate::args::{FINDINGS, FailOn, RecheckArgs, RecheckFormat};
use crate::config::Config;
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::{ALL_PAGES, CrawlJob, PAGES_OF_DUE, Reporter, due_by, finished, plan, runtime};
use crate::output;
use crate::results;
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::watch::ProgressReporter;

pub(crate) fn run(args: &RecheckArgs, session: &Session) -> Result<Exit, Failure> {
    let config = &session.config;
    let _store = session.store.as_path();
    let reader = session.reader()?;
    let base = finished(&reader, session.run(&reader, None)?)?;
    let before = reader.open_run(base.clone())?;
    let named = if args.due {
        Some(due_now(&reader, &before, config, session)?)
    } else {
        named(args, &before)?
    };
    let targets = selected(args, &before, named)?;
    if targets.is_empty() {
        let mut err = session.terminal.stderr();
        let what = if args.due { "nothing is due" } else { "nothing matches" };
        if !(args.due && session.terminal.quiet) {
            let _ = writeln!(err, "{what}; nothing was checked");
        }
        return Ok(Exit::Fine);
    }
    let pages = if args.due { PAGES_OF_DUE } else { ALL_PAGES };
    let name = session.section_of(&base.site);
    let pass = CrawlJob::recheck(session.context(&args.options, name), &before, &targets, pages)?;
    let mut reporter =
        ProgressReporter::new(session.terminal, base.given_start.clone(), None).without_head();
    let many = rummage_view::counted(targets.len() as u64, "target", "targets");
    let own = rummage_view::counted(pass.rechecked() as u64, "URL", "URLs");
    reporter.say(&format!(
        "rechecking {many} of run {}: {own}, with the pages that link to them",
        base.number
    ));
    let runtime = runtime()?;
    let ended = runtime.block_on(async { pass.drive(stop_on_signal(), &mut reporter).await });
    reporter.finish();
    let exit = show(args, session, &before, &targets, ended?)?;
    session.deliver_digests(&runtime);
    Ok(exit)
}

/// What is due now.
fn due_now(
    reader: &Reader,
    run: &OpenRun<'_>,
    config: &Config,
    session: &Session,
) -> Result<Vec<StoredUrl>, Failure> {
    let name = session.section_of(&run.info().site);
    let policy = config.settings(name.as_deref()).own.due.policy();
    let now = session.clock.now();
    Ok(due_by(&plan(reader, run, &policy, now)?, now))
}

/// The URLs that were named; `None` if there were none.
fn named(args: &RecheckArgs, run: &OpenRun<'_>) -> Result<Option<Vec<StoredUrl>>, Failure> {
    let mut targets = Vec::new();
    for name in &args.targets {
        let found = find(run, name)?;
        if found.is_empty() {
            return Err(Failure::Usage {
                what: format!("run {} has no URL with \"{}\" in it", run.info().number, safe(name)),
                hint: "Give a URL, or part of one, from: rummage findings".to_owned(),
            });
        }
        targets.extend(found);
    }
    Ok((!args.targets.is_empty()).then_some(targets))
}

/// The targets to recheck: those named or due, narrowed by the selection if there is one.
fn selected(
    args: &RecheckArgs,
    run: &OpenRun<'_>,
    named: Option<Vec<StoredUrl>>,
) -> Result<Vec<StoredUrl>, Failure> {
    let selection = args.selecting.selection(FINDINGS);
    let mut targets: BTreeSet<StoredUrl> = BTreeSet::new();
    match named {
        Some(named) if selection == Selection::default() => targets.extend(named),
        named => {
            run.query(&selection)?.for_each(|found| {
                targets.insert(found.target);
                Ok::<_, StoreError>(())
            })?;
            if let Some(named) = named {
                targets.retain(|target| named.contains(target));
            }
        }
    }
    Ok(targets.into_iter().collect())
}

/// The URL with this name, else the findings that contain the text.
fn find(run: &OpenRun<'_>, name: &str) -> Result<Vec<StoredUrl>, Failure> {
    /// More than a part of a URL would ever be meant to match.
    const MOST: usize = 10_000;
    let bare = name.split('#').next().unwrap_or(name);
    let exact = Url::parse(bare).map_or_else(|_| bare.to_owned(), String::from);
    let found = run.find(&exact, MOST)?;
    if let [(url, text)] = found.as_slice()
        && *text == exact
    {
        return Ok(vec![*url]);
    }
    let found = run.find(bare, MOST)?.into_iter().map(|(url, _)| url);
    Ok(found.filter(|url| run.is_linked(*url)).collect())
}

/// The exit code is about the targets that were rechecked, not about all others.
fn exit(run: &OpenRun<'_>, targets: &[StoredUrl], fail_on: FailOn) -> Result<Exit, Failure> {
    if run.info().state == RunState::Suspicious {
        return Ok(Exit::Unfinished);
    }
    let Some(selection) = findings::failing(fail_on) else { return Ok(Exit::Fine) };
    let targets = targets.iter().copied().collect();
    let fails = findings::has_any(&run.query_to_any(&targets, &selection)?)?;
    Ok(if fails { Exit::Broken } else { Exit::Fine })
}

/// Shows each target before and after.
fn show(
    args: &RecheckArgs,
    session: &Session,
    before: &OpenRun<'_>,
    targets: &[StoredUrl],
    ended: Ended,
) -> Result<Exit, Failure> {
    if ended.run == 0 {
        let mut err = session.terminal.stderr();
        let _ = writeln!(err, "stopped before the start URL responded; nothing was checked");
        return Ok(Exit::Unfinished);
    }
    let reader = session.reader()?;
    let after = reader.open_run(reader.run(ended.run)?)?;
    let mut out = output::buffered(session.terminal.stdout());
    let is_old = findings::is_old_news(&reader, &after, session.terminal)?;
    let shown = match args.format {
        RecheckFormat::Text if is_old => Ok(()),
        RecheckFormat::Text => rummage_view::recheck(&mut out, &reader, before, &after, targets),
        RecheckFormat::Jsonl => rummage_view::recheck_rows(&mut out, before, &after, targets),
    };
    match shown.and_then(|()| out.flush().map_err(ViewError::from)).map_err(Failure::from) {
        Err(failure) if failure.is_closed_pipe() => {}
        shown => shown?,
    }
    let settings = session.config.settings(session.section_of(&after.info().site).as_deref());
    results::write_files(&reader, &after, &settings, session.terminal)?;
    let exit = if ended.state == RunState::Stopped {
        if !session.terminal.quiet {
            let mut err = session.terminal.stderr();
            let _ = writeln!(err, "not finished; continue with: rummage crawl --resume");
        }
        Exit::Unfinished
    } else {
        exit(&after, targets, args.fail_on)?
    };
    Ok(report_internal(&ended.internal_errors, exit, session.terminal))
}
