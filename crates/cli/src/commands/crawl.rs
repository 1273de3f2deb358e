//! `rummage crawl`: from the options to a crawl, and from its end to an exit code.

use std::io::Write;
use std::sync::mpsc::channel;

use rummage_core::crawl::Note;
use rummage_core::findings::selection::Selection;
use rummage_core::url::pattern::Pattern;
use rummage_core::verdict::Cause;
use rummage_engine::Ended;
use rummage_store::{NoteRow, OpenRun, Reader, RunInfo, RunState, StoreError};
use rummage_view::{Listing, safe};
use tokio::sync::watch;

use super::findings;
use crate::args::{CheckOptions, CrawlArgs, FINDINGS};
use crate::baseline::Known;
use crate::config::{Config, Section};
use crate::failure::{Exit, Failure, report_internal};
use crate::jobs::{CrawlJob, Reporter, runtime};
use crate::output::Terminal;
use crate::session::Session;
use crate::signals::stop_on_signal;
use crate::triage::{self, Listed, Live, LiveReporter};
use crate::values::{nearest, one_of};
use crate::watch::ProgressReporter;
use crate::{output, results, sources, start, urls, waivers};

/// How many targets a crawl lists on a terminal by default.
const WORST: usize = 50;

pub(crate) fn run(args: CrawlArgs, session: &Session) -> Result<Exit, Failure> {
    // Invalid options are reported before any request is made.
    if args.triage {
        triage::check_terminal()?;
    }
    args.showing.listing(session.terminal.verbose)?;
    let known = Known::of(args.known.baseline.as_deref())?;
    let config = &session.config;
    let store = session.store.as_path();
    waivers::File::load(config, store)?;
    if args.starts.len() > 1 && args.starts.iter().all(|name| config.sites.contains_key(name)) {
        return each(&args, session);
    }
    let pass = if args.resume {
        let run = to_continue(&args, session)?;
        let section = session.section_of(&run.site);
        CrawlJob::resume(session.context(&args.options, section), run)?
    } else {
        let (first, more) = match args.starts.split_first() {
            Some((first, more)) => (Some(first.as_str()), more),
            None => (None, [].as_slice()),
        };
        let at = args.options.at.as_deref();
        let start = start::resolve(first, at, config, session.site.as_deref())
            .map_err(|failure| with_known_starts(failure, &args, session))?;
        let options = CheckOptions { also: more.to_vec(), ..args.options.clone() };
        CrawlJob::crawl(session.context(&options, None), start, args.fresh)?
    }
    .accepting(args.accept);
    if args.triage {
        return with_triage(&args, known.as_ref(), session, pass);
    }
    let given_start = pass.known_as.clone().unwrap_or_else(|| pass.given_start.clone());
    let mut reporter = ProgressReporter::new(session.terminal, given_start, pass.last);
    if let Some(site) = &pass.section {
        reporter.handle_settings(site);
    }
    if let Some(run) = pass.unfinished {
        reporter.say(&format!(
            "run {run} is unfinished; this is a new run. rummage crawl --resume can still \
             continue that one"
        ));
    }
    let section = pass.section.clone();
    let runtime = runtime()?;
    let ended = runtime.block_on(async { pass.drive(stop_on_signal(), &mut reporter).await });
    reporter.finish();
    let ended = ended.map_err(|failure| with_site_names(failure, &args, config))?;
    if ended.run == 0 {
        return Ok(no_results(session));
    }
    let settings = config.settings(section.as_deref());
    let reader = session.reader()?;
    let exit = show(&args, known.as_ref(), session.terminal, &reader, &settings, &ended)?;
    let exit = report_internal(&ended.internal_errors, exit, session.terminal);
    session.deliver_digests(&runtime);
    Ok(exit)
}

/// The crawl was stopped so early that there is nothing to show.
fn no_results(session: &Session) -> Exit {
    let mut out = session.terminal.stderr();
    let _ = writeln!(out, "stopped before the start URL responded; no results yet");
    Exit::Unfinished
}

