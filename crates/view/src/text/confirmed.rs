//! Which repairs of a plan are done.

use std::io::Write;

use anstyle::{AnsiColor, Style};

use crate::ViewError;
use crate::safe::safe;
use crate::style::FAINT;

/// What became of a repair.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum RepairState {
    /// It works.
    Done,
    /// Its links, or the server, are still as before.
    NotYet,
    /// It was made, and does not work.
    Failed,
}

impl RepairState {
    /// Its name in output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            RepairState::Done => "done",
            RepairState::NotYet => "not yet",
            RepairState::Failed => "failed",
        }
    }

    fn style(self) -> Style {
        match self {
            RepairState::Done => AnsiColor::Green.on_default(),
            RepairState::NotYet => AnsiColor::Yellow.on_default(),
            RepairState::Failed => AnsiColor::Red.on_default(),
        }
    }
}

/// A repair that was confirmed, or not.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ConfirmedRow {
    /// What became of it.
    pub state: RepairState,
    /// The target, or what URLs start with.
    pub target: String,
    /// The new URL.
    pub to: Option<String>,
    /// What shows it.
    pub note: String,
}

/// The width of the column for the state.
const STATE: usize = 9;

/// Writes the repairs that are not done, then the totals; all of them if `whole`.
///
/// # Errors
/// See [`ViewError`].
pub fn confirmed(out: &mut dyn Write, rows: &[ConfirmedRow], whole: bool) -> Result<(), ViewError> {
    for state in [RepairState::Failed, RepairState::NotYet, RepairState::Done] {
        let style = state.style();
        let shown = rows.iter().filter(|row| row.state == state);
        for row in shown.filter(|row| whole || row.state != RepairState::Done) {
            writeln!(out, "{style}{:STATE$}{style:#}{}", state.as_str(), safe(&row.target))?;
            let indent = STATE - 3;
            if let Some(to) = &row.to {
                writeln!(out, "{:indent$}-> {}", "", safe(to))?;
            }
            writeln!(out, "{:indent$}   {FAINT}{}{FAINT:#}", "", safe(&row.note))?;
        }
    }
    let count = |state| rows.iter().filter(|row| row.state == state).count();
    writeln!(
        out,
        "{} done, {} not yet, {} failed",
        count(RepairState::Done),
        count(RepairState::NotYet),
        count(RepairState::Failed)
    )?;
    Ok(())
}
