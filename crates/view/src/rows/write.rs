//! Rows in the order that was asked for, into any format.

use std::io::Write;

use rummage_core::findings::selection::Selection;
use rummage_store::{Address, Found, OpenRun, Sift};

use super::format::{Jsonl, RowFormat};
use super::sink::Sink;
use super::sorted;
use super::target::target_row;
use crate::ViewError;
use crate::cells::{self, LINK_COLUMNS, Row, TARGET_COLUMNS};
use crate::gather::Gathered;
use crate::listing::{Group, Listing};

/// How many rows fit, and how many were shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shown {
    /// Rows that were written.
    pub shown: u64,
    /// Rows that fit.
    pub all: u64,
}

/// Writes the links that fit, a row each, or the targets where they are grouped so.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn rows(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
    format: RowFormat,
) -> Result<Shown, ViewError> {
    let columns = columns(listing.group);
    let mut sink = format.open(out, columns)?;
    let sift = run.sift(selection)?;
    let counted = for_each_row(&sift, listing, |row| sink.row(&row))?;
    sink.end()?;
    Ok(counted)
}

/// Writes rows that somebody has put together.
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

/// Writes the links to one address as JSON Lines.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn links_to(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    address: Address,
    selection: &Selection,
) -> Result<(), ViewError> {
    let sift = run.sift_to(address, selection)?;
    let mut sink = Jsonl(out);
    sift.for_each(|found| sink.row(&cells::of_link(&sift.row(found)?)))
}

/// The columns of the rows of a listing.
#[must_use]
pub fn columns(group: Group) -> &'static [&'static str] {
    if group == Group::Target { TARGET_COLUMNS } else { LINK_COLUMNS }
}

/// Gives the rows in their order, up to the limit, and counts the others.
pub(crate) fn for_each_row(
    sift: &Sift<'_>,
    listing: &Listing,
    mut take: impl FnMut(Row) -> Result<(), ViewError>,
) -> Result<Shown, ViewError> {
    let limit = listing.limit.map_or(u64::MAX, |limit| limit as u64);
    if listing.group == Group::Target {
        let gathered = gathered(sift, listing)?;
        gathered.for_each_block(listing.limit, false, |block| {
            take(target_row(sift.run(), &block.first, &block.group)?)
        })?;
        let all = gathered.groups().len() as u64;
        return Ok(Shown { shown: all.min(limit), all });
    }
    let mut all = 0;
    let mut take_link = |found: &Found| {
        all += 1;
        if all <= limit { take(cells::of_link(&sift.row(found)?)) } else { Ok(()) }
    };
    match sorted::order_of(listing) {
        None => sift.for_each(take_link)?,
        Some(sort) => sorted::links(sift, &sort)?.iter().try_for_each(&mut take_link)?,
    }
    Ok(Shown { shown: all.min(limit), all })
}

/// What a sift gives by target, in the order that was asked for.
pub(crate) fn gathered<'a>(
    sift: &'a Sift<'a>,
    listing: &Listing,
) -> Result<Gathered<'a>, ViewError> {
    let mut gathered = Gathered::of(sift)?;
    if let Some(sort) = listing.sort.as_ref().filter(|_| listing.group == Group::Target) {
        sorted::groups(&mut gathered, sift, sort)?;
    }
    Ok(gathered)
}
