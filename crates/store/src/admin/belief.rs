//! Whether the result of a run is believed, compared with the runs before it.
//!
//! Rechecks fetch pages again as well, and a page that shows a maintenance notice has lost its
//! links.

use rummage_core::crawl::suspicion::{CrawlResult, Suspicion, suspicion};
use rummage_core::extract::reading::Format;
use rusqlite::{Connection, OptionalExtension as _, params};
use url::Url;

use crate::codec::occurrences;
use crate::db::error::StoreError;
use crate::db::row::word;
use crate::model::{RunInfo, RunKind};
use crate::tables::link_contents::LinkContents;
use crate::tables::notes;
use crate::tables::page_order::count_pages;
use crate::tables::runs::run_where;

/// Why a complete run is not believed, if it is not.
pub(crate) fn of_run(db: &Connection, run: &RunInfo) -> Result<Option<Suspicion>, StoreError> {
    let Ok(start) = Url::parse(&run.start) else { return Ok(None) };
    if run.kind == RunKind::Probe {
        return Ok(None);
    }
    let given = given_url(&run.given_start);
    let condition = "site = ?1 AND run.id < ?2 AND bounds = ?3 AND state = 'finished'
                     ORDER BY run.id DESC LIMIT 1";
    let before = run_where(db, condition, params![run.site, run.number, run.bounds])?;
    // A page that is checked alone, or a draft, need not have links.
    if run.kind == RunKind::Page && before.is_none() {
        return Ok(None);
    }
    let result = CrawlResult {
        given: given.as_ref(),
        start: &start,
        has_links: has_links(db, run.number)?,
        pages: count_pages(db, run.number)?,
        before: before.as_ref().map(|before| count_pages(db, before.number)).transpose()?,
    };
    let Some(suspicion) = suspicion(&result) else { return Ok(None) };
    let since = before.map_or(0, |before| before.number);
    Ok((!is_confirmed(db, run, since, suspicion)?).then_some(suspicion))
}

/// A start URL as given: a URL, or a host.
fn given_url(text: &str) -> Option<Url> {
    let is_web = |url: &Url| matches!(url.scheme(), "http" | "https");
    let url = Url::parse(text).ok().filter(is_web);
    url.or_else(|| Url::parse(&format!("https://{text}")).ok())
}

/// Whether a suspicious run since some run found the same.
fn is_confirmed(
    db: &Connection,
    run: &RunInfo,
    since: i64,
    now: Suspicion,
) -> Result<bool, StoreError> {
    let mut select = db.prepare(
        "SELECT id FROM run WHERE site = ?1 AND id > ?2 AND id < ?3 AND bounds = ?4
         AND state = 'suspicious'",
    )?;
    let numbers =
        select.query_map(params![run.site, since, run.number, run.bounds], |row| row.get(0))?;
    for number in numbers {
        let number: i64 = number?;
        let Some(earlier) = run_where(db, "run.id = ?1", [number])? else { continue };
        let seconds = run.started_at.duration_since(earlier.started_at).as_secs();
        if notes::suspicion_of(db, number)?.is_some_and(|then| now.confirms(then, seconds)) {
            return Ok(true);
        }
    }
    Ok(false)
}

/// Whether the start page has a link that a visitor can follow. True for what is not a page, or is
/// rendered by JavaScript.
fn has_links(db: &Connection, run: i64) -> Result<bool, StoreError> {
    const FOLLOWED: &[&str] = &["a", "area", "iframe", "frame"];
    let mut select = db.prepare(
        "SELECT links, format FROM run
         JOIN run_page ON run_page.run = run.id AND run_page.address = run.start
         JOIN page_version ON page_version.id = run_page.version
         WHERE run.id = ?1 AND NOT EXISTS (
             SELECT 1 FROM note
             WHERE note.run = run.id AND note.address = run.start AND kind = 'drawn-by-script')",
    )?;
    let start = select
        .query_row([run], |row| Ok((row.get::<_, Vec<u8>>(0)?, word(row, 1, Format::named))))
        .optional()?;
    let Some((links, format)) = start else { return Ok(true) };
    if !format?.is_page() {
        return Ok(true);
    }
    let contents = LinkContents::of_store(db)?;
    for occurrence in occurrences::unpack(&links) {
        if contents.with(occurrence.content, |said| FOLLOWED.contains(&said.element))? {
            return Ok(true);
        }
    }
    Ok(false)
}
