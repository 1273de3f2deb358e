//! What comes out of a store, in plain types: they know no SQL.

mod records;
mod telling;

pub use records::{
    Address, Changes, History, LinkRow, NotReadCount, NoteRow, Outcome, PageRow, RunInfo, RunKind,
    RunState, SkipCount, SlowedServer, TargetRow, Totals, TraceRow,
};
pub use telling::{Channel, Telling};
