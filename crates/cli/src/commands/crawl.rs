//! `rummage crawl`: from what was typed to a crawl, and from its end to an exit code.

use std::io::Write;
use std::path::Path;
use std::time::Duration;

use rummage_core::crawl::{Crawl, Note, Settings};
use rummage_core::selection::Selection;
use rummage_engine::{Clock, Config, Ended, Fetcher, Job};
use rummage_store::{Memory, NewRun, NoteRow, Reader, RunKind, RunState, RunWriter, StoreError};
use rummage_view::Listing;
use url::Url;

use super::plain::{config, settings};
use super::{findings, memory};
use crate::args::{Asking, CrawlArgs, Everywhere, FINDINGS, Showing};
use crate::config::{self as settings_file, Placeholders, Section};
use crate::failure::{Exit, Failure};
use crate::signals::stop_on_signal;
use crate::start::Start;
use crate::watch::Teller;
use crate::{choice, output, paths, start, waivers};

pub(crate) fn run(args: CrawlArgs, everywhere: &Everywhere) -> Result<Exit, Failure> {
    // Whatever is wrong with the words is said before anything is asked.
    args.showing.listing(everywhere.verbose)?;
    let config = settings_file::Config::load(everywhere.config.as_deref())?;
    let store = paths::store(everywhere.store.as_deref(), &config)?;
    waivers::File::load(&config, &store)?;
    let plan = if args.resume {
        Plan::resume(&store, &args, &config, everywhere)?
    } else {
        let start = start::resolve(args.start.as_deref(), &config, everywhere.site.as_deref())?;
        Plan::begin(&store, start, &args, &config)?
    };
    let runtime = runtime()?;
    let mut teller = Teller::new(everywhere, plan.asked_for.clone(), plan.last_time);
    if let Some(site) = &plan.section {
        teller.handle_settings(site);
    }
    if let Some(run) = plan.unfinished {
        teller.say(&format!(
            "run {run} was not finished; this is a new run, and rummage crawl --resume can still \
             go on with that one"
        ));
    }
    let section = plan.section.clone();
    let ended = runtime.block_on(drive(plan, &mut teller));
    teller.finish();
    let ended = ended?;
    if ended.run == 0 {
        let mut out = output::stderr(everywhere.color);
        let _ = writeln!(out, "stopped before the start had answered: nothing was found yet");
        return Ok(Exit::Unfinished);
    }
    let settled = config.settled(section.as_deref());
    let reader = paths::reader(&store, &config)?;
    show(&args, everywhere, &reader, &settled, ended)
}

/// The threads that ask.
pub(super) fn runtime() -> Result<tokio::runtime::Runtime, Failure> {
    tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| Failure::System { what: "no threads could be started", why })
}

