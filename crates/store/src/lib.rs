//! What did we learn, and can we trust it after a crash?
//!
//! A store is one SQLite file. Facts stand in it once: addresses, marks (what a
//! link says) and page versions (where marks stand in a page) are shared by all
//! runs; attempts and verdicts belong to a run.
//!
//! One [`RunWriter`] at a time adds to a store, in transactions that keep what
//! belongs together; any number of [`Reader`]s look on meanwhile. What is
//! committed is sound after a kill: SQLite's write-ahead log sees to that.
//!
//! This crate alone knows SQL. The schema is `db/schema.sql`;
//! `docs/store.md` tells people how to query it.

mod admin;
mod codec;
mod db;
mod findings;
mod model;
mod notify;
mod read;
mod tables;
mod write;

pub use admin::patrol_lock::{Guard, PatrolStatus, patrol_of};
pub use admin::sites::{Pruned, SiteRow, prune};
pub use db::error::StoreError;
pub use findings::compare::{Comparison, Healing, compare};
pub use findings::waived::FindingFacts;
pub use model::{
    Address, Changes, Channel, History, LinkRow, NotReadCount, NoteRow, Outcome, PageRow, RunInfo,
    RunKind, RunState, SkipCount, SlowedServer, TargetRow, Telling, Totals, TraceRow,
};
pub use notify::digest::{Counts, Digest, Place as DigestPlace, Told};
pub use notify::outbox::{Letter, Outbox, Undelivered};
pub use read::backlinks::Carried;
pub use read::checks::Check;
pub use read::link_query::{Found, Sift};
pub use read::memory::Memory;
pub use read::open::OpenRun;
pub use read::reader::Reader;
pub use read::url_history::{PastFinding, PastVerdict};
pub use write::{NewRun, RunWriter};
