//! One line per link.

use std::io::Write;

use rummage_core::verdict::Verdict;
use rummage_store::LinkQuery;

use super::blocks::LONGEST;
use super::cut::cut;
use crate::ViewError;
use crate::columns::Row;
use crate::listing::Listing;
use crate::rows::for_each_row;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT};

pub(super) fn write(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    listing: &Listing,
) -> Result<(), ViewError> {
    writeln!(out)?;
    let counted = for_each_row(query, listing, |row| line(out, &row))?;
    cut(out, listing, counted.all, "link", "links")
}

/// Writes one link.
pub(crate) fn line(out: &mut dyn Write, row: &Row) -> Result<(), ViewError> {
    let text = |column: &str| safe(&shorten(&row.cell(column).text(), LONGEST)).to_string();
    let verdict = text("verdict");
    let style = style::of(Verdict::named(&verdict).unwrap_or(Verdict::Skipped));
    let said = match text("text") {
        said if said.is_empty() => format!("{}={}", text("attribute"), text("written")),
        said => format!("\"{said}\""),
    };
    let at = match text("line") {
        line if line.is_empty() => "in a response header".to_owned(),
        line => format!("{line}:{}", text("column")),
    };
    let cause = [text("cause"), text("status")].join(" ");
    writeln!(
        out,
        "{style}{verdict:8}{style:#} {} {} {FAINT}{} {at}{FAINT:#} {} {said}",
        cause.trim(),
        text("target"),
        text("page"),
        text("element"),
    )?;
    Ok(())
}
