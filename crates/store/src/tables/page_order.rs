//! The pages of a run in the order of their rank.

use std::collections::HashSet;

use rummage_core::findings::rank::in_rank_order;
use rummage_core::url::hashed::Numbered;
use rusqlite::Connection;

use crate::codec::occurrences;
use crate::db::error::StoreError;
use crate::tables::link_contents::LinkContents;

/// A page of a run.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Page {
    pub(crate) url: u32,
    pub(crate) version: u32,
    pub(crate) depth: Option<u32>,
}

/// The pages of a run by rank: as stored, or computed for a run that has not ended.
pub(crate) fn pages(db: &Connection, run: i64) -> Result<Vec<Page>, StoreError> {
    let unranked: bool = db.query_row(
        "SELECT exists(SELECT 1 FROM run_page WHERE run = ?1 AND rank IS NULL)",
        [run],
        |row| row.get(0),
    )?;
    if unranked {
        return compute(db, run);
    }
    let mut select =
        db.prepare("SELECT address, version, depth FROM run_page WHERE run = ?1 ORDER BY rank")?;
    let rows = select.query_map([run], |row| {
        Ok(Page { url: row.get(0)?, version: row.get(1)?, depth: row.get(2)? })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

/// How many pages a run parsed, not counting stylesheets, sitemaps and robots.txt.
pub(crate) fn count_pages(db: &Connection, run: i64) -> Result<u64, StoreError> {
    Ok(db.query_row(
        "SELECT count(*) FROM run_page JOIN page_version ON page_version.id = version
         WHERE run = ?1 AND format IN ('html', 'xhtml')",
        [run],
        |row| row.get(0),
    )?)
}

/// The pages that a run parsed, not counting stylesheets, sitemaps and robots.txt.
pub(crate) fn urls_of_pages(db: &Connection, run: i64) -> Result<HashSet<u32>, StoreError> {
    let mut select = db.prepare(
        "SELECT run_page.address FROM run_page JOIN page_version ON page_version.id = version
         WHERE run = ?1 AND format IN ('html', 'xhtml')",
    )?;
    let urls = select.query_map([run], |row| row.get(0))?;
    Ok(urls.collect::<Result<_, _>>()?)
}

/// Computes the order from the links.
pub(crate) fn compute(db: &Connection, run: i64) -> Result<Vec<Page>, StoreError> {
    let mut versions: Numbered<u32> = Numbered::default();
    let mut select = db.prepare("SELECT address, version FROM run_page WHERE run = ?1")?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        versions.insert(row.get(0)?, row.get(1)?);
    }
    let targets = targets(db, run, &versions)?;
    let start: u32 =
        db.query_row("SELECT start FROM run WHERE id = ?1", [run], |row| row.get(0))?;
    let mut select = db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
    let roots = roots(db, run, start)?;
    let order = in_rank_order(&roots, versions.keys().copied(), |page, take| {
        let mut rows = select.query([versions[&page]])?;
        let missing = || StoreError::Damaged(format!("page {page} is missing"));
        let row = rows.next()?.ok_or_else(missing)?;
        for occurrence in occurrences::unpack(row.get_ref(0)?.as_blob().unwrap_or_default()) {
            if let Some(target) = targets.get(occurrence.content as usize) {
                take(*target);
            }
        }
        Ok::<_, StoreError>(())
    })?;
    let page = |(url, depth): (u32, u32)| {
        let depth = (depth != u32::MAX).then_some(depth);
        Page { url, version: versions[&url], depth }
    };
    Ok(order.into_iter().map(page).collect())
}

/// The start, then pages that no link leads to: robots.txt and sitemaps.
fn roots(db: &Connection, run: i64, start: u32) -> Result<Vec<u32>, StoreError> {
    let mut roots = vec![start];
    let mut select = db.prepare(
        "SELECT run_page.address FROM run_page
         JOIN page_version ON page_version.id = version
         JOIN address ON address.id = run_page.address
         WHERE run = ?1 AND format IN ('robots', 'sitemap') ORDER BY format, url",
    )?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        roots.push(row.get(0)?);
    }
    Ok(roots)
}

/// The pages that link contents lead to, by number, 0 for none; a link to a URL that redirects
/// leads to the page where the redirects end.
pub(crate) fn targets(
    db: &Connection,
    run: i64,
    pages: &Numbered<u32>,
) -> Result<Vec<u32>, StoreError> {
    // By number, 0 for none: each link is looked up.
    let mut ends: Vec<u32> = Vec::new();
    let mut set = |url: u32, end: u32| {
        let at = url as usize;
        if ends.len() <= at {
            ends.resize(at + 1, 0);
        }
        if ends[at] == 0 {
            ends[at] = end;
        }
    };
    let mut select = db.prepare("SELECT address, final FROM verdict WHERE run = ?1")?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        let end: u32 = row.get(1)?;
        if pages.contains_key(&end) {
            set(row.get(0)?, end);
        }
    }
    // Most pages are simply sound, and some have no verdict yet.
    for url in pages.keys() {
        set(*url, *url);
    }
    let mut targets = Vec::new();
    LinkContents::of_store(db)?.for_each(|content, target, _| {
        if let Some(end) = ends.get(target as usize).filter(|end| **end > 0) {
            targets.resize(content as usize + 1, 0);
            targets[content as usize] = *end;
        }
        Ok(())
    })?;
    Ok(targets)
}
