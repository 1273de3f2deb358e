//! What a run knows of a finding that another run has.

use std::collections::HashSet;

use rummage_core::findings::compare::{PageSight, Sight, TargetSight, would_have_seen};
use rummage_core::verdict::{Cause, Verdict};
use rusqlite::Connection;

use crate::db::error::StoreError;
use crate::model::{Address, RunInfo, RunState};
use crate::read::open::OpenRun;
use crate::tables::page_order;
use crate::tables::url_status::Sayings;

/// A run that is asked about the findings of another.
#[derive(Debug)]
pub(crate) struct Witness<'a> {
    sayings: std::borrow::Cow<'a, Sayings>,
    read: HashSet<u32>,
    whole: bool,
    other_rules: bool,
}

impl<'a> Witness<'a> {
    /// A run that is asked about the findings of `other`.
    pub(crate) fn new(
        db: &Connection,
        run: RunInfo,
        other: &RunInfo,
    ) -> Result<Witness<'a>, StoreError> {
        let sayings = std::borrow::Cow::Owned(Sayings::of_run(db, run.number)?);
        let read = page_order::pages(db, run.number)?.iter().map(|page| page.address).collect();
        Ok(Witness { sayings, read, ..Witness::bare(&run, other) })
    }

    /// The same for a run that is open.
    pub(crate) fn of(run: &'a OpenRun<'_>, other: &RunInfo) -> Witness<'a> {
        let read = run.pages.iter().map(|page| page.address).collect();
        let sayings = std::borrow::Cow::Borrowed(&run.sayings);
        Witness { sayings, read, ..Witness::bare(&run.info, other) }
    }

    fn bare(run: &RunInfo, other: &RunInfo) -> Witness<'a> {
        Witness {
            sayings: std::borrow::Cow::Owned(Sayings::default()),
            read: HashSet::new(),
            whole: run.state == RunState::Finished && run.bounds == other.bounds,
            other_rules: run.rules != other.rules,
        }
    }

    /// Whether the run would have had a finding of the other, if it had been there.
    pub(crate) fn would_have_seen(
        &self,
        page: Address,
        target: Address,
        cause: Option<Cause>,
        status: Option<u16>,
    ) -> bool {
        let said = self.sayings.of(target.0);
        // Where places were not looked for, none could be missing.
        let unlooked = cause == Some(Cause::NoSuchFragment) && !self.whole;
        would_have_seen(Sight {
            page: self.page(page.0),
            target: match said {
                None => TargetSight::Unknown,
                Some(said) if said.verdict == Verdict::Skipped => TargetSight::Skipped,
                Some(_) => TargetSight::Judged,
            },
            whole: self.whole,
            learned: unlooked
                || (self.other_rules && said.is_some_and(|said| said.status() == status)),
        })
    }

    /// Whether the run read a page.
    pub(crate) fn has_read(&self, page: Address) -> bool {
        self.read.contains(&page.0)
    }

    fn page(&self, page: u32) -> PageSight {
        if self.read.contains(&page) {
            return PageSight::Read;
        }
        match self.sayings.of(page) {
            None => PageSight::Gone,
            Some(said) if said.verdict == Verdict::Broken => PageSight::Gone,
            Some(_) => PageSight::NotRead,
        }
    }
}
