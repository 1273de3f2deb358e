//! `rummage crawl`: from what was typed to a crawl, and from its end to an exit code.

use std::io::Write;

use rummage_core::crawl::Note;
use rummage_core::findings::selection::Selection;
use rummage_engine::Ended;
use rummage_store::{NoteRow, Reader, RunState};
use rummage_view::Listing;

use super::findings;
use crate::args::{Asking, CrawlArgs, FINDINGS, Showing};
use crate::config::Section;
use crate::failure::{Exit, Failure, report_internal};
use crate::output::Terminal;
use crate::passes::{Hear, Pass, runtime};
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::watch::Teller;
use crate::{sources, start, waivers};

pub(crate) fn run(args: CrawlArgs, session: &Session) -> Result<Exit, Failure> {
    // Whatever is wrong with the words is said before anything is asked.
    args.showing.listing(session.terminal.verbose)?;
    let config = &session.config;
    let store = session.store.as_path();
    waivers::File::load(config, store)?;
    let pass = if args.resume {
        let run = Reader::open(store)?.unfinished()?;
        let section = session.section_of(&run.site);
        Pass::resume(session.means(&args.asking, section), run)?
    } else {
        let (first, more) = match args.starts.split_first() {
            Some((first, more)) => (Some(first.as_str()), more),
            None => (None, [].as_slice()),
        };
        let at = args.asking.at.as_deref();
        let start = start::resolve(first, at, config, session.site.as_deref())?;
        let asking = Asking { also: more.to_vec(), ..args.asking.clone() };
        Pass::crawl(session.means(&asking, None), start, args.fresh)?
    };
    let asked_for = pass.known_as.clone().unwrap_or_else(|| pass.asked_for.clone());
    let mut teller = Teller::new(session.terminal, asked_for, pass.last_time);
    if let Some(site) = &pass.section {
        teller.handle_settings(site);
    }
    if let Some(run) = pass.unfinished {
        teller.say(&format!(
            "run {run} was not finished; this is a new run, and rummage crawl --resume can still \
             go on with that one"
        ));
    }
    let section = pass.section.clone();
    let runtime = runtime()?;
    let ended = runtime.block_on(async { pass.drive(stop_on_signal(), &mut teller).await });
    teller.finish();
    let ended = ended?;
    if ended.run == 0 {
        let mut out = session.terminal.stderr();
        let _ = writeln!(out, "stopped before the start had answered: nothing was found yet");
        return Ok(Exit::Unfinished);
    }
    let settled = config.settled(section.as_deref());
    let reader = session.reader()?;
    let exit = show(&args, session.terminal, &reader, &settled, &ended)?;
    let exit = report_internal(&ended.internal_errors, exit, session.terminal);
    session.deliver_digests(&runtime);
    Ok(exit)
}

/// Ends just as `rummage findings` does, and writes the files that the settings name.
/// Somebody who closed our output still gets the exit code of the crawl.
fn show(
    args: &CrawlArgs,
    terminal: Terminal,
    reader: &Reader,
    settled: &Section,
    ended: &Ended,
) -> Result<Exit, Failure> {
    let run = reader.open_run(reader.run(ended.run)?)?;
    let source = sources::of(run.info(), settled);
    let listing = Listing { source: source.clone(), ..args.showing.listing(terminal.verbose)? };
    let selection = args.selecting.selection(FINDINGS);
    let shown = findings::show(reader, &run, &selection, &listing, &args.showing, terminal);
    match shown {
        Err(failure) if failure.is_closed_pipe() => {}
        shown => shown?,
    }
    for file in &settled.own.write {
        let showing = Showing::of_file(file);
        let listing = Listing { source: source.clone(), ..showing.listing(terminal.verbose)? };
        let all = Selection::default();
        findings::show(reader, &run, &all, &listing, &showing, terminal)?;
    }
    if ended.state == RunState::Stopped {
        if !terminal.quiet {
            let mut out = terminal.stderr();
            let _ = writeln!(out, "not finished; go on with: rummage crawl --resume");
        }
        return Ok(Exit::Unfinished);
    }
    // A site whose links were not seen was not looked through, whatever was found.
    let start = &run.info().start;
    let unseen = |row: &NoteRow| row.note == Note::DrawnByScript && row.address == *start;
    if run.notes()?.iter().any(unseen) {
        return Ok(Exit::Unfinished);
    }
    findings::exit(&run, args.fail_on)
}