/// Ends just as `rummage findings` does, and writes the files that the settings name.
/// Somebody who closed our output still gets the exit code of the crawl.
fn show(
    args: &CrawlArgs,
    everywhere: &Everywhere,
    reader: &Reader,
    settled: &Section,
    ended: Ended,
) -> Result<Exit, Failure> {
    let run = reader.open_run(reader.run(ended.run)?)?;
    let listing = Listing {
        editor_link: settled.own.editor_link.clone(),
        ..args.showing.listing(everywhere.verbose)?
    };
    let selection = args.selecting.selection(FINDINGS);
    let shown = findings::show(reader, &run, &selection, &listing, &args.showing, everywhere);
    match shown {
        Err(failure) if failure.is_closed_pipe() => {}
        shown => shown?,
    }
    for file in &settled.own.write {
        let showing = Showing::of_file(file);
        let listing = Listing {
            editor_link: settled.own.editor_link.clone(),
            ..showing.listing(everywhere.verbose)?
        };
        let all = Selection::default();
        findings::show(reader, &run, &all, &listing, &showing, everywhere)?;
    }
    if ended.state == RunState::Stopped {
        if !everywhere.quiet {
            let mut out = output::stderr(everywhere.color);
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

/// All that is known before the first request.
struct Plan {
    asked_for: String,
    /// The name of its section in the settings file.
    section: Option<String>,
    starts: Vec<Url>,
    settings: Settings,
    config: Config,
    writer: RunWriter,
    last_time: Option<Duration>,
    /// A run that waits to be finished, and is not this one.
    unfinished: Option<i64>,
    /// The run that goes on.
    earlier: Option<Earlier>,
    /// How long its moments have been counted when it begins.
    under_way: Duration,
    /// What earlier runs have seen, and need not be asked.
    memory: Option<Memory>,
}

/// A run that was stopped before its end.
struct Earlier {
    reader: Reader,
    run: i64,
    site: String,
}

impl Plan {
    fn begin(
        store: &Path,
        start: Start,
        args: &CrawlArgs,
        file: &settings_file::Config,
    ) -> Result<Plan, Failure> {
        let settled = file.settled(start.site.as_deref());
        let asking = args.asking.clone().or(settled.asking.clone());
        let starts = start::candidates(&start.text)?;
        let config = config(&asking)?;
        // The file is there when it is opened to write.
        let mut new = new_run(&start.text, &asking, &settled);
        let writer = RunWriter::begin(store, new.clone())?;
        let reader = Reader::open(store)?;
        let site = reader.site_of(&start.text)?.filter(|_| !args.fresh);
        let memory = match site {
            Some(site) => memory::of_sound(store, &site, &settled, &asking, new.started_at)?,
            None => None,
        };
        if let Some((_, epoch_at)) = &memory {
            new.epoch_at = *epoch_at;
        }
        let writer = writer.counting_from(new.epoch_at);
        Ok(Plan {
            under_way: new.looked_back(),
            memory: memory.map(|(memory, _)| memory),
            last_time: reader.last_time(&start.text)?,
            unfinished: reader.unfinished().ok().map(|replay| replay.run.number),
            settings: settings(&asking, &settled)?,
            asked_for: start.text,
            section: start.site,
            starts,
            config,
            writer,
            earlier: None,
        })
    }

    fn resume(
        store: &Path,
        args: &CrawlArgs,
        file: &settings_file::Config,
        everywhere: &Everywhere,
    ) -> Result<Plan, Failure> {
        let reader = Reader::open(store)?;
        let replay = reader.unfinished()?;
        let earlier: Asking = serde_json::from_str(&replay.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        let section = choice::name_of(file, everywhere, &replay.run.site);
        let settled = file.settled(section.as_deref());
        // What a run keeps has no secrets: these come from the settings once more.
        let asking = args.asking.clone().or(earlier).or(settled.asking.clone());
        let asked_for = replay.run.asked_for.clone();
        let config = config(&asking)?;
        let number = replay.run.number;
        let new = NewRun {
            started_at: replay.run.started_at,
            epoch_at: replay.run.epoch_at,
            kind: replay.run.kind,
            ..new_run(&asked_for, &asking, &settled)
        };
        let looked_back = new.looked_back();
        let writer = RunWriter::resume(store, number, new)?;
        // What is due waits for no longer than it would have.
        let wall = jiff::Timestamp::now().duration_since(replay.run.epoch_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        let under_way = wall.max(replay.run.took + looked_back);
        // A recheck begins where its site does.
        let starts = match replay.run.kind {
            RunKind::Crawl => start::candidates(&asked_for)?,
            RunKind::Recheck => start::candidates(&replay.run.start)?,
        };
        Ok(Plan {
            under_way,
            // What was told of earlier runs stands in this one; what was not is asked.
            memory: None,
            starts,
            asked_for,
            section,
            settings: settings(&asking, &settled)?,
            config,
            writer,
            last_time: None,
            unfinished: None,
            earlier: Some(Earlier { reader, run: number, site: replay.run.site }),
        })
    }
}

pub(super) fn new_run(asked_for: &str, asking: &Asking, settled: &Section) -> NewRun {
    let json = |asking: &Asking| serde_json::to_string(asking).expect("options are plain data");
    let placeholders = settled.own.placeholders == Some(Placeholders::Broken);
    // Moments are kept in microseconds: what is told of them later is the same to the digit.
    let now = jiff::Timestamp::now();
    let now = jiff::Timestamp::from_microsecond(now.as_microsecond()).unwrap_or(now);
    NewRun {
        asked_for: asked_for.to_owned(),
        options: json(&asking.without_secrets()),
        bounds: json(&asking.bounds()),
        version: env!("CARGO_PKG_VERSION").to_owned(),
        started_at: now,
        kind: RunKind::Crawl,
        own_fields: !asking.header.is_empty(),
        epoch_at: now,
        placeholders_are_broken: placeholders,
    }
}

async fn drive(plan: Plan, teller: &mut Teller) -> Result<Ended, Failure> {
    let mut crawl = Crawl::new(plan.settings, plan.starts.clone());
    let mut writer = plan.writer;
    if let Some(earlier) = plan.earlier {
        replay(&earlier, &mut crawl, &mut writer)?;
        let pages = rummage_view::count(crawl.progress().pages);
        let Earlier { run, site, .. } = earlier;
        teller.say(&format!("going on with run {run} of {site}: pages read so far: {pages}"));
    }
    let clock = Clock::starting_at(plan.under_way);
    let fetcher = Fetcher::new(plan.config, clock);
    if let Some(start) = plan.starts.first() {
        fetcher.handle_start(start).await;
    }
    let stop = stop_on_signal();
    let job = Job { crawl, fetcher, clock, writer, stop, recheck: None, memory: plan.memory };
    Ok(rummage_engine::crawl(job, teller).await?)
}

/// Tells the crawl once more what it was told before, and lets the writer find its
/// way back in.
fn replay(earlier: &Earlier, crawl: &mut Crawl, writer: &mut RunWriter) -> Result<(), StoreError> {
    earlier.reader.for_each_reply(earlier.run, |address, reply| {
        // An address that new settings leave out is not heard of again.
        crawl.handle_replayed(address, reply);
        while let Some(event) = crawl.poll_event() {
            writer.handle_event(event)?;
        }
        Ok(())
    })?;
    writer.handle_replayed();
    crawl.handle_resumed();
    writer.commit()
}
