//! Two runs of a site beside each other: what broke, what healed, what is still open.

use std::collections::{HashMap, HashSet};

use rummage_core::findings::compare::is_passing;
use rusqlite::params;

use crate::db::error::StoreError;
use crate::findings::coverage::RunCoverage;
use crate::model::StoredUrl;
use crate::read::link_query::{LinkMatch, LinkQuery};
use crate::tables::findings::key_of_row;
use crate::tables::interning::Key;

/// Why something is not found any more.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Healing {
    /// The link is there, and leads where it should.
    Mended,
    /// The page has no such link any more.
    TakenOut,
    /// The page is gone.
    PageGone,
}

/// What one run found beside another, earlier one.
#[derive(Debug, Default)]
pub struct Comparison {
    /// Found by the later run, and not by the earlier, which would have seen it.
    pub broke: Vec<LinkMatch>,
    /// The same, but for that it had been there before.
    pub returned: Vec<LinkMatch>,
    /// Found by both.
    pub open: Vec<LinkMatch>,
    /// The later run met a server that was away, busy or refused everything: no news.
    pub passing: Vec<LinkMatch>,
    /// Found by the later run; the earlier could not have seen it.
    pub unseen: Vec<LinkMatch>,
    /// Found by the earlier run, and not by the later, which would have seen it.
    pub healed: Vec<(LinkMatch, Healing)>,
    /// Found by the earlier run; the later did not look.
    pub not_looked: Vec<LinkMatch>,
    /// Pages that the later run alone read.
    pub pages_new: Vec<StoredUrl>,
    /// Pages that the earlier run alone read, and the later found gone.
    pub pages_gone: Vec<StoredUrl>,
}

/// Compares what two runs found, by the same selection.
///
/// # Errors
/// When the store cannot be read.
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
    pages(earlier, later, &mut comparison);
    Ok(comparison)
}

/// What a sift gives by key; the same link twice on a page is one finding.
fn findings(query: &LinkQuery<'_>) -> Result<HashMap<Key, LinkMatch>, StoreError> {
    let mut findings = HashMap::new();
    query.for_each(|found| {
        findings.entry(query.run().key(found)?).or_insert(*found);
        Ok::<_, StoreError>(())
    })?;
    Ok(findings)
}

/// By the rank of the page, then by the place on it.
fn in_order(findings: HashMap<Key, LinkMatch>) -> Vec<(Key, LinkMatch)> {
    let mut list: Vec<(Key, LinkMatch)> = findings.into_iter().collect();
    list.sort_by_key(|(_, found)| (found.page, found.line, found.column, found.target));
    list
}

/// What had healed at the time of a run.
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

fn pages(earlier: &LinkQuery<'_>, later: &LinkQuery<'_>, comparison: &mut Comparison) {
    let (one, two) = (earlier.run(), later.run());
    let of = |run: &crate::OpenRun<'_>| -> HashSet<u32> {
        run.pages.iter().map(|page| page.url).collect()
    };
    let (read_before, read_now) = (of(one), of(two));
    let whole =
        two.info().state == crate::RunState::Finished && one.info().bounds == two.info().bounds;
    if whole {
        let only = |run: &crate::OpenRun<'_>, others: &HashSet<u32>| {
            let pages = run.pages.iter().map(|page| page.url);
            pages.filter(|page| !others.contains(page)).map(StoredUrl).collect()
        };
        comparison.pages_new = only(two, &read_before);
        comparison.pages_gone = only(one, &read_now);
    }
}
