//! The pages of a run in the order of their rank.

use std::collections::{BTreeSet, HashMap, HashSet};

use rummage_core::findings::rank::in_rank_order;
use rusqlite::{Connection, params};

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
    let mut versions: HashMap<u64, (u32, u32)> = HashMap::new();
    let mut select = db.prepare("SELECT address, version FROM run_page WHERE run = ?1")?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        let (url, version): (u32, u32) = (row.get(0)?, row.get(1)?);
        versions.insert(u64::from(url), (url, version));
    }
    let targets = targets(db, run, &versions)?;
    let start: i64 =
        db.query_row("SELECT start FROM run WHERE id = ?1", [run], |row| row.get(0))?;
    let known: BTreeSet<u64> = versions.keys().copied().collect();
    let mut select = db.prepare("SELECT links FROM page_version WHERE id = ?1")?;
    let roots = roots(db, run, start)?;
    let order = in_rank_order(&roots, &known, |page| {
        let (_, version) = versions[&page];
        let links: Vec<u8> = select.query_row(params![version], |row| row.get(0))?;
        Ok::<_, StoreError>(
            occurrences::unpack(&links)
                .filter_map(|occurrence| {
                    Some(u64::from(*targets.get(occurrence.content as usize)?))
                })
                .filter(|target| *target > 0)
                .collect(),
        )
    })?;
    let page = |(page, depth): (u64, u32)| {
        let (url, version) = versions[&page];
        Page { url, version, depth: (depth != u32::MAX).then_some(depth) }
    };
    Ok(order.into_iter().map(page).collect())
}

/// The start, then pages that no link leads to: robots.txt and sitemaps.
fn roots(db: &Connection, run: i64, start: i64) -> Result<Vec<u64>, StoreError> {
    let mut roots = vec![start.cast_unsigned()];
    let mut select = db.prepare(
        "SELECT run_page.address FROM run_page
         JOIN page_version ON page_version.id = version
         JOIN address ON address.id = run_page.address
         WHERE run = ?1 AND format IN ('robots', 'sitemap') ORDER BY format, url",
    )?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        roots.push(row.get::<_, i64>(0)?.cast_unsigned());
    }
    Ok(roots)
}

/// The pages that link contents lead to, by number, 0 for none; a link to a URL that redirects
/// leads to the page where the redirects end.
pub(crate) fn targets(
    db: &Connection,
    run: i64,
    pages: &HashMap<u64, (u32, u32)>,
) -> Result<Vec<u32>, StoreError> {
    let mut ends: HashMap<u32, u32> = HashMap::new();
    let mut select = db.prepare("SELECT address, final FROM verdict WHERE run = ?1")?;
    let mut rows = select.query([run])?;
    while let Some(row) = rows.next()? {
        let end: u32 = row.get(1)?;
        if pages.contains_key(&u64::from(end)) {
            ends.insert(row.get(0)?, end);
        }
    }
    // Most pages are simply sound, and some have no verdict yet.
    for (url, _) in pages.values() {
        ends.entry(*url).or_insert(*url);
    }
    let mut targets = Vec::new();
    LinkContents::of_store(db)?.for_each(|content, target, _| {
        if let Some(end) = ends.get(&target) {
            targets.resize(content as usize + 1, 0);
            targets[content as usize] = *end;
        }
        Ok(())
    })?;
    Ok(targets)
}
