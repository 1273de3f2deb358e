//! Findings as a Markdown list with checkboxes, for an issue or a wiki.

use std::fmt::Write as _;
use std::io::Write;

use rummage_core::findings::selection::{Selection, host_of};
use rummage_core::verdict::Cause;
use rummage_store::{LinkQuery, LinkRow, OpenRun, Totals};

use crate::ViewError;
use crate::columns::Row;
use crate::grouping::{Block, Group as Grouping, Grouped};
use crate::listing::{Group, Listing, Source};
use crate::number::{counted, rest, rest_of};
use crate::pages::Pages;
use crate::phrase::cause_of;
use crate::rows::{self, columns, for_each_row};
use crate::safe::{safe, shorten};
use crate::text::tally::{self, tally};
use crate::text::{at, entry, is_entry, said, target, totals};
use crate::when::when;
use crate::{number, phrase};

const LONGEST: usize = 300;
/// The maximum number of targets in a section.
const MOST: usize = 1000;

/// Writes the findings of a run as Markdown.
///
/// # Errors
/// See [`ViewError`].
pub fn markdown(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<(), ViewError> {
    let totals = run.totals()?;
    head(out, run, &totals, listing)?;
    let query = run.query(selection)?;
    let grouped = rows::grouped(&query, listing)?;
    let all = grouped.groups().len();
    let fits = counted(all as u64, "target matches", "targets match");
    let links = counted(grouped.links, "link", "links");
    writeln!(out, "\n{fits} the selection, on {links}.")?;
    match listing.group {
        Group::Target => by_target(out, &grouped, &totals, listing),
        Group::Page => {
            drop(grouped);
            by_page(out, &query, &totals, listing)
        }
        Group::Host => {
            let name =
                |group: &Grouping| Ok(host_of(&query.run().url(group.first.target)?).to_owned());
            by_name(out, grouped, &query, listing, name)
        }
        Group::Cause => {
            let name = |group: &Grouping| {
                let cause = group.first.cause.map_or("answered", Cause::words);
                let id = group.first.cause.map_or("", Cause::as_str);
                Ok(format!("{}: {cause} ({id})", group.first.verdict))
            };
            by_name(out, grouped, &query, listing, name)
        }
        Group::None => table(out, &query, listing),
    }
}

fn head(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    let info = run.info();
    let site = phrase::public_name(info);
    let title = info.title.as_deref().unwrap_or(&site);
    let started = when(info.started_at);
    writeln!(out, "# {}\n", text(title))?;
    writeln!(
        out,
        "{}, run {}, {started}, took {}.",
        text(&site),
        info.number,
        number::duration(info.took)
    )?;
    let mut counts = Vec::new();
    totals::counts(&mut counts, info, totals, listing.verbose)?;
    let styled = String::from_utf8_lossy(&counts);
    let plain = anstream::adapter::strip_str(&styled).to_string();
    writeln!(out, "\n{}", plain.lines().map(text).collect::<Vec<_>>().join("  \n"))?;
    Ok(())
}

fn by_target(
    out: &mut dyn Write,
    grouped: &Grouped<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    writeln!(out)?;
    grouped.for_each_block(listing.limit, listing.unfold, |block| {
        let source = listing.source.as_ref();
        Ok::<_, ViewError>(out.write_all(self::block(totals, source, &block).as_bytes())?)
    })?;
    cut(out, listing, grouped.groups().len() as u64, "target", "targets")
}

fn block(totals: &Totals, source: Option<&Source>, block: &Block) -> String {
    let outcome = &block.first.outcome;
    let mut md = format!(
        "- [ ] {}: {}, {}\n",
        link(&target(&block.first)),
        outcome.verdict,
        text(&cause_of(&block.first))
    );
    if let Some(moved_to) = &outcome.moved_to {
        let _ = writeln!(md, "  - now at {}", link(moved_to));
    }
    for shared in &block.shared {
        let _ = writeln!(md, "  - {}", on_many(totals, source, &shared.first));
    }
    for row in &block.occurrences {
        let _ = writeln!(md, "  - {}: {}", occurrence(row, source), text(&said(row)));
    }
    let (all, shown) = (block.occurrence_count, block.occurrences.len());
    if let Some(rest) = rest_of(all, shown, "occurrence", "occurrences") {
        let _ = writeln!(md, "  - {rest}");
    }
    md
}

/// `on 73 of 88 pages, in footer, one edit: a "Rota", first on …`
fn on_many(totals: &Totals, source: Option<&Source>, row: &LinkRow) -> String {
    let what = text(&said(row));
    let many = phrase::on_many(row, totals.pages);
    format!("{many}, one edit: {what}, first on {}", occurrence(row, source))
}

fn by_page(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    let Pages { shared, pages } = Pages::of(query, listing)?;
    if !shared.is_empty() {
        writeln!(out, "\n## On many pages\n")?;
    }
    for found in &shared {
        let row = query.row(found)?;
        writeln!(
            out,
            "- [ ] {}: {}",
            verdict(&row),
            on_many(totals, listing.source.as_ref(), &row)
        )?;
    }
    for page in pages.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        let url = query.run().url(query.run().page_at(page.rank))?;
        writeln!(out, "\n## {}\n", link(&url))?;
        for found in &page.found(query, listing)? {
            let row = query.row(found)?;
            let at = match row.line {
                0 => "in a header of its response".to_owned(),
                line => format!("{line}:{}", row.column),
            };
            writeln!(out, "- [ ] {at} {}: {}", text(&said(&row)), verdict(&row))?;
        }
    }
    cut(out, listing, pages.len() as u64, "page", "pages")
}

