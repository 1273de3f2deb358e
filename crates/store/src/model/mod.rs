//! What comes out of a store, in plain types: they know no SQL.

mod notify;
mod records;

pub use notify::{Channel, NotifySettings};
pub use records::{
    Changes, History, LinkRow, NotParsedCount, NoteRow, Outcome, PageRow, RunInfo, RunKind,
    RunState, SkipCount, SlowedServer, StoredUrl, TargetRow, Totals, TraceRow,
};
