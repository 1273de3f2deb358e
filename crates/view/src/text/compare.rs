//! What changed between two runs: newly broken first, then returned, fixed, still open.

use std::io::Write;

use rummage_store::{
    Changes, Comparison, Healing, LinkMatch, LinkQuery, LinkRow, OpenRun, RunInfo, Totals, compare,
};

use super::blocks::{self, LONGEST, at, said, target};
use super::cut::cut;
use crate::ViewError;
use crate::grouping::Grouped;
use crate::listing::Listing;
use crate::number::{count, counted, rest};
use crate::phrase::cause_of;
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::when;

/// How many targets are listed that are not news.
const SHORT: usize = 10;
/// How many pages are named.
const PAGES: usize = 5;

/// In one line: `3 newly broken, 1 returned, 2 fixed, 45 still open`.
fn line(changes: &Changes) -> String {
    let parts = [
        (changes.broke, "newly broken"),
        (changes.returned, "returned"),
        (changes.healed, "fixed"),
        (changes.open, "still open"),
    ];
    let others = [
        (changes.unseen, "not checked for then"),
        (changes.passing, "unavailable and not compared"),
    ];
    let others = others.into_iter().filter(|(many, _)| *many > 0);
    let parts = parts.into_iter().chain(others);
    let parts: Vec<String> = parts.map(|(many, what)| format!("{} {what}", count(many))).collect();
    parts.join(", ")
}

/// Writes one line that compares a run with the previous one.
pub(super) fn write_changes(
    out: &mut dyn Write,
    before: &RunInfo,
    changes: &Changes,
) -> std::io::Result<()> {
    let when = when(before.started_at);
    writeln!(out, "since run {}, {when}: {}", before.number, line(changes))
}

/// The counts of a comparison, by targets.
fn counts(
    comparison: &Comparison,
    earlier: &LinkQuery<'_>,
    later: &LinkQuery<'_>,
) -> Result<Changes, ViewError> {
    let targets = |query, some: &[LinkMatch]| -> Result<u64, ViewError> {
        Ok(Grouped::of_some(query, some.iter().copied())?.groups().len() as u64)
    };
    let healed: Vec<LinkMatch> = comparison.healed.iter().map(|(found, _)| *found).collect();
    let Comparison { broke, returned, open, unseen, passing, .. } = comparison;
    let all = [&broke[..], returned, open, unseen, passing].concat();
    Ok(Changes {
        broke: targets(later, &comparison.broke)?,
        returned: targets(later, &comparison.returned)?,
        healed: targets(earlier, &healed)?,
        open: targets(later, &comparison.open)?,
        unseen: targets(later, &comparison.unseen)?,
        passing: targets(later, &comparison.passing)?,
        broken_and_doubtful: targets(later, &all)?,
    })
}

/// Writes the changes between two runs of a site.
///
/// # Errors
/// See [`ViewError`].
pub fn comparison(
    out: &mut dyn Write,
    earlier: &LinkQuery<'_>,
    later: &LinkQuery<'_>,
    listing: &Listing,
) -> Result<Changes, ViewError> {
    let comparison = compare(earlier, later)?;
    let changes = counts(&comparison, earlier, later)?;
    head(out, earlier.run(), later.run())?;
    writeln!(out, "{}", line(&changes))?;
    pages(out, later.run(), &comparison)?;
    let totals = later.run().totals()?;
    part(out, later, &totals, listing, "newly broken", &comparison.broke)?;
    part(out, later, &totals, listing, "returned", &comparison.returned)?;
    healed(out, earlier, listing, &comparison.healed)?;
    short(out, later, listing, "still open", &comparison.open)?;
    let unseen = "found now; not checked for in the earlier run";
    short(out, later, listing, unseen, &comparison.unseen)?;
    let passing = "server unavailable; not counted as new";
    short(out, later, listing, passing, &comparison.passing)?;
    let not_looked = "found then; not checked in the later run";
    short(out, earlier, listing, not_looked, &comparison.not_looked)?;
    Ok(changes)
}

fn head(out: &mut dyn Write, one: &OpenRun<'_>, two: &OpenRun<'_>) -> Result<(), ViewError> {
    let run = |info: &RunInfo| format!("run {} of {}", info.number, when(info.started_at));
    let title = two.info().title.as_deref().unwrap_or_default();
    write!(out, "{STRONG}{}{STRONG:#}  {}", safe(&shorten(title, 60)), safe(&two.info().site))?;
    writeln!(out, "  {FAINT}{} compared with {}{FAINT:#}", run(two.info()), run(one.info()))?;
    Ok(())
}

fn pages(
    out: &mut dyn Write,
    later: &OpenRun<'_>,
    comparison: &Comparison,
) -> Result<(), ViewError> {
    for (pages, what) in [(&comparison.pages_new, "new"), (&comparison.pages_gone, "gone")] {
        if pages.is_empty() {
            continue;
        }
        let mut urls = Vec::new();
        for page in pages.iter().take(PAGES) {
            urls.push(later.url(*page)?);
        }
        write_pages(out, what, &urls, pages.len() as u64)?;
    }
    Ok(())
}

