//! A block per page: the broken links on it, in source order.
//!
//! Links shared by many pages come first, once: fixing them takes one edit.

use std::io::Write;

use rummage_store::{LinkMatch, LinkQuery, LinkRow, Totals};

use super::blocks::{LONGEST, said, target};
use super::cut::cut;
use crate::listing::Listing;
use crate::number::counted;
use crate::pages::{Page, Pages};
use crate::phrase::cause_of;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::{ViewError, phrase};

pub(super) fn write(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    let Pages { shared, pages } = Pages::of(query, listing)?;
    write_shared(out, query, totals, &shared)?;
    for page in pages.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        write_page(out, query, listing, page)?;
    }
    cut(out, listing, pages.len() as u64, "page", "pages")
}

fn write_shared(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    totals: &Totals,
    shared: &[LinkMatch],
) -> Result<(), ViewError> {
    if shared.is_empty() {
        return Ok(());
    }
    let many = counted(shared.len() as u64, "link", "links");
    writeln!(out, "\n{STRONG}On many pages{STRONG:#}  {FAINT}{many}, one edit each{FAINT:#}")?;
    for found in shared {
        write_shared_link(out, &query.row(found)?, totals.pages)?;
    }
    Ok(())
}

fn write_shared_link(out: &mut dyn Write, row: &LinkRow, pages: u64) -> Result<(), ViewError> {
    verdict(out, row)?;
    let (on_many, first) = (phrase::on_many(row, pages), super::blocks::at(row));
    writeln!(out, "         {} {FAINT}{on_many}, first on {first}{FAINT:#}", said(row))?;
    Ok(())
}

fn write_page(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    listing: &Listing,
    page: &Page,
) -> Result<(), ViewError> {
    let stored = query.run().page_at(page.rank);
    let url = query.run().url(stored)?;
    let title = query.run().page(stored)?.and_then(|page| page.title).unwrap_or_default();
    write_head(out, &url, &title, page.links)?;
    if let Some(source) = listing.source.as_ref().and_then(|source| source.of(&url, 0, 0)) {
        writeln!(out, "  {FAINT}{}{FAINT:#}", safe(&shorten(&source, LONGEST)))?;
    }
    for found in &page.found(query, listing)? {
        write_link(out, &query.row(found)?)?;
    }
    Ok(())
}

fn write_head(out: &mut dyn Write, url: &str, title: &str, links: u32) -> Result<(), ViewError> {
    let links = counted(links.into(), "link", "links");
    write!(out, "\n{STRONG}{}{STRONG:#}", safe(&shorten(url, LONGEST)))?;
    writeln!(out, "  {FAINT}{links}  {}{FAINT:#}", safe(&shorten(title, 60)))?;
    Ok(())
}

fn write_link(out: &mut dyn Write, row: &LinkRow) -> Result<(), ViewError> {
    verdict(out, row)?;
    let occurrence = if row.line == 0 {
        "in a response header".to_owned()
    } else {
        format!("{}:{}", row.line, row.column)
    };
    let region = row.region.map_or(String::new(), |region| format!("  in {}", region.as_str()));
    writeln!(out, "         {occurrence}  {}{FAINT}{region}{FAINT:#}", said(row))?;
    Ok(())
}

fn verdict(out: &mut dyn Write, row: &LinkRow) -> Result<(), ViewError> {
    let style = style::of(row.outcome.verdict);
    let name = safe(&shorten(&target(row), LONGEST)).to_string();
    let verdict = row.outcome.verdict.as_str();
    writeln!(out, "  {style}{verdict:8}{style:#} {name}  {}", cause_of(row))?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{link_row, plain};

    #[test]
    fn a_page_lists_its_links_with_their_positions() {
        let text = plain(|out| {
            write_head(out, "http://a.test/visit/", "Visit us", 2)?;
            write_link(out, &link_row())?;
            write_link(out, &LinkRow { line: 0, region: None, ..link_row() })
        });
        let broken = "  broken   http://a.test/gone  404 Not Found\n";
        let expected = format!(
            "\nhttp://a.test/visit/  2 links  Visit us\n{broken}         31:7  a \"Rota\"  in footer\n\
             {broken}         in a response header  a \"Rota\"\n"
        );
        assert_eq!(text, expected);
    }

    #[test]
    fn a_link_on_many_pages_names_the_first() {
        let row = LinkRow { pages: 73, ..link_row() };
        let text = plain(|out| write_shared_link(out, &row, 88));
        let expected = "  broken   http://a.test/gone  404 Not Found\n         a \"Rota\" on 73 of 88 \
                        pages, in footer, first on http://a.test/visit/ 31:7\n";
        assert_eq!(text, expected);
    }
}
