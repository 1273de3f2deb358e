//! Rows in another order than that of their rank.
//!
//! Equal rows keep the order they had. What is sorted by is held, the rest is fetched
//! again when its turn comes.

use std::cmp::Ordering;

use rummage_core::findings::selection::host_of;
use rummage_store::{Found, LinkRow, Sift};

use super::target::target_row;
use crate::ViewError;
use crate::cells::{self, Cell, Row};
use crate::gather::{Gathered, severity};
use crate::listing::{Group, Listing, Sort};

/// By what links are sorted: as was asked, else so that what is grouped stands together.
pub(super) fn order_of(listing: &Listing) -> Option<Sort> {
    let by = |key: &str| Some(Sort { key: key.to_owned(), descending: false });
    listing.sort.clone().or_else(|| match listing.group {
        Group::Host => by("host"),
        Group::Cause => by("cause"),
        Group::Target | Group::Page | Group::None => None,
    })
}

/// The links of a sift in that order.
pub(super) fn links(sift: &Sift<'_>, sort: &Sort) -> Result<Vec<Found>, ViewError> {
    let mut order: Vec<(Cell, Found)> = Vec::new();
    sift.for_each(|found| {
        let row = sift.row(found)?;
        order.push((value(&row, &cells::of_link(&row), &sort.key), *found));
        Ok::<_, ViewError>(())
    })?;
    order.sort_by(|one, other| compare(&one.0, &other.0, sort));
    Ok(order.into_iter().map(|(_, found)| found).collect())
}

/// Puts the groups of targets into that order.
pub(super) fn groups(
    gathered: &mut Gathered<'_>,
    sift: &Sift<'_>,
    sort: &Sort,
) -> Result<(), ViewError> {
    let mut order = Vec::with_capacity(gathered.groups().len());
    for group in gathered.groups() {
        let first = sift.row(&group.first)?;
        let row = target_row(sift.run(), &first, group)?;
        order.push(value(&first, &row, &sort.key));
    }
    gathered.order(|groups| {
        let mut both: Vec<_> = order.into_iter().zip(std::mem::take(groups)).collect();
        both.sort_by(|one, other| compare(&one.0, &other.0, sort));
        *groups = both.into_iter().map(|(_, group)| group).collect();
    });
    Ok(())
}

/// What a row is sorted by. Verdicts stand in the order of how bad they are.
fn value(link: &LinkRow, row: &Row, key: &str) -> Cell {
    match key {
        "verdict" => Cell::Number(severity(link.outcome.verdict).unwrap_or_default() as u64),
        "host" => host_of(&link.address).into(),
        _ => row.cell(key).clone(),
    }
}

/// What is not known comes last, whichever way.
pub(crate) fn compare(one: &Cell, other: &Cell, sort: &Sort) -> Ordering {
    let unknown = matches!(one, Cell::Nothing) || matches!(other, Cell::Nothing);
    match one.compare(other) {
        order if sort.descending && !unknown => order.reverse(),
        order => order,
    }
}
