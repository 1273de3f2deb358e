//! Two runs of a site compared: newly broken, fixed, still open.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::compare::is_passing;
use rummage_core::url::hashed::Key;
use rusqlite::params;

use crate::db::error::StoreError;
use crate::findings::coverage::RunCoverage;
use crate::model::StoredUrl;
use crate::read::link_query::{LinkMatch, LinkQuery};
use crate::tables::findings::key_of_row;
use crate::tables::page_order;

/// How a finding was fixed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Healing {
    /// The link is still there, and its target works.
    Mended,
    /// The link was removed from the page.
    TakenOut,
    /// The page was removed.
    PageGone,
}

/// The findings of a run compared with those of an earlier one.
#[derive(Debug, Default)]
pub struct Comparison {
    /// Findings of the later run that the earlier run would have found, and did not.
    pub broke: Vec<LinkMatch>,
    /// The same, but they had been present before that.
    pub returned: Vec<LinkMatch>,
    /// Findings of both runs.
    pub open: Vec<LinkMatch>,
    /// Servers that were unavailable in the later run: not news.
    pub passing: Vec<LinkMatch>,
    /// Findings of the later run that the earlier run could not have found.
    pub unseen: Vec<LinkMatch>,
    /// Findings of the earlier run that the later run would have found, and did not.
    pub healed: Vec<(LinkMatch, Healing)>,
    /// Findings of the earlier run that the later run did not check.
    pub not_looked: Vec<LinkMatch>,
    /// Pages that only the later run parsed.
    pub pages_new: Vec<StoredUrl>,
    /// Pages that only the earlier run parsed, and that were gone in the later run.
    pub pages_gone: Vec<StoredUrl>,
}

/// Compares the findings of two runs with the same selection.
///
/// # Errors
/// See [`StoreError`].
pub fn compare(earlier: &LinkQuery<'_>, later: &LinkQuery<'_>) -> Result<Comparison, StoreError> {
    let (one, two) = (earlier.run(), later.run());
    let mut before = findings(earlier)?;
    let mut comparison = Comparison::default();
    let healed_before = healed_before(earlier)?;
    let canary = RunCoverage::of(one, two.info());
    for (key, found) in in_order(findings(later)?) {
        let passing = is_passing(found.cause);
        if before.remove(&key).is_some_and(|then| !(passing && is_passing(then.cause))) {
            comparison.open.push(found);
        } else if passing {
            comparison.passing.push(found);
        } else if healed_before.contains(&key) {
            comparison.returned.push(found);
        } else if canary.would_have_found(
            two.page_at(found.page),
            found.target,
            found.cause,
            two.status(&found),
        ) {
            comparison.broke.push(found);
        } else {
            comparison.unseen.push(found);
        }
    }
    let canary = RunCoverage::of(two, one.info());
    for (_, found) in in_order(before) {
        if is_passing(found.cause) {
            continue;
        }
        let page = one.page_at(found.page);
        if canary.would_have_found(page, found.target, found.cause, one.status(&found)) {
            let healing = if !canary.has_read(page) {
                Healing::PageGone
            } else if two.has_link(page, found.target)? {
                Healing::Mended
            } else {
                Healing::TakenOut
            };
            comparison.healed.push((found, healing));
        } else {
            comparison.not_looked.push(found);
        }
    }
    pages(earlier, later, &mut comparison)?;
    Ok(comparison)
}

/// The links of a query by key; the same link twice on a page is one finding.
fn findings(query: &LinkQuery<'_>) -> Result<HashMap<Key, LinkMatch>, StoreError> {
    let mut findings = HashMap::new();
    query.for_each(|found| {
        findings.entry(query.run().key(found)?).or_insert(*found);
        Ok::<_, StoreError>(())
    })?;
    Ok(findings)
}

/// By the rank of the page, then by the position on it.
fn in_order(findings: HashMap<Key, LinkMatch>) -> Vec<(Key, LinkMatch)> {
    let mut list: Vec<(Key, LinkMatch)> = findings.into_iter().collect();
    list.sort_by_key(|(_, found)| (found.page, found.line, found.column, found.target));
    list
}

/// The findings that had been fixed at the time of a run.
fn healed_before(query: &LinkQuery<'_>) -> Result<HashSet<Key>, StoreError> {
    let info = query.run().info();
    let mut select = query.run().db.prepare(
        "SELECT page, target, fragment, element, verdict FROM finding
         WHERE site = ?1 AND until_run <= ?2",
    )?;
    let mut rows = select.query(params![info.site, info.number])?;
    let mut keys = HashSet::new();
    while let Some(row) = rows.next()? {
        keys.insert(key_of_row(row)?);
    }
    Ok(keys)
}

fn pages(
    earlier: &LinkQuery<'_>,
    later: &LinkQuery<'_>,
    comparison: &mut Comparison,
) -> Result<(), StoreError> {
    let (one, two) = (earlier.run(), later.run());
    let of = |run: &crate::OpenRun<'_>| page_order::urls_of_pages(run.db, run.info.number);
    let (read_before, read_now) = (of(one)?, of(two)?);
    let whole =
        two.info().state == crate::RunState::Finished && one.info().bounds == two.info().bounds;
    if whole {
        let only = |run: &crate::OpenRun<'_>, own: &HashSet<u32>, others: &HashSet<u32>| {
            // In the order of their rank, without stylesheets, sitemaps and robots.txt.
            let pages = run.pages.iter().map(|page| page.url).filter(|page| own.contains(page));
            pages.filter(|page| !others.contains(page)).map(StoredUrl).collect()
        };
        comparison.pages_new = only(two, &read_now, &read_before);
        comparison.pages_gone = only(one, &read_before, &read_now);
    }
    Ok(())
}
