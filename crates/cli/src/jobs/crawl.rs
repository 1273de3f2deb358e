//! A crawl, new or continued.

use rummage_store::{NewRun, Reader, RunInfo, RunKind};

use super::context::JobContext;
use super::start_points::StartPoints;
use super::{CrawlJob, memory};
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
            new.epoch_at = new.epoch_at.min(*epoch_at);
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
        let job = context.resolve_as(&run)?;
        let start_points = StartPoints::of(&run.given_start, &job.options)?;
        let mut settings = job.settings()?;
        let mut fetching = job.fetching(start_points.named())?;
        start_points.apply(&mut settings, &mut fetching);
        let only_https = start_points.only_https.clone();
        // A recheck starts where its site does.
        let starts = match run.kind {
            RunKind::Crawl => start_points.starts,
            _ => urls::candidates(&run.start)?,
        };
        let site = Some(run.site.clone());
        let new = NewRun { site, ..job.continued(&run) };
        let writer = job.resume(run.number, new)?;
        let resumed = CrawlJob::new(&job, starts, settings, fetching, writer);
        Ok(CrawlJob { only_https, ..resumed.continuing(&job, run)? })
    }
}
