//! What broke between two runs, first; then what came back, healed, and is still open.

use std::io::Write;

use rummage_store::{Changes, Comparison, Found, Healing, OpenRun, RunInfo, Sift, Totals, compare};

use super::blocks::{self, LONGEST, at, said, says, target};
use super::cut::cut;
use crate::ViewError;
use crate::gather::Gathered;
use crate::listing::Listing;
use crate::number::{count, counted};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};
use crate::when::when;

/// Targets that are told of what is no news.
const SHORT: usize = 10;
/// Pages that are named.
const PAGES: usize = 5;

/// In one line: `3 broke, 1 came back, 2 healed, 45 still open`.
fn line(changes: &Changes) -> String {
    let parts = [
        (changes.broke, "broke"),
        (changes.returned, "came back"),
        (changes.healed, "healed"),
        (changes.open, "still open"),
    ];
    let parts: Vec<String> =
        parts.iter().map(|(many, what)| format!("{} {what}", count(*many))).collect();
    parts.join(", ")
}

/// Says in a line how a run compares with the one before.
pub(super) fn write_changes(
    out: &mut dyn Write,
    before: &RunInfo,
    changes: &Changes,
) -> std::io::Result<()> {
    let when = when(before.started_at);
    write!(out, "since run {}, {when}: {}", before.number, line(changes))?;
    if changes.unseen > 0 {
        write!(out, ", {} that it could not have seen", count(changes.unseen))?;
    }
    writeln!(out)
}

/// The counts of a comparison, by targets.
fn counts(
    comparison: &Comparison,
    earlier: &Sift<'_>,
    later: &Sift<'_>,
) -> Result<Changes, ViewError> {
    let targets = |sift, some: &[Found]| -> Result<u64, ViewError> {
        Ok(Gathered::of_some(sift, some.iter().copied())?.groups().len() as u64)
    };
    let healed: Vec<Found> = comparison.healed.iter().map(|(found, _)| *found).collect();
    Ok(Changes {
        broke: targets(later, &comparison.broke)?,
        returned: targets(later, &comparison.returned)?,
        healed: targets(earlier, &healed)?,
        open: targets(later, &comparison.open)?,
        unseen: targets(later, &comparison.unseen)?,
    })
}

/// Writes what two runs of a site have to say to each other.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn comparison(
    out: &mut dyn Write,
    earlier: &Sift<'_>,
    later: &Sift<'_>,
    listing: &Listing,
) -> Result<Changes, ViewError> {
    let comparison = compare(earlier, later)?;
    let changes = counts(&comparison, earlier, later)?;
    head(out, earlier.run(), later.run())?;
    writeln!(out, "{}", line(&changes))?;
    pages(out, later.run(), &comparison)?;
    let totals = later.run().totals()?;
    part(out, later, &totals, listing, "broke", &comparison.broke)?;
    part(out, later, &totals, listing, "came back", &comparison.returned)?;
    healed(out, earlier, listing, &comparison.healed)?;
    short(out, later, listing, "still open", &comparison.open)?;
    let unseen = "found now; the earlier run could not have seen it";
    short(out, later, listing, unseen, &comparison.unseen)?;
    let passing = "found now, where a server was away, busy or refused everything: no news";
    short(out, later, listing, passing, &comparison.passing)?;
    let not_looked = "found then; the later run did not look there";
    short(out, earlier, listing, not_looked, &comparison.not_looked)?;
    Ok(changes)
}

fn head(out: &mut dyn Write, one: &OpenRun<'_>, two: &OpenRun<'_>) -> Result<(), ViewError> {
    let run = |info: &RunInfo| format!("run {} of {}", info.number, when(info.started_at));
    let title = two.info().title.as_deref().unwrap_or_default();
    write!(out, "{STRONG}{}{STRONG:#}  {}", safe(&shorten(title, 60)), safe(&two.info().site))?;
    writeln!(out, "  {FAINT}{} beside {}{FAINT:#}", run(two.info()), run(one.info()))?;
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
        let mut names = Vec::new();
        for page in pages.iter().take(PAGES) {
            names.push(safe(&shorten(&later.url(*page)?, LONGEST)).to_string());
        }
        let more = pages.len().saturating_sub(PAGES) as u64;
        if more > 0 {
            names.push(format!("and {} more", count(more)));
        }
        let many = counted(pages.len() as u64, "page is", "pages are");
        writeln!(out, "{many} {what}: {}", names.join(", "))?;
    }
    Ok(())
}

/// A part with a block a target.
fn part(
    out: &mut dyn Write,
    sift: &Sift<'_>,
    totals: &Totals,
    listing: &Listing,
    what: &str,
    some: &[Found],
) -> Result<(), ViewError> {
    let gathered = Gathered::of_some(sift, some.iter().copied())?;
    if gathered.groups().is_empty() {
        return Ok(());
    }
    let many = count(gathered.groups().len() as u64);
    write!(out, "\n{STRONG}{what}{STRONG:#}  {FAINT}{many}{FAINT:#}")?;
    gathered.for_each_block(listing.limit, listing.unfold, |block| {
        writeln!(out)?;
        blocks::write(out, sift.run(), totals, listing, &block)
    })?;
    cut(out, listing, gathered.groups().len() as u64, "target", "targets")
}

/// What healed, and how.
fn healed(
    out: &mut dyn Write,
    earlier: &Sift<'_>,
    listing: &Listing,
    healed: &[(Found, Healing)],
) -> Result<(), ViewError> {
    let how = [
        (Healing::Mended, "healed: the link leads where it should"),
        (Healing::TakenOut, "healed: the page has no such link any more"),
        (Healing::PageGone, "healed: the page is gone"),
    ];
    for (healing, what) in how {
        let some: Vec<Found> =
            healed.iter().filter(|(_, how)| *how == healing).map(|(found, _)| *found).collect();
        short(out, earlier, listing, what, &some)?;
    }
    Ok(())
}

/// A part with a line or two a target.
fn short(
    out: &mut dyn Write,
    sift: &Sift<'_>,
    listing: &Listing,
    what: &str,
    some: &[Found],
) -> Result<(), ViewError> {
    let gathered = Gathered::of_some(sift, some.iter().copied())?;
    let many = gathered.groups().len();
    if many == 0 {
        return Ok(());
    }
    writeln!(out, "\n{STRONG}{what}{STRONG:#}  {FAINT}{}{FAINT:#}", count(many as u64))?;
    let preset = if listing.unfold { usize::MAX } else { SHORT };
    let most = listing.limit.unwrap_or(preset);
    for group in gathered.groups().iter().take(most) {
        let row = sift.row(&group.first)?;
        let style = style::of(row.outcome.verdict);
        let name = safe(&shorten(&target(&row), LONGEST)).to_string();
        let pages = counted(u64::from(group.reach.pages), "page", "pages");
        let verdict = row.outcome.verdict.as_str();
        writeln!(
            out,
            "  {style}{verdict:8}{style:#} {name}  {}\n           {FAINT}on {pages}, first {}  {}{FAINT:#}",
            says(&row.outcome),
            at(&row),
            said(&row)
        )?;
    }
    let more = many.saturating_sub(most) as u64;
    if more > 0 {
        writeln!(out, "  {FAINT}and {} more: --unfold{FAINT:#}", count(more))?;
    }
    Ok(())
}
