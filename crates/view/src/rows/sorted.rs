//! Rows in an order other than by rank.
//!
//! The sort is stable. Only sort keys are held in memory; the rest of a row is fetched again when
//! it is written.

use std::cmp::Ordering;

use rummage_core::findings::selection::host_of;
use rummage_store::{LinkMatch, LinkQuery, LinkRow};

use super::link::RowMaker;
use crate::ViewError;
use crate::columns::{Cell, Row};
use crate::grouping::{Grouped, severity};
use crate::listing::{Group, Listing, Sort};

/// The sort order of links: as given, else so that groups are contiguous.
pub(super) fn order_of(listing: &Listing) -> Option<Sort> {
    let by = |key: &str| Some(Sort { key: key.to_owned(), descending: false });
    listing.sort.clone().or_else(|| match listing.group {
        Group::Host => by("host"),
        Group::Cause => by("cause"),
        Group::Target | Group::Page | Group::None => None,
    })
}

/// The links of a query in this order.
pub(super) fn links(
    query: &LinkQuery<'_>,
    rows: &RowMaker<'_>,
    sort: &Sort,
) -> Result<Vec<LinkMatch>, ViewError> {
    let mut order: Vec<(Cell, LinkMatch)> = Vec::new();
    query.for_each(|found| {
        let row = query.row(found)?;
        order.push((value(&row, &rows.link(&row)?, &sort.key), *found));
        Ok::<_, ViewError>(())
    })?;
    order.sort_by(|one, other| compare(&one.0, &other.0, sort));
    Ok(order.into_iter().map(|(_, found)| found).collect())
}

/// Sorts the groups of targets.
pub(super) fn groups(
    grouped: &mut Grouped<'_>,
    query: &LinkQuery<'_>,
    rows: &RowMaker<'_>,
    sort: &Sort,
) -> Result<(), ViewError> {
    let mut order = Vec::with_capacity(grouped.groups().len());
    for group in grouped.groups() {
        let first = query.row(&group.first)?;
        let row = rows.target(&first, group.prominence, std::slice::from_ref(&first))?;
        order.push(value(&first, &row, &sort.key));
    }
    grouped.order(|groups| {
        let mut both: Vec<_> = order.into_iter().zip(std::mem::take(groups)).collect();
        both.sort_by(|one, other| compare(&one.0, &other.0, sort));
        *groups = both.into_iter().map(|(_, group)| group).collect();
    });
    Ok(())
}

/// The sort key of a row. Verdicts are ordered by severity.
fn value(link: &LinkRow, row: &Row, key: &str) -> Cell {
    match key {
        "verdict" => Cell::Number(severity(link.outcome.verdict).unwrap_or_default() as u64),
        "host" => host_of(&link.url).into(),
        _ => row.cell(key).clone(),
    }
}

/// Unknown values come last in either direction.
pub(crate) fn compare(one: &Cell, other: &Cell, sort: &Sort) -> Ordering {
    let unknown = matches!(one, Cell::Nothing) || matches!(other, Cell::Nothing);
    match one.compare(other) {
        order if sort.descending && !unknown => order.reverse(),
        order => order,
    }
}
