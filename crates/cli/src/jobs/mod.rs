//! One job on a site, from settings to a run in the store: a crawl, a continued crawl, a recheck.
//! Nothing here produces output: that is up to a [`Reporter`].

mod context;
mod crawl;
mod credentials;
mod due;
mod lists;
mod memory;
mod page_sources;
mod pages;
pub(crate) mod plain;
mod recheck;
mod start_points;
mod trial;

use std::path::Path;
use std::time::Duration;

use rummage_core::crawl::{Crawl, Settings};
use rummage_engine::{
    CacheLookup, Clock, Config, Ended, EngineError, Fetch, Fetcher, Job, Observer, Recheck, Stop,
};
use rummage_store::{LastRun, Memory, Reader, RunInfo, RunWriter, StoreError};
use url::Url;

use crate::failure::Failure;

pub(crate) use context::JobContext;
use context::JobSettings;
pub(crate) use due::{due_by, plan};
pub(crate) use page_sources::PageSources;
pub(crate) use pages::pages_of;
pub(crate) use recheck::{ALL_PAGES, PAGES_OF_DUE, finished};
pub(crate) use start_points::{StartPoints, folder};
pub(crate) use trial::Trial;

/// Reports the progress of a job, and messages about it.
pub(crate) trait Reporter: Observer {
    /// Shows one line.
    fn say(&mut self, text: &str);
}

/// Everything known before the first request.
pub(crate) struct CrawlJob {
    /// The start URL, as it was given.
    pub(crate) given_start: String,
    /// The name of its section in the settings file.
    pub(crate) section: Option<String>,
    /// How long a crawl from this start URL took last time.
    pub(crate) last: Option<LastRun>,
    /// An unfinished run other than this one.
    pub(crate) unfinished: Option<i64>,
    starts: Vec<Url>,
    settings: Settings,
    fetching: Config,
    writer: RunWriter,
    /// How long the run's clock has been running when the job begins.
    under_way: Duration,
    /// The run that is continued.
    earlier: Option<Earlier>,
    /// The run that is rechecked.
    recheck: Option<Recheck>,
    /// What earlier runs know, and need not be requested.
    memory: Option<Memory>,
    /// The same for pages that have not changed.
    remember: Option<CacheLookup>,
    /// How many requests it may make.
    budget: Option<u64>,
    /// A message about where it begins.
    explained: Option<String>,
    /// The start URL as shown, if not as given: for a folder, the URL at which it will be
    /// published.
    pub(crate) known_as: Option<String>,
    /// The http URL that is not tried after https, because credentials are sent.
    only_https: Option<Url>,
    /// A URL of the user's own site, if the job does not start there: private addresses may be
    /// requested as if it did.
    own: Option<Url>,
}

/// A run that was stopped before its end.
struct Earlier {
    reader: Reader,
    run: i64,
    site: String,
}

impl CrawlJob {
    /// A job without earlier results.
    fn new(
        job: &JobSettings<'_>,
        starts: Vec<Url>,
        settings: Settings,
        fetching: Config,
        writer: RunWriter,
    ) -> CrawlJob {
        CrawlJob {
            given_start: starts.first().map(Url::to_string).unwrap_or_default(),
            section: job.section.clone(),
            last: None,
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
            only_https: None,
            own: None,
        }
    }

    /// The same; private addresses may be requested.
    fn allowing_private(mut self) -> CrawlJob {
        self.fetching.allow_private = true;
        self
    }

    /// The same, with results of earlier runs.
    fn recalling(self, store: &Path, memory: Option<Memory>) -> CrawlJob {
        let run = memory.as_ref().and_then(Memory::run_of_pages);
        let store = store.to_owned();
        let open =
            |run| -> CacheLookup { Box::new(move || Memory::of_pages(Reader::open(&store)?, run)) };
        CrawlJob { memory, remember: run.map(open), ..self }
    }

