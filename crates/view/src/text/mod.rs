//! Text for a terminal: totals first, then findings, worst first.

mod blocks;
mod by_cause;
mod by_host;
mod by_page;
mod compare;
mod confirmed;
mod cut;
mod diff;
mod findings;
mod lines;
mod note_objects;
mod page;
mod recheck;
mod repairs;
mod schedule;
mod sites;
pub(crate) mod tally;
pub(crate) mod totals;
mod trace;
mod waivers;
mod watching;

pub(crate) use blocks::{at, at_line, entry, evidence_text, is_entry, said, standing, target};
pub use compare::comparison;
pub use confirmed::{ConfirmedRow, RepairState, confirmed};
pub use diff::{diff, patch};
pub(crate) use findings::summary_lines;
pub use findings::{findings, summary, summary_with_objects};
pub use page::pages;
pub(crate) use recheck::RecheckedUrl;
pub use recheck::recheck;
pub use repairs::{RepairRow, repairs};
pub use schedule::{Plan, Planned, schedule};
pub use sites::{runs, sites};
pub use trace::{trace, trace_placeholder};
pub use waivers::{Covered, WaiverRow, lifted, waived, waivers, would_waive};
pub use watching::{patrol, undelivered};
