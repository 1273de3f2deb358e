//! A job over URLs the user has listed: lists, which belong to no site, and single pages.

use std::collections::HashMap;
use std::time::Duration;

use rummage_core::crawl::{Externals, RobotsRule, Settings, SitemapRule};
use rummage_core::url::scope::Prefix;
use rummage_engine::{Document, LocalFiles};
use rummage_store::{NewRun, Reader, RunInfo, RunKind, RunWriter, StoreError};
use url::Url;

use super::context::JobContext;
use super::{CrawlJob, Earlier};
use crate::args::CheckOptions;
use crate::failure::Failure;

/// The settings of a run over lists, `also` after the first one.
fn of_lists(settings: Settings, also: Vec<Url>, own: Option<&Url>) -> Settings {
    Settings {
        lists: true,
        also,
        externals: Externals::Check,
        robots: RobotsRule::Ignore,
        sitemap: SitemapRule::Named,
        // URLs of the user's own site are checked, not crawled.
        depth: own.map(|_| 0),
        max_pages: None,
        within: own.into_iter().flat_map(Prefix::all_of).collect(),
        ..settings
    }
}

impl CrawlJob {
    /// Checks all URLs in these lists, of which there is at least one. `own` is a URL of the
    /// user's own site, which is requested as quickly as it can take.
    pub(crate) fn probe(
        context: JobContext<'_>,
        lists: Vec<(Url, Document)>,
        own: Option<&Url>,
    ) -> Result<CrawlJob, Failure> {
        let job = context.resolve(None);
        let mut urls: Vec<Url> = lists.iter().map(|(url, _)| url.clone()).collect();
        let first = urls.remove(0);
        let settings = of_lists(job.settings()?, urls, own);
        let documents: HashMap<String, Document> =
            lists.into_iter().map(|(url, document)| (url.into(), document)).collect();
        let mut fetching = job.fetching(own.map_or(&[], std::slice::from_ref))?;
        fetching.local_files = LocalFiles::of_documents(documents);
        // A URL in a list is intended, even if it is private.
        fetching.allow_private = true;
        let new = job.new_run(first.as_str(), RunKind::Probe);
        // A list is not a site: there are no findings to track over time.
        let writer = RunWriter::begin(job.store, new)?;
        Ok(CrawlJob::new(&job, vec![first], settings, fetching, writer))
    }

    /// Continues a run over lists, which the store has.
    pub(crate) fn resume_probe(
        context: JobContext<'_>,
        run: RunInfo,
        lists: Vec<String>,
    ) -> Result<CrawlJob, Failure> {
        let earlier: CheckOptions = serde_json::from_str(&run.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        let job = context.resolve(Some(earlier));
        job.check_headers(&run)?;
        let list = |text: &String| {
            let damaged = |error| StoreError::Damaged(format!("the list {text}: {error}"));
            Url::parse(text).map_err(damaged)
        };
        let mut urls = lists.iter().map(list).collect::<Result<Vec<Url>, _>>()?;
        let first = list(&run.given_start)?;
        urls.retain(|url| *url != first);
        let settings = of_lists(job.settings()?, urls, None);
        let mut fetching = job.fetching(&[])?;
        fetching.allow_private = true;
        let new = NewRun {
            started_at: run.started_at,
            epoch_at: run.epoch_at,
            ..job.new_run(first.as_str(), RunKind::Probe)
        };
        let writer = RunWriter::resume(job.store, run.number, new)?;
        let wall = job.clock.now().duration_since(run.epoch_at);
        let wall = Duration::try_from(wall).unwrap_or_default();
        let reader = Reader::open(job.store)?;
        Ok(CrawlJob {
            under_way: wall.max(run.took),
            earlier: Some(Earlier { reader, run: run.number, site: run.site }),
            ..CrawlJob::new(&job, vec![first], settings, fetching, writer)
        })
    }

    /// Checks only these pages, with all links on them, for a site without earlier runs. If the
    /// first does not respond, `fallback` is tried.
    pub(crate) fn pages_alone(
        context: JobContext<'_>,
        pages: Vec<Url>,
        fallback: Option<Url>,
        draft: Option<Document>,
    ) -> Result<CrawlJob, Failure> {
        let job = context.resolve(None);
        let first = pages[0].clone();
        let mut settings = Settings {
            depth: Some(0),
            sitemap: SitemapRule::None,
            also: pages[1..].to_vec(),
            ..job.settings()?
        };
        let mut fetching = job.fetching(&pages)?;
        if let Some(draft) = draft {
            // A local file: no robots.txt applies.
            settings.robots = RobotsRule::Ignore;
            fetching.local_files = LocalFiles::of_documents([(first.to_string(), draft)].into());
        }
        let writer = job.begin(job.new_run(first.as_str(), RunKind::Page))?;
        let starts = [first].into_iter().chain(fallback).collect();
        Ok(CrawlJob::new(&job, starts, settings, fetching, writer))
    }
}
