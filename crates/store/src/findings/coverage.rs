//! What a run could see of the findings of another.

use std::collections::HashSet;

use rummage_core::findings::compare::{Coverage, PageCoverage, TargetCoverage, would_have_found};
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::Connection;

use crate::db::error::StoreError;
use crate::model::{RunInfo, RunState, StoredUrl};
use crate::read::open::OpenRun;
use crate::tables::page_order;
use crate::tables::url_status::UrlStatuses;

/// The coverage of a run, compared with another.
#[derive(Debug)]
pub(crate) struct RunCoverage<'a> {
    url_statuses: std::borrow::Cow<'a, UrlStatuses>,
    read: HashSet<u32>,
    whole: bool,
    other_rules: bool,
}

impl<'a> RunCoverage<'a> {
    /// The coverage of a run for the findings of `other`.
    pub(crate) fn new(
        db: &Connection,
        run: RunInfo,
        other: &RunInfo,
    ) -> Result<RunCoverage<'a>, StoreError> {
        let url_statuses = std::borrow::Cow::Owned(UrlStatuses::of_run(db, run.number)?);
        let read = page_order::pages(db, run.number)?.iter().map(|page| page.url).collect();
        Ok(RunCoverage { url_statuses, read, ..RunCoverage::bare(&run, other) })
    }

    /// The same for an open run.
    pub(crate) fn of(run: &'a OpenRun<'_>, other: &RunInfo) -> RunCoverage<'a> {
        let read = run.pages.iter().map(|page| page.url).collect();
        let url_statuses = std::borrow::Cow::Borrowed(&run.url_statuses);
        RunCoverage { url_statuses, read, ..RunCoverage::bare(&run.info, other) }
    }

    fn bare(run: &RunInfo, other: &RunInfo) -> RunCoverage<'a> {
        RunCoverage {
            url_statuses: std::borrow::Cow::Owned(UrlStatuses::default()),
            read: HashSet::new(),
            whole: run.state == RunState::Finished && run.bounds == other.bounds,
            other_rules: run.rules != other.rules,
        }
    }

    /// Whether the run would have had a finding of the other, if it had been present.
    pub(crate) fn would_have_found(
        &self,
        page: StoredUrl,
        target: StoredUrl,
        cause: Option<Cause>,
        status: Option<u16>,
    ) -> bool {
        let said = self.url_statuses.of(target.0);
        // If anchors were not checked, none could be missing.
        let unlooked = cause == Some(Cause::NoSuchFragment) && !self.whole;
        would_have_found(Coverage {
            page: self.page(page.0),
            target: match said {
                None => TargetCoverage::Unknown,
                Some(said) if said.verdict == Verdict::Skipped => TargetCoverage::Skipped,
                Some(_) => TargetCoverage::Judged,
            },
            whole: self.whole,
            learned: unlooked
                || (self.other_rules && said.is_some_and(|said| said.status() == status)),
        })
    }

    /// Whether the run parsed a page.
    pub(crate) fn has_read(&self, page: StoredUrl) -> bool {
        self.read.contains(&page.0)
    }

    fn page(&self, page: u32) -> PageCoverage {
        if self.read.contains(&page) {
            return PageCoverage::Read;
        }
        match self.url_statuses.of(page) {
            None => PageCoverage::Gone,
            Some(said) if said.verdict == Verdict::Broken => PageCoverage::Gone,
            Some(_) => PageCoverage::NotParsed,
        }
    }
}
