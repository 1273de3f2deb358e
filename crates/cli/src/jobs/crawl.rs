//! A crawl, new or continued.

use std::time::Duration;

use rummage_store::{NewRun, Reader, RunInfo, RunKind, StoreError};

use super::context::JobContext;
use super::start_points::StartPoints;
use super::{CrawlJob, Earlier, memory};
use crate::args::CheckOptions;
use crate::failure::Failure;
use crate::start::Start;
use crate::urls;

impl CrawlJob {
    /// A new crawl. With `fresh`, everything is checked, whatever earlier runs have found.
    pub(crate) fn crawl(
        context: JobContext<'_>,
        start: Start,
        fresh: bool,
    ) -> Result<CrawlJob, Failure> {
        let job = JobContext { section: start.site, ..context }.resolve(None);
        let start_points = StartPoints::of(&start.text, &job.options)?;
        let mut settings = job.settings()?;
        let mut fetching = job.fetching(start_points.named())?;
        start_points.apply(&mut settings, &mut fetching);
        let mut new = job.new_run(&start.text, RunKind::Crawl);
        new.site = start_points.site(&start.text);
        // Opening the store for writing creates the file if necessary.
        let writer = job.begin(new.clone())?;
        let reader = Reader::open(job.store)?;
        let site = match &new.site {
            Some(site) => Some(site.clone()),
            None => reader.site_of(&start.text)?,
        }
        .filter(|_| !fresh);
        let memory = match site {
            Some(site) => memory::of_sound(&job, &site, new.started_at)?,
            None => None,
        };
        if let Some((_, epoch_at)) = &memory {
            new.epoch_at = *epoch_at;
        }
        let writer = writer.counting_from(new.epoch_at);
        Ok(CrawlJob {
            under_way: new.looked_back(),
            last: reader.last_crawl_from(&start.text)?,
            unfinished: reader.unfinished().ok().map(|run| run.number),
            explained: start_points.explained(&start.text),
            known_as: start_points.known_as(),
            only_https: start_points.only_https.clone(),
            given_start: start.text,
            ..CrawlJob::new(&job, start_points.starts, settings, fetching, writer)
        }
        .recalling(job.store, memory.map(|(memory, _)| memory)))
    }

    /// Continues a run that was stopped, with its options where none are given now.
    pub(crate) fn resume(context: JobContext<'_>, run: RunInfo) -> Result<CrawlJob, Failure> {
        let earlier: CheckOptions = serde_json::from_str(&run.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        let job = context.resolve(Some(earlier));
        job.check_headers(&run)?;
        let start_points = StartPoints::of(&run.given_start, &job.options)?;
        let mut settings = job.settings()?;
        let mut fetching = job.fetching(start_points.named())?;
        start_points.apply(&mut settings, &mut fetching);
        let new = NewRun {
            started_at: run.started_at,
            epoch_at: run.epoch_at,
            site: Some(run.site.clone()),
            ..job.new_run(&run.given_start, run.kind)
        };
        let looked_back = new.looked_back();
        let writer = job.resume(run.number, new)?;
        // Retries that were due at some time are due at the same time.
        let wall = job.clock.now().duration_since(run.epoch_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        let only_https = start_points.only_https.clone();
        // A recheck starts where its site does.
        let starts = match run.kind {
            RunKind::Crawl => start_points.starts,
            _ => urls::candidates(&run.start)?,
        };
        let reader = Reader::open(job.store)?;
        Ok(CrawlJob {
            under_way: wall.max(run.took + looked_back),
            given_start: run.given_start,
            only_https,
            // The run contains what was taken from earlier runs; everything else is checked.
            earlier: Some(Earlier { reader, run: run.number, site: run.site }),
            ..CrawlJob::new(&job, starts, settings, fetching, writer)
        })
    }
}