/// `broken <https://…>, not found, 404`
fn verdict(row: &LinkRow) -> String {
    let outcome = &row.outcome;
    format!("{} {}, {}", outcome.verdict, link(&target(row)), text(&cause_of(row)))
}

fn by_name(
    out: &mut dyn Write,
    grouped: Grouped<'_>,
    query: &LinkQuery<'_>,
    listing: &Listing,
    name: impl FnMut(&Grouping) -> Result<String, ViewError>,
) -> Result<(), ViewError> {
    let mut parts = tally(grouped, MOST, name)?;
    tally::sort(&mut parts, listing);
    for part in parts.iter().take(listing.limit.unwrap_or(usize::MAX)) {
        writeln!(out, "\n## {}\n", text(&part.name))?;
        for group in &part.first {
            let row = query.row(&group.first)?;
            let pages = counted(u64::from(group.prominence.pages), "page", "pages");
            writeln!(
                out,
                "- [ ] {}: {}, {}, on {pages}",
                link(&target(&row)),
                row.outcome.verdict,
                text(&cause_of(&row))
            )?;
        }
        if let Some(rest) = rest(part.targets, part.first.len()) {
            writeln!(out, "- {rest}")?;
        }
    }
    cut(out, listing, parts.len() as u64, "part", "parts")
}

fn table(out: &mut dyn Write, query: &LinkQuery<'_>, listing: &Listing) -> Result<(), ViewError> {
    let columns = columns(listing.group);
    writeln!(out, "\n| {} |", columns.join(" | "))?;
    writeln!(out, "|{}", " --- |".repeat(columns.len()))?;
    let counted = for_each_row(query, listing, |row: Row| {
        let cells: Vec<String> = row.cells().iter().map(|cell| text(&cell.text())).collect();
        Ok(writeln!(out, "| {} |", cells.join(" | "))?)
    })?;
    cut(out, listing, counted.all, "link", "links")
}

fn cut(
    out: &mut dyn Write,
    listing: &Listing,
    all: u64,
    one: &str,
    many: &str,
) -> Result<(), ViewError> {
    if let Some(cut) = listing.cut(all, one, many) {
        writeln!(out, "\n{cut}.")?;
    }
    Ok(())
}

fn occurrence(row: &LinkRow, source: Option<&Source>) -> String {
    if is_entry(row) {
        return text(&entry(row, source));
    }
    if row.line == 0 {
        return text(&at(row));
    }
    format!("{} {}:{}", link(&row.page), row.line, row.column)
}

/// A URL as a link, if Markdown can contain it.
fn link(url: &str) -> String {
    let is_web = url.starts_with("http://") || url.starts_with("https://");
    let plain = |c: char| !c.is_whitespace() && !c.is_control() && !matches!(c, '<' | '>');
    if is_web && url.chars().all(plain) { format!("<{}>", safe(url)) } else { text(url) }
}

/// Escapes text so that Markdown shows it as it is.
pub(crate) fn text(text: &str) -> String {
    let mut md = String::new();
    for c in safe(&shorten(text, LONGEST)).to_string().chars() {
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '|' | '#' | '~' | '&') {
            md.push('\\');
        }
        md.push(c);
    }
    md
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_from_pages_is_escaped() {
        assert_eq!(text("a|b *c* [d](e) <f>"), "a\\|b \\*c\\* \\[d\\](e) \\<f\\>");
        assert_eq!(link("https://a.test/x_y"), "<https://a.test/x_y>");
        assert_eq!(link("https://a.test/> <script>"), "https://a.test/\\> \\<script\\>");
        assert_eq!(link("htp://a.test"), "htp://a.test");
    }

    #[test]
    fn a_block_is_a_checkbox_with_a_list() {
        use crate::testing::{block as block_of, link_row};
        let totals = Totals { pages: 88, ..Totals::default() };
        let mut links = block_of(link_row());
        insta::assert_snapshot!(block(&totals, None, &links), @r#"
        - [ ] <http://a.test/gone>: broken, 404 Not Found
          - <http://a.test/visit/> 31:7: a "Rota"
          - <http://a.test/news/> 4:7: a "Rota"
        "#);
        links.occurrence_count = 3;
        assert!(block(&totals, None, &links).ends_with("  - and 1 more occurrence\n"));
        links.first.outcome.moved_to = Some("http://a.test/new".to_owned());
        assert!(block(&totals, None, &links).contains("\n  - now at <http://a.test/new>\n"));
    }
}
