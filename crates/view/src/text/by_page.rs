//! A block a page: what is wrong on it, in source order.
//!
//! What stands on many pages comes first and once: it is one edit.

use std::io::Write;

use rummage_store::{Found, Sift, Totals};

use super::blocks::{LONGEST, said, says, target};
use super::cut::cut;
use crate::listing::Listing;
use crate::number::counted;
use crate::pages::{Page, Pages};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::{ViewError, phrase};

pub(super) fn write(
    out: &mut dyn Write,
    sift: &Sift<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    let Pages { shared, pages } = Pages::of(sift, listing)?;
    write_shared(out, sift, totals, &shared)?;
    for page in pages.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        write_page(out, sift, listing, page)?;
    }
    cut(out, listing, pages.len() as u64, "page", "pages")
}

fn write_shared(
    out: &mut dyn Write,
    sift: &Sift<'_>,
    totals: &Totals,
    shared: &[Found],
) -> Result<(), ViewError> {
    if shared.is_empty() {
        return Ok(());
    }
    let many = counted(shared.len() as u64, "link", "links");
    writeln!(out, "\n{STRONG}On many pages{STRONG:#}  {FAINT}{many}, one edit each{FAINT:#}")?;
    for found in shared {
        let row = sift.row(found)?;
        verdict(out, &row)?;
        writeln!(
            out,
            "         {} {FAINT}{}, first on {}{FAINT:#}",
            said(&row),
            phrase::on_many(&row, totals.pages),
            super::blocks::at(&row)
        )?;
    }
    Ok(())
}

fn write_page(
    out: &mut dyn Write,
    sift: &Sift<'_>,
    listing: &Listing,
    page: &Page,
) -> Result<(), ViewError> {
    let address = sift.run().page_at(page.rank);
    let url = sift.run().url(address)?;
    let title = sift.run().page(address)?.and_then(|page| page.title).unwrap_or_default();
    let links = counted(page.links.into(), "link", "links");
    write!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(&url, LONGEST)))?;
    writeln!(out, "  {FAINT}{links}  {}{FAINT:#}", safe(&shorten(&title, 60)))?;
    if let Some(source) = listing.source.as_ref().and_then(|source| source.of(&url, 0, 0)) {
        writeln!(out, "  {FAINT}{}{FAINT:#}", safe(&shorten(&source, LONGEST)))?;
    }
    for found in &page.found(sift, listing)? {
        let row = sift.row(found)?;
        verdict(out, &row)?;
        let place = if row.line == 0 {
            "in a field of its answer".to_owned()
        } else {
            format!("{}:{}", row.line, row.column)
        };
        let region = row.region.map_or(String::new(), |region| format!("  in {}", region.as_str()));
        writeln!(out, "         {place}  {}{FAINT}{region}{FAINT:#}", said(&row))?;
    }
    Ok(())
}

fn verdict(out: &mut dyn Write, row: &rummage_store::LinkRow) -> Result<(), ViewError> {
    let style = style::of(row.outcome.verdict);
    let name = safe(&shorten(&target(row), LONGEST)).to_string();
    let verdict = row.outcome.verdict.as_str();
    writeln!(out, "  {style}{verdict:8}{style:#} {name}  {}", says(&row.outcome))?;
    Ok(())
}