/// Opens the full-screen view while the crawl runs; then sums up.
fn with_triage(
    args: &CrawlArgs,
    known: Option<&Known>,
    session: &Session,
    pass: CrawlJob,
) -> Result<Exit, Failure> {
    let before = Reader::open(&session.store)?.runs()?.last().map_or(0, |run| run.number);
    let section = pass.section.clone();
    let (news, live) = channel();
    let (stop, stopped) = watch::channel(false);
    let opening = super::triage::opening(session, &args.selecting, Listed::After(before));
    let (view, ended) = std::thread::scope(|scope| {
        let live = Live { news: live, stop };
        let view = scope.spawn(move || triage::run(session, opening, Some(live)));
        let mut reporter = LiveReporter::new(news);
        let ended = runtime().and_then(|runtime| {
            runtime.block_on(async { pass.drive(stopped, &mut reporter).await })
        });
        reporter.finish(match &ended {
            Ok(ended) if ended.state == RunState::Stopped => "the crawl was stopped",
            Ok(_) => "the crawl has finished",
            Err(_) => "the crawl has failed; leave to see why",
        });
        (view.join(), ended)
    });
    let ended = ended?;
    let left = view.map_err(|_| Failure::Internal("the view ended with a panic"))??;
    if ended.run == 0 {
        return Ok(no_results(session));
    }
    let settings = session.config.settings(section.as_deref());
    let reader = session.reader()?;
    let run = reader.open_run(reader.run(ended.run)?)?;
    let mut err = output::buffered(session.terminal.stderr());
    rummage_view::summary(&mut err, &reader, &run, session.terminal.verbose)?;
    drop(err);
    let exit = wind_up(args, known, session.terminal, &reader, &run, &settings, ended.state)?;
    let exit = report_internal(&ended.internal_errors, exit, session.terminal);
    session.deliver_digests(&runtime()?);
    Ok(exit.max(left))
}

/// Crawls several sites of the settings file, one after the other.
fn each(args: &CrawlArgs, session: &Session) -> Result<Exit, Failure> {
    let mut worst = Exit::Fine;
    for name in &args.starts {
        let one = CrawlArgs { starts: vec![name.clone()], ..args.clone() };
        // One site that cannot be crawled does not keep the others from it.
        let exit = run(one, session).unwrap_or_else(|failure| {
            failure.report(session.terminal);
            Exit::Impossible
        });
        worst = if exit as u8 > worst as u8 { exit } else { worst };
    }
    Ok(worst)
}

/// The run to continue: the last unfinished one, or that of the given start.
fn to_continue(args: &CrawlArgs, session: &Session) -> Result<RunInfo, Failure> {
    let reader = Reader::open(session.store.as_path())?;
    let Some(given) = args.starts.first() else { return Ok(reader.unfinished()?) };
    let start = start::resolve(Some(given), None, &session.config, None)?;
    let hosts: Vec<String> =
        urls::candidates(&start.text).unwrap_or_default().iter().map(urls::host).collect();
    let waiting = reader.all_unfinished()?;
    let fits = |run: &&RunInfo| run.given_start == start.text || hosts.contains(&run.site);
    if let Some(run) = waiting.iter().find(fits) {
        return Ok(run.clone());
    }
    let names: Vec<String> = waiting
        .iter()
        .map(|run| format!("run {} of {}", run.number, safe(&run.given_start)))
        .collect();
    Err(Failure::Usage {
        what: format!("no unfinished run begins at {}", safe(given)),
        hint: match names.as_slice() {
            [] => "Start a new run: leave out --resume.".to_owned(),
            some => format!("These wait: {}.", some.join(", ")),
        },
    })
}

/// Without a start URL, names those of earlier runs.
fn with_known_starts(failure: Failure, args: &CrawlArgs, session: &Session) -> Failure {
    let Failure::Usage { what, hint } = failure else { return failure };
    let sites = match Reader::open(session.store.as_path()) {
        Ok(reader) if args.starts.is_empty() && session.config.sites.is_empty() => reader.sites(),
        _ => Ok(Vec::new()),
    };
    let starts: Vec<String> = sites
        .unwrap_or_default()
        .iter()
        .map(|site| format!("rummage crawl {}", safe(&site.last.given_start)))
        .collect();
    let hint = match starts.as_slice() {
        [] => hint,
        some => format!("Crawled before: {}.", some.join("; ")),
    };
    Failure::Usage { what, hint }
}

