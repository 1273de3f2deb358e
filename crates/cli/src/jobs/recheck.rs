//! A recheck: some URLs are checked again, everything else keeps the results of the last run.

use std::collections::HashSet;

use rummage_core::crawl::Settings;
use rummage_core::findings::selection::Selection;
use rummage_engine::Recheck;
use rummage_store::{
    Memory, NewRun, OpenRun, Reader, RunInfo, RunKind, RunState, StoreError, StoredUrl,
};
use rummage_view::safe;
use url::Url;

use super::CrawlJob;
use super::context::JobContext;
use super::memory::reads_alike;
use super::pages::with_pages;
use super::plain::options_of;
use super::start_points::StartPoints;
use crate::failure::Failure;

/// For each URL that is due, this many of the pages that link to it are fetched again.
pub(crate) const PAGES_OF_DUE: u32 = 3;

/// For a URL that the user names, all pages are.
pub(crate) const ALL_PAGES: u32 = u32::MAX;

impl CrawlJob {
    /// A recheck of targets of a run, and of up to this many pages with links to each.
    pub(crate) fn recheck(
        context: JobContext<'_>,
        run: &OpenRun<'_>,
        targets: &[StoredUrl],
        pages: u32,
    ) -> Result<CrawlJob, Failure> {
        let again = run.to_recheck(targets, pages)?;
        let what = RecheckPlan { again, kind: RunKind::Recheck, also: Vec::new() };
        CrawlJob::again(context, run, what)
    }

    /// A check of these pages of a site with earlier runs, with all links on them; everything
    /// else is kept.
    pub(crate) fn pages(
        context: JobContext<'_>,
        run: &OpenRun<'_>,
        pages: Vec<Url>,
    ) -> Result<CrawlJob, Failure> {
        let mut again: HashSet<String> = pages.iter().map(|url| url.to_string()).collect();
        for page in &pages {
            let Some((page, _)) =
                run.find(page.as_str(), 1)?.into_iter().find(|(_, url)| url == page.as_str())
            else {
                continue;
            };
            for hop in run.way(page)? {
                again.insert(hop.url.clone());
                let on = run.find(&hop.url, 1)?.into_iter().map(|(url, _)| url);
                let targets =
                    on.map(|page| targets_on(run, page)).collect::<Result<Vec<_>, _>>()?;
                again.extend(run.to_recheck(&targets.concat(), 0)?);
            }
        }
        let what = RecheckPlan { again, kind: RunKind::Page, also: pages };
        CrawlJob::again(context, run, what)
    }

    fn again(
        context: JobContext<'_>,
        run: &OpenRun<'_>,
        what: RecheckPlan,
    ) -> Result<CrawlJob, Failure> {
        let RecheckPlan { mut again, kind, also } = what;
        let base = run.info();
        let job = context.resolve(Some(options_of(run)?));
        job.check_headers(base)?;
        let start = Url::parse(&base.start)
            .map_err(|error| StoreError::Damaged(format!("the start URL: {error}")))?;
        // The start URL is always requested, to see whether the site is up.
        again.insert(base.start.clone());
        let site = Some(base.site.clone());
        let new = NewRun { epoch_at: base.epoch_at, site, ..job.new_run(&base.given_start, kind) };
        let new = match kind {
            RunKind::Page => with_pages(&job, new, &also, false),
            _ => new,
        };
        let mut memory = Memory::of_run(Reader::open(job.store)?, base, base.epoch_at, &again)?;
        if reads_alike(base, &job.options) {
            memory = memory.with_pages(base.number)?;
        }
        let mut settings = Settings { by_get: true, ..job.settings()? };
        // The user did not name where the start URL redirected.
        let start_points = StartPoints::of(&base.given_start, &job.options)?;
        let named = [start_points.named(), &also].concat();
        let mut fetching = job.fetching(&named)?;
        start_points.apply(&mut settings, &mut fetching);
        settings.also.extend(also);
        let under_way = new.looked_back();
        let writer = job.begin(new)?;
        let recheck = Recheck { reader: Reader::open(job.store)?, run: base.number, again };
        Ok(CrawlJob {
            given_start: base.given_start.clone(),
            under_way,
            recheck: Some(recheck),
            ..CrawlJob::new(&job, vec![start], settings, fetching, writer)
        }
        .recalling(job.store, Some(memory)))
    }

    /// How many URLs a recheck requests.
    pub(crate) fn rechecked(&self) -> usize {
        self.recheck.as_ref().map_or(0, |recheck| recheck.again.len())
    }
}

/// What is checked again, and as what kind of run it is stored.
struct RecheckPlan {
    again: HashSet<String>,
    kind: RunKind,
    /// Pages that are fetched whether or not links lead there.
    also: Vec<Url>,
}

/// The targets of the links on a page.
fn targets_on(run: &OpenRun<'_>, page: StoredUrl) -> Result<Vec<StoredUrl>, StoreError> {
    let selection = Selection::all();
    let mut targets = Vec::new();
    if let Some(query) = run.query_on(page, &selection)? {
        query.for_each(|found| {
            targets.push(found.target);
            Ok::<_, StoreError>(())
        })?;
    }
    Ok(targets)
}

/// The last finished run: what a stopped run did not reach is unknown.
pub(crate) fn finished(reader: &Reader, last: RunInfo) -> Result<RunInfo, Failure> {
    if last.state == RunState::Finished {
        return Ok(last);
    }
    reader.last_finished_of(&last.site)?.ok_or_else(|| Failure::Usage {
        what: format!("no run of {} is finished", safe(&last.site)),
        hint: "Continue it first: rummage crawl --resume".to_owned(),
    })
}
