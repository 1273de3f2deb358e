//! `rummage recheck`: some addresses anew, all else as the last run found it.

use std::collections::BTreeSet;
use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_engine::Ended;
use rummage_store::{Address, OpenRun, Reader, RunState, StoreError};
use rummage_view::{ViewError, safe};
use url::Url;

use super::findings;
use crate::args::{FINDINGS, RecheckArgs, RecheckFormat};
use crate::config::Config;
use crate::failure::{Exit, Failure, report_internal};
use crate::output;
use crate::passes::{ALL_PAGES, Hear, PAGES_OF_DUE, Pass, due_by, finished, plan, runtime};
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::watch::Teller;

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
        let what = if args.due { "nothing is due" } else { "nothing fits" };
        if !(args.due && session.terminal.quiet) {
            let _ = writeln!(err, "{what}: nothing was asked");
        }
        return findings::exit(&before, args.fail_on);
    }
    let pages = if args.due { PAGES_OF_DUE } else { ALL_PAGES };
    let name = session.section_of(&base.site);
    let pass = Pass::recheck(session.means(&args.asking, name), &before, &targets, pages)?;
    let mut teller = Teller::new(session.terminal, base.asked_for.clone(), None).without_head();
    let many = rummage_view::counted(targets.len() as u64, "target", "targets");
    let own = rummage_view::counted(pass.asked_again() as u64, "address", "addresses");
    teller.say(&format!(
        "asking {many} of run {} again: {own}, with the pages that carry them",
        base.number
    ));
    let runtime = runtime()?;
    let ended = runtime.block_on(async { pass.drive(stop_on_signal(), &mut teller).await });
    teller.finish();
    let exit = show(args, session, &before, &targets, ended?)?;
    session.deliver_digests(&runtime);
    Ok(exit)
}

/// What is due by now.
fn due_now(
    reader: &Reader,
    run: &OpenRun<'_>,
    config: &Config,
    session: &Session,
) -> Result<Vec<Address>, Failure> {
    let name = session.section_of(&run.info().site);
    let rhythm = config.settled(name.as_deref()).own.due.rhythm();
    let now = session.clock.now();
    Ok(due_by(&plan(reader, run, &rhythm, now)?, now))
}

/// The addresses that were named; `None` where none was.
fn named(args: &RecheckArgs, run: &OpenRun<'_>) -> Result<Option<Vec<Address>>, Failure> {
    let mut targets = Vec::new();
    for name in &args.targets {
        let found = find(run, name)?;
        if found.is_empty() {
            return Err(Failure::Usage {
                what: format!(
                    "run {} knows no address with \"{}\" in it",
                    run.info().number,
                    safe(name)
                ),
                hint: "Give an address, or a part of one, from: rummage findings".to_owned(),
            });
        }
        targets.extend(found);
    }
    Ok((!args.targets.is_empty()).then_some(targets))
}

/// What is meant: the targets of what is selected; of what is named or due those of them,
/// where something is selected, else all.
fn selected(
    args: &RecheckArgs,
    run: &OpenRun<'_>,
    named: Option<Vec<Address>>,
) -> Result<Vec<Address>, Failure> {
    let selection = args.selecting.selection(FINDINGS);
    let mut targets: BTreeSet<Address> = BTreeSet::new();
    match named {
        Some(named) if selection == Selection::default() => targets.extend(named),
        named => {
            run.sift(&selection)?.for_each(|found| {
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

/// The address of that name, else the findings that hold the text.
fn find(run: &OpenRun<'_>, name: &str) -> Result<Vec<Address>, Failure> {
    /// More than anybody means by a part of an address.
    const MOST: usize = 10_000;
    let bare = name.split('#').next().unwrap_or(name);
    let exact = Url::parse(bare).map_or_else(|_| bare.to_owned(), String::from);
    let found = run.find(&exact, MOST)?;
    if let [(address, text)] = found.as_slice()
        && *text == exact
    {
        return Ok(vec![*address]);
    }
    let found = run.find(bare, MOST)?.into_iter().map(|(address, _)| address);
    Ok(found.filter(|address| run.is_linked(*address)).collect())
}

/// Each target as it was and as it is.
fn show(
    args: &RecheckArgs,
    session: &Session,
    before: &OpenRun<'_>,
    targets: &[Address],
    ended: Ended,
) -> Result<Exit, Failure> {
    if ended.run == 0 {
        let mut err = session.terminal.stderr();
        let _ = writeln!(err, "stopped before the start had answered: nothing was asked");
        return Ok(Exit::Unfinished);
    }
    let reader = session.reader()?;
    let after = reader.open_run(reader.run(ended.run)?)?;
    let mut out = output::buffered(session.terminal.stdout());
    let shown = match args.format {
        RecheckFormat::Text => rummage_view::recheck(&mut out, &reader, before, &after, targets),
        RecheckFormat::Jsonl => rummage_view::recheck_rows(&mut out, before, &after, targets),
    };
    match shown.and_then(|()| out.flush().map_err(ViewError::from)).map_err(Failure::from) {
        Err(failure) if failure.is_closed_pipe() => {}
        shown => shown?,
    }
    let exit = if ended.state == RunState::Stopped {
        if !session.terminal.quiet {
            let mut err = session.terminal.stderr();
            let _ = writeln!(err, "not finished; go on with: rummage crawl --resume");
        }
        Exit::Unfinished
    } else {
        findings::exit(&after, args.fail_on)?
    };
    Ok(report_internal(&ended.internal_errors, exit, session.terminal))
}
