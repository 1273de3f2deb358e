//! A recheck: some addresses anew, all else as the last run found it.

use std::collections::HashSet;

use rummage_core::crawl::Settings;
use rummage_core::findings::selection::Selection;
use rummage_engine::Recheck;
use rummage_store::{
    Address, Memory, NewRun, OpenRun, Reader, RunInfo, RunKind, RunState, StoreError,
};
use rummage_view::safe;
use url::Url;

use super::Pass;
use super::beginning::Beginning;
use super::means::Means;
use super::memory::reads_alike;
use super::plain::options_of;
use crate::failure::Failure;

/// Of what is due, so many pages are read again.
pub(crate) const PAGES_OF_DUE: u32 = 3;

/// Whoever names a target wants all.
pub(crate) const ALL_PAGES: u32 = u32::MAX;

impl Pass {
    /// A recheck of targets of a run, and of so many pages that carry each.
    pub(crate) fn recheck(
        means: Means<'_>,
        run: &OpenRun<'_>,
        targets: &[Address],
        pages: u32,
    ) -> Result<Pass, Failure> {
        let again = run.to_ask_again(targets, pages)?;
        let what = Again { again, kind: RunKind::Recheck, also: Vec::new() };
        Pass::again(means, run, what)
    }

    /// These pages of a site whose run is known, with all that they name; all else stands.
    pub(crate) fn pages(
        means: Means<'_>,
        run: &OpenRun<'_>,
        pages: Vec<Url>,
    ) -> Result<Pass, Failure> {
        let mut again: HashSet<String> = pages.iter().map(|url| url.to_string()).collect();
        for page in &pages {
            let Some((page, _)) =
                run.find(page.as_str(), 1)?.into_iter().find(|(_, url)| url == page.as_str())
            else {
                continue;
            };
            for hop in run.way(page)? {
                again.insert(hop.address.clone());
                let on = run.find(&hop.address, 1)?.into_iter().map(|(address, _)| address);
                let targets =
                    on.map(|page| targets_on(run, page)).collect::<Result<Vec<_>, _>>()?;
                again.extend(run.to_ask_again(&targets.concat(), 0)?);
            }
        }
        let what = Again { again, kind: RunKind::Page, also: pages };
        Pass::again(means, run, what)
    }

    fn again(means: Means<'_>, run: &OpenRun<'_>, what: Again) -> Result<Pass, Failure> {
        let Again { mut again, kind, also } = what;
        let base = run.info();
        let settled = means.settle(Some(options_of(run)?));
        let start = Url::parse(&base.start)
            .map_err(|error| StoreError::Damaged(format!("the start: {error}")))?;
        // The start is asked in any case: is the site there at all?
        again.insert(base.start.clone());
        let new = NewRun { epoch_at: base.epoch_at, ..settled.new_run(&base.asked_for, kind) };
        let mut memory = Memory::of_run(Reader::open(settled.store)?, base, base.epoch_at, &again)?;
        if reads_alike(base, &settled.asking) {
            memory = memory.with_pages(base.number)?;
        }
        let mut settings = Settings { by_get: true, ..settled.settings()? };
        let mut fetching = settled.fetching(Some(&start))?;
        Beginning::of(&base.asked_for, &settled.asking)?.tell(&mut settings, &mut fetching);
        settings.also.extend(also);
        let under_way = new.looked_back();
        let writer = settled.begin(new)?;
        let recheck = Recheck { reader: Reader::open(settled.store)?, run: base.number, again };
        Ok(Pass {
            asked_for: base.asked_for.clone(),
            under_way,
            recheck: Some(recheck),
            ..Pass::new(&settled, vec![start], settings, fetching, writer)
        }
        .remembering(settled.store, Some(memory)))
    }

    /// How many addresses a recheck asks anew.
    pub(crate) fn asked_again(&self) -> usize {
        self.recheck.as_ref().map_or(0, |recheck| recheck.again.len())
    }
}

/// What is asked again, and as what kind of run that is told.
struct Again {
    again: HashSet<String>,
    kind: RunKind,
    /// Pages that are read whether links lead there or not.
    also: Vec<Url>,
}

/// What a page names.
fn targets_on(run: &OpenRun<'_>, page: Address) -> Result<Vec<Address>, StoreError> {
    let selection = Selection::all();
    let mut targets = Vec::new();
    if let Some(sift) = run.sift_on(page, &selection)? {
        sift.for_each(|found| {
            targets.push(found.target);
            Ok::<_, StoreError>(())
        })?;
    }
    Ok(targets)
}

/// The last run that came to its end: what one that was stopped did not get to is not
/// known.
pub(crate) fn finished(reader: &Reader, last: RunInfo) -> Result<RunInfo, Failure> {
    if last.state == RunState::Finished {
        return Ok(last);
    }
    reader.last_finished_of(&last.site)?.ok_or_else(|| Failure::Usage {
        what: format!("no run of {} has come to its end", safe(&last.site)),
        hint: "Go on with it first: rummage crawl --resume".to_owned(),
    })
}
