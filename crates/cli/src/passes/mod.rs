//! One pass over a site, from settings to a run in the store: a crawl, one that goes on,
//! a recheck. Nothing here shows anything: who wants to know, [hears](Hear).

mod beginning;
mod crawl;
mod due;
mod given;
mod means;
mod memory;
pub(crate) mod plain;
mod recheck;

use std::path::Path;
use std::time::Duration;

use rummage_core::crawl::{Crawl, Settings};
use rummage_engine::{Clock, Config, Ended, Fetcher, Job, Recheck, Remember, Stop, Watch};
use rummage_store::{Memory, Reader, RunWriter, StoreError};
use url::Url;

use crate::failure::Failure;

pub(crate) use beginning::folder;
pub(crate) use due::{due_by, plan};
pub(crate) use means::Means;
use means::Settled;
pub(crate) use recheck::{ALL_PAGES, PAGES_OF_DUE, finished};

/// Somebody who hears what happens, and what there is to say beside it.
pub(crate) trait Hear: Watch {
    /// A line.
    fn say(&mut self, text: &str);
}

/// All that is known before the first request.
pub(crate) struct Pass {
    /// The start, as it was given.
    pub(crate) asked_for: String,
    /// The name of its section in the settings file.
    pub(crate) section: Option<String>,
    /// How long a crawl from there took last time.
    pub(crate) last_time: Option<Duration>,
    /// A run that waits to be finished, and is not this one.
    pub(crate) unfinished: Option<i64>,
    starts: Vec<Url>,
    settings: Settings,
    fetching: Config,
    writer: RunWriter,
    /// How long its moments have been counted when it begins.
    under_way: Duration,
    /// The run that goes on.
    earlier: Option<Earlier>,
    /// The run that is checked again.
    recheck: Option<Recheck>,
    /// What earlier runs have seen, and need not be asked.
    memory: Option<Memory>,
    /// The same of pages that have not changed.
    remember: Option<Remember>,
    /// How many requests it may make.
    budget: Option<u64>,
    /// What is to be said of where it begins.
    explained: Option<String>,
    /// The start as people know it, where it is not what was asked for: of a folder, where it
    /// lives.
    pub(crate) known_as: Option<String>,
}

/// A run that was stopped before its end.
struct Earlier {
    reader: Reader,
    run: i64,
    site: String,
}

impl Pass {
    /// A pass that knows of nothing before it.
    fn new(
        settled: &Settled<'_>,
        starts: Vec<Url>,
        settings: Settings,
        fetching: Config,
        writer: RunWriter,
    ) -> Pass {
        Pass {
            asked_for: starts.first().map(Url::to_string).unwrap_or_default(),
            section: settled.section.clone(),
            last_time: None,
            unfinished: None,
            starts,
            settings,
            fetching,
            writer,
            under_way: Duration::ZERO,
            earlier: None,
            recheck: None,
            memory: None,
            remember: None,
            budget: None,
            explained: None,
            known_as: None,
        }
    }

    /// The same, with what earlier runs have seen.
    fn remembering(self, store: &Path, memory: Option<Memory>) -> Pass {
        let run = memory.as_ref().and_then(Memory::run_of_pages);
        let store = store.to_owned();
        let open =
            |run| -> Remember { Box::new(move || Memory::of_pages(Reader::open(&store)?, run)) };
        Pass { memory, remember: run.map(open), ..self }
    }

    /// The same, with so many requests at most.
    pub(crate) fn within(self, budget: Option<u64>) -> Pass {
        Pass { budget, ..self }
    }

    /// Asks, until it ends or is stopped.
    pub(crate) async fn drive(self, stop: Stop, hear: &mut dyn Hear) -> Result<Ended, Failure> {
        if let Some(explained) = &self.explained {
            hear.say(explained);
        }
        let mut crawl = Crawl::new(self.settings, self.starts.clone());
        let mut writer = self.writer;
        if let Some(earlier) = self.earlier {
            replay(&earlier, &mut crawl, &mut writer)?;
            let pages = rummage_view::count(crawl.progress().pages);
            let Earlier { run, site, .. } = earlier;
            hear.say(&format!("going on with run {run} of {site}: pages read so far: {pages}"));
        }
        let clock = Clock::starting_at(self.under_way);
        let fetcher = Fetcher::new(self.fetching, clock);
        if let Some(start) = self.starts.first() {
            fetcher.handle_start(start).await;
        }
        let Pass { recheck, memory, remember, budget, .. } = self;
        let job = Job { crawl, fetcher, clock, writer, stop, recheck, memory, remember, budget };
        Ok(rummage_engine::crawl(job, hear).await?)
    }
}

/// The threads that ask.
pub(crate) fn runtime() -> Result<tokio::runtime::Runtime, Failure> {
    tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| Failure::System { what: "no threads could be started", why })
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
