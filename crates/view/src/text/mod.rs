//! What a person reads on a terminal: totals first, then what is wrong, worst first.

mod blocks;
mod totals;
mod trace;

use std::io::Write;

use rummage_core::crawl::Note;
use rummage_core::selection::Selection;
use rummage_core::verdict::Verdict;
use rummage_store::{Reader, RunInfo, Totals};

pub use trace::trace;

use crate::ViewError;

/// Writes a run: its head, its totals, and a block for each selected target.
///
/// # Errors
/// When the output cannot be written or the store cannot be read.
pub fn findings(
    out: &mut dyn Write,
    reader: &Reader,
    run: &RunInfo,
    selection: &Selection,
) -> Result<(), ViewError> {
    let totals = reader.totals(run.number)?;
    totals::head(out, run)?;
    totals::counts(out, run, &totals)?;
    let blocks = blocks::collect(reader, run, selection, totals.pages)?;
    for block in &blocks {
        writeln!(out)?;
        blocks::write(out, reader, run, &totals, block)?;
    }
    if blocks.is_empty() {
        writeln!(out, "\n{}", nothing(selection, &totals))?;
    }
    Ok(())
}

/// What is said when no block is shown: never more than was looked at.
fn nothing(selection: &Selection, totals: &Totals) -> &'static str {
    let unseen = totals.notes.iter().any(|row| row.note == Note::DrawnByScript);
    if unseen && totals.broken == 0 && selection.takes(Verdict::Broken) {
        "Pages here are drawn by script; their links were not seen."
    } else if *selection == Selection::default() && totals.broken == 0 {
        "Nothing that was checked is broken, doubtful or moved."
    } else if selection.takes(Verdict::Broken) && totals.broken == 0 {
        "Nothing that was checked is broken."
    } else {
        "Nothing fits the selection."
    }
}
