//! A check of single pages: of a site with earlier runs, or alone.

use rummage_core::crawl::{RobotsRule, Settings, SitemapRule};
use rummage_engine::{Document, LocalFiles};
use rummage_store::{NewRun, RunInfo, RunKind, StoreError};
use serde::{Deserialize, Serialize};
use url::Url;

use super::CrawlJob;
use super::context::{JobContext, JobSettings};
use super::start_points::StartPoints;
use crate::args::CheckOptions;
use crate::failure::Failure;

/// The pages of a run, as its options store them.
#[derive(Debug, Serialize, Deserialize)]
struct StoredPages {
    pages: Vec<String>,
    /// They are all that is checked.
    alone: bool,
}

/// The options of a run, and its pages.
#[derive(Debug, Serialize)]
struct OptionsWithPages {
    #[serde(flatten)]
    options: CheckOptions,
    #[serde(flatten)]
    pages: StoredPages,
}

/// The same run, which stores its pages as well.
pub(super) fn with_pages(job: &JobSettings<'_>, run: NewRun, pages: &[Url], alone: bool) -> NewRun {
    let pages = pages.iter().map(Url::to_string).collect();
    let options = job.options.without_secrets();
    let stored = OptionsWithPages { options, pages: StoredPages { pages, alone } };
    let options = serde_json::to_string(&stored).expect("options are plain data");
    NewRun { options, ..run }
}

/// The pages that were given to a run.
///
/// # Errors
/// If it is from a version that did not store them.
pub(crate) fn pages_of(run: &RunInfo) -> Result<Vec<Url>, Failure> {
    Ok(stored(run)?.0)
}

/// The pages that were given to a run, of which there is at least one, and whether they are all
/// that is checked.
fn stored(run: &RunInfo) -> Result<(Vec<Url>, bool), Failure> {
    let stored: Option<StoredPages> = serde_json::from_str(&run.options).ok();
    let read = |StoredPages { pages, alone }| {
        let pages: Option<Vec<Url>> = pages.iter().map(|page| Url::parse(page).ok()).collect();
        Some((pages.filter(|pages| !pages.is_empty())?, alone))
    };
    stored.and_then(read).ok_or_else(|| Failure::Usage {
        what: format!("run {} does not say which pages it was to check", run.number),
        hint: "Check them anew: rummage page URL".to_owned(),
    })
}

/// Only pages, and the links on them.
fn alone(settings: Settings, also: &[Url]) -> Settings {
    Settings { depth: Some(0), sitemap: SitemapRule::None, also: also.to_vec(), ..settings }
}

impl CrawlJob {
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
        let mut settings = alone(job.settings()?, &pages[1..]);
        let mut fetching = job.fetching(&pages)?;
        if let Some(draft) = draft {
            // A local file: no robots.txt applies.
            settings.robots = RobotsRule::Ignore;
            fetching.local_files = LocalFiles::of_documents([(first.to_string(), draft)].into());
        }
        let new = with_pages(&job, job.new_run(first.as_str(), RunKind::Page), &pages, true);
        let writer = job.begin(new)?;
        let starts = [first].into_iter().chain(fallback).collect();
        Ok(CrawlJob::new(&job, starts, settings, fetching, writer))
    }

    /// Continues a check of pages that was stopped.
    pub(crate) fn resume_pages(context: JobContext<'_>, run: RunInfo) -> Result<CrawlJob, Failure> {
        let (pages, is_alone) = stored(&run)?;
        let job = context.resolve_as(&run)?;
        let start = Url::parse(&run.start)
            .map_err(|error| StoreError::Damaged(format!("the start URL: {error}")))?;
        let (settings, fetching) = if is_alone {
            (alone(job.settings()?, &pages[1..]), job.fetching(&pages)?)
        } else {
            // The user did not name where the start URL redirected.
            let start_points = StartPoints::of(&run.given_start, &job.options)?;
            let named = [start_points.named(), &pages].concat();
            let mut settings = Settings { by_get: true, ..job.settings()? };
            let mut fetching = job.fetching(&named)?;
            start_points.apply(&mut settings, &mut fetching);
            settings.also.extend(pages);
            (settings, fetching)
        };
        let site = (!is_alone).then(|| run.site.clone());
        let new = NewRun { site, ..job.continued(&run) };
        let writer = job.resume(run.number, new)?;
        CrawlJob::new(&job, vec![start], settings, fetching, writer).continuing(&job, run)
    }
}