fn write_pages(
    out: &mut dyn Write,
    what: &str,
    first: &[String],
    all: u64,
) -> Result<(), ViewError> {
    let mut names: Vec<String> =
        first.iter().map(|url| safe(&shorten(url, LONGEST)).to_string()).collect();
    names.extend(rest(all, first.len()));
    writeln!(out, "{} {what}: {}", counted(all, "page", "pages"), names.join(", "))?;
    Ok(())
}

/// A section with a block per target.
fn part(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    totals: &Totals,
    listing: &Listing,
    what: &str,
    some: &[LinkMatch],
) -> Result<(), ViewError> {
    let grouped = Grouped::of_some(query, some.iter().copied())?;
    if grouped.groups().is_empty() {
        return Ok(());
    }
    let many = count(grouped.groups().len() as u64);
    write!(out, "\n{STRONG}{what}{STRONG:#}  {FAINT}{many}{FAINT:#}")?;
    grouped.for_each_block(listing.limit, listing.unfold, |block| {
        writeln!(out)?;
        let way = query.run().way(block.first.target)?;
        blocks::write(out, query.run().info(), totals, listing, &block, &way)
    })?;
    cut(out, listing, grouped.groups().len() as u64, "target", "targets")
}

/// The fixed targets, by how they were fixed.
fn healed(
    out: &mut dyn Write,
    earlier: &LinkQuery<'_>,
    listing: &Listing,
    healed: &[(LinkMatch, Healing)],
) -> Result<(), ViewError> {
    let how = [
        (Healing::Mended, "fixed: the target works"),
        (Healing::TakenOut, "fixed: the link was removed from the page"),
        (Healing::PageGone, "fixed: the page was removed"),
    ];
    for (healing, what) in how {
        let some: Vec<LinkMatch> =
            healed.iter().filter(|(_, how)| *how == healing).map(|(found, _)| *found).collect();
        short(out, earlier, listing, what, &some)?;
    }
    Ok(())
}

/// A section with one or two lines per target.
fn short(
    out: &mut dyn Write,
    query: &LinkQuery<'_>,
    listing: &Listing,
    what: &str,
    some: &[LinkMatch],
) -> Result<(), ViewError> {
    let grouped = Grouped::of_some(query, some.iter().copied())?;
    let many = grouped.groups().len();
    if many == 0 {
        return Ok(());
    }
    writeln!(out, "\n{STRONG}{what}{STRONG:#}  {FAINT}{}{FAINT:#}", count(many as u64))?;
    let default = if listing.unfold { usize::MAX } else { SHORT };
    let most = listing.limit.unwrap_or(default);
    for group in grouped.groups().iter().take(most) {
        write_target(out, &query.row(&group.first)?, group.prominence.pages)?;
    }
    if let Some(rest) = rest(many as u64, most) {
        writeln!(out, "  {FAINT}{rest}: --unfold{FAINT:#}")?;
    }
    Ok(())
}

fn write_target(out: &mut dyn Write, row: &LinkRow, pages: u32) -> Result<(), ViewError> {
    let style = style::of(row.outcome.verdict);
    let name = safe(&shorten(&target(row), LONGEST)).to_string();
    let pages = counted(u64::from(pages), "page", "pages");
    let verdict = row.outcome.verdict.as_str();
    writeln!(
        out,
        "  {style}{verdict:8}{style:#} {name}  {}\n           {FAINT}on {pages}, first {}  {}{FAINT:#}",
        cause_of(row),
        at(row),
        said(row)
    )?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{link_row, plain, run_info};

    #[test]
    fn changes_since_the_run_before_take_one_line() {
        let changes =
            Changes { broke: 1_200, returned: 1, healed: 2, open: 45, ..Changes::default() };
        let text = |changes: &Changes| {
            let text = plain(|out| write_changes(out, &run_info(), changes));
            text.replace(&when(run_info().started_at), "[when]")
        };
        let counts = "since run 3, [when]: 1,200 newly broken, 1 returned, 2 fixed, 45 still open";
        assert_eq!(text(&changes), format!("{counts}\n"));
        let unseen = Changes { unseen: 7, ..changes };
        assert_eq!(text(&unseen), format!("{counts}, 7 not checked for then\n"));
    }

    #[test]
    fn pages_are_named_up_to_a_number() {
        let urls: Vec<String> = (0..5).map(|at| format!("http://a.test/{at}")).collect();
        let text = plain(|out| write_pages(out, "new", &urls[..1], 1));
        assert_eq!(text, "1 page new: http://a.test/0\n");
        let text = plain(|out| write_pages(out, "gone", &urls, 7));
        assert!(text.starts_with("7 pages gone: http://a.test/0, "), "{text}");
        assert!(text.ends_with(", http://a.test/4, and 2 more\n"), "{text}");
    }

    #[test]
    fn a_target_that_is_no_news_takes_two_lines() {
        let text = plain(|out| write_target(out, &link_row(), 2));
        let expected = "  broken   http://a.test/gone  404 Not Found\n           on 2 pages, first \
                        http://a.test/visit/ 31:7  a \"Rota\"\n";
        assert_eq!(text, expected);
    }
}
