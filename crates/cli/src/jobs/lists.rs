//! A job over lists of URLs, which belong to no site.

use std::collections::HashMap;

use rummage_core::crawl::{Externals, RobotsRule, Settings, SitemapRule};
use rummage_core::url::scope::Prefix;
use rummage_engine::{Document, LocalFiles};
use rummage_store::{RunInfo, RunKind, RunWriter, StoreError};
use url::Url;

use super::CrawlJob;
use super::context::JobContext;
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
        let job = CrawlJob::probe_with(context, lists, own, LocalFiles::default())?;
        // A URL in a list is intended, even if it is private.
        Ok(job.allowing_private())
    }

    /// The same, with files that are read instead of requested. Private addresses are requested
    /// as in a crawl of the user's own site.
    pub(super) fn probe_with(
        context: JobContext<'_>,
        lists: Vec<(Url, Document)>,
        own: Option<&Url>,
        files: LocalFiles,
    ) -> Result<CrawlJob, Failure> {
        let job = context.resolve(None);
        let mut urls: Vec<Url> = lists.iter().map(|(url, _)| url.clone()).collect();
        let first = urls.remove(0);
        let settings = of_lists(job.settings()?, urls, own);
        let documents: HashMap<String, Document> =
            lists.into_iter().map(|(url, document)| (url.into(), document)).collect();
        let mut fetching = job.fetching(own.map_or(&[], std::slice::from_ref))?;
        fetching.local_files = files.with_documents(documents);
        let new = job.new_run(first.as_str(), RunKind::Probe);
        // A list is not a site: there are no findings to track over time.
        let writer = RunWriter::begin(job.store, new)?;
        let own = own.cloned();
        Ok(CrawlJob { own, ..CrawlJob::new(&job, vec![first], settings, fetching, writer) })
    }

    /// Continues a run over lists, which the store has.
    pub(crate) fn resume_probe(
        context: JobContext<'_>,
        run: RunInfo,
        lists: Vec<String>,
    ) -> Result<CrawlJob, Failure> {
        let job = context.resolve_as(&run)?;
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
        let writer = RunWriter::resume(job.store, run.number, job.continued(&run))?;
        CrawlJob::new(&job, vec![first], settings, fetching, writer).continuing(&job, run)
    }
}