    /// The same, as the continuation of a run. It contains what was taken from earlier runs;
    /// everything else is checked.
    fn continuing(self, job: &JobSettings<'_>, run: RunInfo) -> Result<CrawlJob, Failure> {
        // Retries that were due at some time are due at the same time.
        let wall = job.clock.now().duration_since(run.epoch_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        let looked_back = run.started_at.duration_since(run.epoch_at);
        let looked_back = Duration::try_from(looked_back).unwrap_or_default();
        let reader = Reader::open(job.store)?;
        Ok(CrawlJob {
            under_way: wall.max(run.took + looked_back),
            given_start: run.given_start,
            earlier: Some(Earlier { reader, run: run.number, site: run.site }),
            ..self
        })
    }

    /// The same; with `accepts`, its result is believed, however suspicious.
    pub(crate) fn accepting(self, accepts: bool) -> CrawlJob {
        CrawlJob { writer: self.writer.accepting(accepts), ..self }
    }

    /// The same, with a limit on requests.
    pub(crate) fn within(self, budget: Option<u64>) -> CrawlJob {
        CrawlJob { budget, ..self }
    }

    /// Runs the job until it ends or is stopped.
    pub(crate) async fn drive(
        self,
        stop: Stop,
        reporter: &mut dyn Reporter,
    ) -> Result<Ended, Failure> {
        self.drive_by(|fetcher, _| fetcher, stop, reporter).await
    }

    /// The same, with requests made by something around the fetcher.
    pub(crate) async fn drive_by<F: Fetch>(
        self,
        around: impl FnOnce(Fetcher, Clock) -> F,
        stop: Stop,
        reporter: &mut dyn Reporter,
    ) -> Result<Ended, Failure> {
        if let Some(explained) = &self.explained {
            reporter.say(explained);
        }
        let mut crawl = Crawl::new(self.settings, self.starts.clone());
        let mut writer = self.writer;
        if let Some(earlier) = self.earlier {
            replay(&earlier, &mut crawl, &mut writer)?;
            let pages = rummage_view::count(crawl.progress().pages);
            let Earlier { run, site, .. } = earlier;
            reporter.say(&format!("continuing run {run} of {site}; {pages} pages parsed so far"));
        }
        let clock = Clock::starting_at(self.under_way);
        let fetcher = Fetcher::new(self.fetching, clock);
        if let Some(start) = self.own.as_ref().or(self.starts.first()) {
            fetcher.handle_start(start).await;
        }
        let CrawlJob { recheck, memory, remember, budget, .. } = self;
        let fetching = fetcher.clone();
        let fetcher = around(fetcher, clock);
        let job = Job { crawl, fetcher, clock, writer, stop, recheck, memory, remember, budget };
        let ended = rummage_engine::crawl(job, reporter).await.map_err(|error| match error {
            EngineError::Start(problem) => {
                let hint = credentials::hint(&problem, &fetching, self.only_https.as_ref());
                Failure::Start { problem, hint }
            }
            error => error.into(),
        })?;
        if let Some(warning) = credentials::warning(&fetching) {
            reporter.say(&warning);
        }
        Ok(ended)
    }
}

/// The threads that make requests.
pub(crate) fn runtime() -> Result<tokio::runtime::Runtime, Failure> {
    // Files are read by two threads for each core. With more, each keeps memory for itself.
    let cores = std::thread::available_parallelism().map_or(2, usize::from);
    tokio::runtime::Builder::new_multi_thread()
        .max_blocking_threads(2 * cores + 2)
        .enable_all()
        .build()
        .map_err(|reason| Failure::System { what: "cannot start threads", reason })
}

/// Replays the earlier part of the run into the crawl and the writer.
fn replay(earlier: &Earlier, crawl: &mut Crawl, writer: &mut RunWriter) -> Result<(), StoreError> {
    earlier.reader.for_each_reply(earlier.run, |url, reply| {
        // The crawl ignores a URL that new settings exclude.
        crawl.handle_replayed(url, reply);
        while let Some(event) = crawl.poll_event() {
            writer.handle_event(event)?;
        }
        Ok(())
    })?;
    writer.handle_replayed();
    crawl.handle_resumed();
    writer.commit()
}
