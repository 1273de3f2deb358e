//! A run with what fits a selection.

use std::io::Write;

use rummage_core::crawl::Note;
use rummage_core::findings::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{OpenRun, Reader, RunInfo, RunKind, RunState, Totals};

use super::cut::cut;
use super::{blocks, by_cause, by_host, by_page, compare, lines, totals};
use crate::ViewError;
use crate::gather::Gathered;
use crate::listing::{Group, Listing};
use crate::number::counted;
use crate::{phrase, rows};

/// What was given for once has nothing to do with what was given before.
pub(crate) fn is_ad_hoc(run: &RunInfo) -> bool {
    run.kind == RunKind::Probe && matches!(&*run.site, "./arguments" | "./standard-input")
}

/// Writes a run: its head, its totals, and what fits the selection, as it is to be grouped.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn findings(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<(), ViewError> {
    let totals = run.totals()?;
    totals::head(out, run.info())?;
    totals::counts(out, run.info(), &totals, listing.verbose)?;
    // What a run that is under way has healed is known at its end.
    let has_ended = run.info().state != RunState::Going;
    if let Some(before) =
        reader.run_before(run.info())?.filter(|_| has_ended && !is_ad_hoc(run.info()))
    {
        compare::write_changes(out, &before, &run.changes()?)?;
    }
    let sift = run.sift(selection)?;
    let gathered = rows::gathered(&sift, listing)?;
    if gathered.links == 0 {
        writeln!(out, "\n{}", nothing(selection, &totals))?;
        return Ok(());
    }
    selected(out, selection, &gathered)?;
    match listing.group {
        Group::Target => by_target(out, &gathered, &totals, listing),
        Group::Page => {
            drop(gathered);
            by_page::write(out, &sift, &totals, listing)
        }
        Group::Host => by_host::write(out, gathered, &sift, listing),
        Group::Cause => by_cause::write(out, gathered, &sift, listing),
        Group::None => lines::write(out, &sift, listing),
    }
}

/// Blocks that fill a screen.
const SEEN_AT_ONCE: usize = 20;

/// What fits, in numbers, where that is not all that was found.
fn selected(
    out: &mut dyn Write,
    selection: &Selection,
    gathered: &Gathered<'_>,
) -> Result<(), ViewError> {
    if *selection == Selection::default() {
        return Ok(());
    }
    let targets = counted(gathered.groups().len() as u64, "target fits", "targets fit");
    let links = counted(gathered.links, "link", "links");
    let verdicts = phrase::verdicts(&gathered.counts());
    writeln!(out, "{targets} the selection ({verdicts}), on {links}")?;
    Ok(())
}

fn by_target(
    out: &mut dyn Write,
    gathered: &Gathered<'_>,
    totals: &Totals,
    listing: &Listing,
) -> Result<(), ViewError> {
    let mut told = 0;
    gathered.for_each_block(listing.limit, listing.unfold, |block| {
        writeln!(out)?;
        blocks::write(out, gathered.run(), totals, listing, &block)?;
        // Who waits sees the worst at once, however long the list.
        told += 1;
        if told == SEEN_AT_ONCE {
            out.flush()?;
        }
        Ok::<_, ViewError>(())
    })?;
    cut(out, listing, gathered.groups().len() as u64, "target", "targets")
}

/// What is said when no block is shown: never more than was looked at.
fn nothing(selection: &Selection, totals: &Totals) -> String {
    let unseen = totals.notes.iter().any(|row| row.note == Note::DrawnByScript);
    if unseen && totals.broken == 0 && selection.takes(Verdict::Broken) {
        "Pages here are drawn by script; their links were not seen.".to_owned()
    } else if *selection == Selection::default() && totals.broken == 0 {
        "Nothing that was checked is broken, doubtful or moved.".to_owned()
    } else if !selection.is_narrow() && selection.takes(Verdict::Broken) && totals.broken == 0 {
        "Nothing that was checked is broken.".to_owned()
    } else {
        format!("Nothing fits the selection. {}", fewer_filters(selection))
    }
}

/// What to leave out so that something may fit.
fn fewer_filters(selection: &Selection) -> String {
    let given = [
        ("--cause", !selection.causes.is_empty()),
        ("--status", !selection.statuses.is_empty()),
        ("--scope", selection.scope.is_some()),
        ("--element", !selection.elements.is_empty()),
        ("--host", !selection.hosts.is_empty()),
        ("--target", !selection.targets.is_empty()),
        ("--page", !selection.pages.is_empty()),
        ("--text", !selection.text.is_empty()),
        ("--search", !selection.search.is_empty()),
        ("--standing", !selection.standings.is_empty()),
    ];
    let names: Vec<&str> =
        given.iter().filter(|(_, given)| *given).map(|(name, _)| *name).collect();
    let all = if Verdict::ALL.iter().all(|verdict| selection.takes(*verdict)) {
        ""
    } else {
        ", or add --all: sound links and those not checked count then too"
    };
    match names.as_slice() {
        [] => "Try --all: sound links and those not checked count then too.".to_owned(),
        [one] => format!("Leave out {one}{all}."),
        several => format!("Leave out one of {}{all}.", several.join(", ")),
    }
}
