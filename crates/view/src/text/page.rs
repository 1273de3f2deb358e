//! The links on single pages, in source order.

use std::io::Write;

use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::verdict::Verdict;
use rummage_store::{LinkRow, OpenRun, Outcome, RunInfo, StoreError, StoredUrl};

use super::blocks::{LONGEST, at_line, said, target};
use crate::ViewError;
use crate::listing::Listing;
use crate::number::{count, counted};
use crate::phrase::{cause_of, cause_of_outcome};
use crate::safe::{safe, shorten};
use crate::style::{self, FAINT, STRONG};

/// Titles are cut to this many characters.
const TITLE: usize = 60;

/// The links of one page, by verdict.
#[derive(Debug, Default)]
struct Tally {
    links: u64,
    /// Without waived links.
    verdicts: [u64; Verdict::ALL.len()],
    waived: u64,
    new: u64,
}

impl Tally {
    fn take(&mut self, row: &LinkRow) {
        self.links += 1;
        if row.waived {
            self.waived += 1;
            return;
        }
        let occurrence = Verdict::ALL.iter().position(|verdict| *verdict == row.outcome.verdict);
        self.verdicts[occurrence.expect("all verdicts are among them")] += 1;
        self.new += u64::from(is_new(row));
    }

    fn of(&self, verdict: Verdict) -> u64 {
        let occurrence = Verdict::ALL.iter().position(|known| *known == verdict);
        self.verdicts[occurrence.expect("all verdicts are among them")]
    }
}

/// Writes the matching links of pages, each page with its counts. `before` is the run against
/// which links are new.
///
/// # Errors
/// See [`ViewError`].
pub fn pages(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    pages: &[StoredUrl],
    selection: &Selection,
    listing: &Listing,
    before: Option<&RunInfo>,
) -> Result<(), ViewError> {
    super::totals::suspicion(out, run.info(), &run.notes()?)?;
    for (occurrence, page) in pages.iter().enumerate() {
        if occurrence > 0 {
            writeln!(out)?;
        }
        one(out, run, *page, selection, listing, before)?;
    }
    Ok(())
}

fn one(
    out: &mut dyn Write,
    run: &OpenRun<'_>,
    page: StoredUrl,
    selection: &Selection,
    listing: &Listing,
    before: Option<&RunInfo>,
) -> Result<(), ViewError> {
    let url = run.url(page)?;
    let title = run.page(page)?.and_then(|page| page.title).unwrap_or_default();
    write!(out, "{STRONG}{}{STRONG:#}", safe(&shorten(&url, LONGEST)))?;
    writeln!(out, "  {FAINT}{}{FAINT:#}", safe(&shorten(&title, TITLE)))?;
    let all = Selection::all();
    let Some(query) = run.query_on(page, &all)? else {
        writeln!(out, "  {}", not_parsed(run.outcome(page)?.as_ref()))?;
        return Ok(());
    };
    let mut tally = Tally::default();
    query.for_each(|found| {
        tally.take(&query.row(found)?);
        Ok::<_, StoreError>(())
    })?;
    counts(out, &tally, before)?;
    let shown = run.query_on(page, selection)?.expect("it was parsed");
    shown.for_each(|found| link(out, &shown.row(found)?, listing))
}

/// Why a page has no links to show.
fn not_parsed(outcome: Option<&Outcome>) -> String {
    match outcome {
        Some(outcome) if outcome.verdict == Verdict::Sound => {
            "requested, but not a page that can be parsed".to_owned()
        }
        Some(outcome) => format!("{}  {}", outcome.verdict, cause_of_outcome(outcome)),
        None => "not requested".to_owned(),
    }
}

fn counts(out: &mut dyn Write, tally: &Tally, before: Option<&RunInfo>) -> Result<(), ViewError> {
    write!(out, "  {}", counted(tally.links, "link", "links"))?;
    let shown = [Verdict::Broken, Verdict::Doubtful, Verdict::Moved, Verdict::Sound];
    for (occurrence, verdict) in shown.into_iter().enumerate() {
        let number = tally.of(verdict);
        let style = if number > 0 { style::of(verdict) } else { FAINT };
        let gap = if occurrence > 0 { ", " } else { ": " };
        write!(out, "{gap}{style}{} {verdict}{style:#}", count(number))?;
    }
    let skipped = tally.of(Verdict::Skipped);
    if skipped > 0 {
        write!(out, ", {FAINT}{} not checked{FAINT:#}", count(skipped))?;
    }
    if tally.waived > 0 {
        write!(out, ", {FAINT}{} waived{FAINT:#}", count(tally.waived))?;
    }
    if let Some(before) = before {
        write!(out, "; {} new since run {}", count(tally.new), before.number)?;
    }
    writeln!(out)?;
    Ok(())
}

fn is_new(row: &LinkRow) -> bool {
    let history = row.history.filter(|history| history.has_before);
    let standing = history.map(|history| history.standing);
    matches!(standing, Some(Standing::New | Standing::Returned))
}

fn link(out: &mut dyn Write, row: &LinkRow, listing: &Listing) -> Result<(), ViewError> {
    let style = style::of(row.outcome.verdict);
    let verdict = row.outcome.verdict.as_str();
    let name = safe(&shorten(&target(row), LONGEST)).to_string();
    let at = at_line(row);
    write!(out, "  {at:8} {style}{verdict:8}{style:#} {name}  {}", cause_of(row))?;
    match row.waived {
        true => writeln!(out, "  {FAINT}waived{FAINT:#}")?,
        false => writeln!(out, "{STRONG}{}{STRONG:#}", if is_new(row) { "  new" } else { "" })?,
    }
    let region = row.region.map_or(String::new(), |region| format!("  in {}", region.as_str()));
    writeln!(out, "           {}{FAINT}{region}{FAINT:#}", said(row))?;
    if let Some(moved_to) = &row.outcome.moved_to {
        writeln!(out, "           now at {}", safe(&shorten(moved_to, LONGEST)))?;
    }
    let source = listing.source.as_ref();
    if let Some(source) = source.and_then(|source| source.of(&row.page, row.line, row.column)) {
        writeln!(out, "           {FAINT}{}{FAINT:#}", safe(&shorten(&source, LONGEST)))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::listing::Group;
    use crate::testing::{link_row, outcome, plain};

    #[test]
    fn links_are_counted_by_verdict() {
        let mut tally = Tally::default();
        for _ in 0..3 {
            tally.take(&link_row());
        }
        let sound = outcome(Verdict::Sound, None, Some(200));
        tally.take(&LinkRow { outcome: sound, ..link_row() });
        let waived = LinkRow { waived: true, ..link_row() };
        tally.take(&waived);
        let text = plain(|out| counts(out, &tally, None));
        let counted = "  5 links: 3 broken, 0 doubtful, 0 moved, 1 sound, 1 waived\n";
        assert_eq!(text, counted);
        let text = plain(|out| link(out, &waived, &Listing::by(Group::Target)));
        assert!(text.contains("404 Not Found  waived\n"), "{text}");
        let counts = Verdict::ALL.map(|verdict| tally.of(verdict));
        assert_eq!(counts.iter().sum::<u64>(), 4);
        assert_eq!((tally.of(Verdict::Broken), tally.of(Verdict::Sound)), (3, 1));
    }

    #[test]
    fn a_page_without_links_says_why() {
        let sound = outcome(Verdict::Sound, None, Some(200));
        assert_eq!(not_parsed(Some(&sound)), "requested, but not a page that can be parsed");
        assert_eq!(not_parsed(Some(&link_row().outcome)), "broken  404 Not Found");
        assert_eq!(not_parsed(None), "not requested");
    }
}
