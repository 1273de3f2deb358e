//! The data in a store, as plain types without SQL.

mod notify;
mod records;

pub use notify::{Channel, NotifySettings};
pub use records::{
    Changes, FROM_FOLDER, History, LastRun, LinkRow, NotParsedCount, NoteRow, Outcome, PageRow,
    RequestCounts, RunInfo, RunKind, RunState, SkipCount, SlowedServer, StoredUrl, TargetRow,
    Totals, TraceRow,
};
