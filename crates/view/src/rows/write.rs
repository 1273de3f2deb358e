//! Writes rows in the order of a listing, in any format.

use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_store::{LinkMatch, LinkQuery, LinkRow, OpenRun, StoredUrl};

use super::format::{Jsonl, RowFormat};
use super::link::RowMaker;
use super::sink::Sink;
use super::sorted;
use crate::ViewError;
use crate::columns::{LINK_COLUMNS, Row, TARGET_COLUMNS};
use crate::grouping::Grouped;
use crate::listing::{Group, Listing, Source};

/// How many rows matched, and how many were written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shown {
    /// Rows that were written.
    pub shown: u64,
    /// Rows that matched.
    pub all: u64,
}

/// Writes one row per matching link, or per target if grouped by target.
///
/// # Errors
/// See [`ViewError`].
pub fn rows(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    format: RowFormat,
) -> Result<Shown, ViewError> {
    let mut sink = format.open(out, columns(listing.group))?;
    let query = run.query(selection)?;
    let counted = for_each_row(&query, listing, |row| sink.row(&row))?;
    sink.end()?;
    Ok(counted)
}

/// The same for several runs, one after the other; they are grouped alike.
///
/// # Errors
/// See [`ViewError`].
pub fn rows_of_all(
    out: &mut dyn Write,
    runs: &[(OpenRun<'_>, Selection, Listing)],
    format: RowFormat,
) -> Result<Shown, ViewError> {
    let mut counted = Shown { shown: 0, all: 0 };
    let group = runs.first().map_or(Group::None, |(_, _, listing)| listing.group);
    let mut sink = format.open(out, columns(group))?;
    for (run, selection, listing) in runs {
        let query = run.query(selection)?;
        let Shown { shown, all } = for_each_row(&query, listing, |row| sink.row(&row))?;
        counted = Shown { shown: counted.shown + shown, all: counted.all + all };
    }
    sink.end()?;
    Ok(counted)
}

/// Writes rows that the caller has built.
pub(crate) fn write_rows(
    out: &mut dyn Write,
    columns: &[&str],
    rows: impl Iterator<Item = Row>,
    format: RowFormat,
) -> Result<(), ViewError> {
    let mut sink = format.open(out, columns)?;
    for row in rows {
        sink.row(&row)?;
    }
    sink.end()
}

/// Writes the links to one URL as JSON Lines.
///
/// # Errors
/// See [`ViewError`].
pub fn links_to(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    url: StoredUrl,
    selection: &Selection,
) -> Result<(), ViewError> {
    let query = run.query_to(url, selection)?;
    let mut sink = Jsonl(out);
    let rows = RowMaker::new(run, None);
    query.for_each(|found| sink.row(&rows.link(&query.row(found)?)?))
}

/// Calls `take` with every matching link and its row as a JSON object, in the order of a listing.
///
/// # Errors
/// See [`ViewError`].
pub fn each_link(
    run: &OpenRun<'_>,
    selection: &Selection,
    source: Option<&Source>,
    mut take: impl FnMut(LinkRow, String),
) -> Result<(), ViewError> {
    let rows = RowMaker::new(run, source);
    let query = run.query(selection)?;
    query.for_each(|found| {
        let link = query.row(found)?;
        let row = serde_json::to_string(&rows.link(&link)?).expect("a row is plain data");
        take(link, row);
        Ok(())
    })
}

/// The columns of the rows of a listing.
#[must_use]
pub fn columns(group: Group) -> &'static [&'static str] {
    if group == Group::Target { TARGET_COLUMNS } else { LINK_COLUMNS }
}

/// Calls `take` with the rows in order, up to the limit, and counts all of them.
pub(crate) fn for_each_row(
    query: &LinkQuery<'_>,
    listing: &Listing,
    mut take: impl FnMut(Row) -> Result<(), ViewError>,
) -> Result<Shown, ViewError> {
    let limit = listing.limit.map_or(u64::MAX, |limit| limit as u64);
    let rows = RowMaker::new(query.run(), listing.source.as_ref());
    if listing.group == Group::Target {
        let grouped = grouped(query, listing)?;
        grouped.for_each_block(listing.limit, false, |block| {
            take(rows.target(&block.first, block.prominence, &block.occurrences)?)
        })?;
        let all = grouped.groups().len() as u64;
        return Ok(Shown { shown: all.min(limit), all });
    }
    let mut all = 0;
    let mut take_link = |found: &LinkMatch| {
        all += 1;
        if all <= limit { take(rows.link(&query.row(found)?)?) } else { Ok(()) }
    };
    match sorted::order_of(listing) {
        None => query.for_each(take_link)?,
        Some(sort) => sorted::links(query, &rows, &sort)?.iter().try_for_each(&mut take_link)?,
    }
    Ok(Shown { shown: all.min(limit), all })
}

/// The links of a query grouped by target, in the order of the listing.
pub(crate) fn grouped<'a>(
    query: &'a LinkQuery<'a>,
    listing: &Listing,
) -> Result<Grouped<'a>, ViewError> {
    let mut grouped = Grouped::of(query)?;
    if let Some(sort) = listing.sort.as_ref().filter(|_| listing.group == Group::Target) {
        let rows = RowMaker::new(query.run(), listing.source.as_ref());
        sorted::groups(&mut grouped, query, &rows, sort)?;
    }
    Ok(grouped)
}