/// A word that is no host may be a misspelled site of the settings file.
fn with_site_names(failure: Failure, args: &CrawlArgs, config: &Config) -> Failure {
    let (Failure::Start { problem, hint: None }, Some(given)) = (&failure, args.starts.first())
    else {
        return failure;
    };
    let names: Vec<&str> = config.sites.keys().map(String::as_str).collect();
    if names.is_empty() || given.contains(['.', '/', ':']) {
        return failure;
    }
    let near = nearest(given, names.iter().copied());
    let meant = near.map_or(String::new(), |near| format!("Did you mean {near}? "));
    let hint = format!("{meant}The sites in the settings file are {}.", one_of(&names));
    Failure::Start { problem: problem.clone(), hint: Some(hint) }
}

/// Ends like `rummage findings`. A closed standard output does not change the exit code.
fn show(
    args: &CrawlArgs,
    known: Option<&Known>,
    terminal: Terminal,
    reader: &Reader,
    settings: &Section,
    ended: &Ended,
) -> Result<Exit, Failure> {
    let run = reader.open_run(reader.run(ended.run)?)?;
    let source = sources::of(run.info(), settings);
    let mut listing = Listing { source, ..args.showing.listing(terminal.verbose)? };
    // The worst of them fill several screens; files and pipes get all.
    if listing.recap && !listing.unfold && args.showing.destination()?.is_for_reading_here() {
        listing.limit = listing.limit.or(Some(WORST));
    }
    let selection = args.selecting.selection(FINDINGS);
    let is_read_here = args.showing.destination()?.is_for_reading_here();
    if !(is_read_here && findings::is_old_news(reader, &run, terminal)?) {
        let shown = findings::show(reader, &run, &selection, &listing, &args.showing, terminal);
        match shown {
            Err(failure) if failure.is_closed_pipe() => {}
            shown => shown?,
        }
    }
    wind_up(args, known, terminal, reader, &run, settings, ended.state)
}

/// Writes the files named in the settings, and says what is left to do.
fn wind_up(
    args: &CrawlArgs,
    known: Option<&Known>,
    terminal: Terminal,
    reader: &Reader,
    run: &OpenRun<'_>,
    settings: &Section,
    state: RunState,
) -> Result<Exit, Failure> {
    results::write_files(reader, run, settings, terminal)?;
    if state == RunState::Finished && !terminal.quiet {
        report_unused_excludes(run, terminal)?;
    }
    if state == RunState::Stopped {
        if !terminal.quiet {
            let mut out = terminal.stderr();
            let _ = writeln!(out, "not finished; continue with: rummage crawl --resume");
        }
        return Ok(Exit::Unfinished);
    }
    // A site whose links could not be seen was not checked, whatever else was found.
    let start = &run.info().start;
    let unseen = |row: &NoteRow| row.note == Note::RenderedByScript && row.url == *start;
    if run.notes()?.iter().any(unseen) {
        return Ok(Exit::Unfinished);
    }
    findings::exit_for(run, args.fail_on, known, terminal)
}

/// Reports patterns of --exclude that excluded nothing: they may not mean what they seem to.
fn report_unused_excludes(run: &OpenRun<'_>, terminal: Terminal) -> Result<(), Failure> {
    let options: CheckOptions = serde_json::from_str(&run.info().options).unwrap_or_default();
    let mut unused: Vec<Pattern> =
        options.exclude.iter().map(|written| Pattern::new(written)).collect();
    if unused.is_empty() {
        return Ok(());
    }
    let excluded = Selection { causes: vec![Cause::Excluded], ..Selection::all() };
    run.query(&excluded)?.for_each(|found| {
        let url = run.url(found.target)?;
        unused.retain(|pattern| !pattern.matches(&url));
        Ok::<_, StoreError>(())
    })?;
    for pattern in unused {
        let written = safe(pattern.as_str()).to_string();
        let hint = if pattern.looks_like_another_kind() {
            "; only * is special in patterns".to_owned()
        } else if written.starts_with('/') {
            let part = written.trim_start_matches('/');
            format!(
                "; with a leading /, it is compared with the start of the path: {part} may be anywhere"
            )
        } else {
            String::new()
        };
        let _ = writeln!(terminal.stderr(), "--exclude '{written}' excluded no URL{hint}");
    }
    Ok(())
}
