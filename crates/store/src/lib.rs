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
//! This crate alone knows SQL. The schema is `schema.sql`, beside this file;
//! `docs/store.md` tells people how to query it.

mod again;
mod carriers;
mod checks;
mod compare;
mod connection;
mod digest;
mod endings;
mod error;
mod evidence;
mod folds;
mod guard;
mod history;
mod known;
mod marks;
mod memory;
mod notes;
mod open;
mod order;
mod outbox;
mod pack;
mod past;
mod reader;
mod records;
mod replay;
mod rows;
mod sayings;
mod sift;
mod sight;
mod sites;
mod telling;
mod totals;
mod waived;
mod writer;

pub use carriers::Carried;
pub use checks::Check;
pub use compare::{Comparison, Healing, compare};
pub use digest::{Counts, Digest, Place as DigestPlace, Told};
pub use error::StoreError;
pub use guard::{Guard, PatrolStatus, patrol_of};
pub use memory::Memory;
pub use notes::NoteRow;
pub use open::OpenRun;
pub use outbox::{Letter, Outbox, Undelivered};
pub use past::{PastFinding, PastVerdict};
pub use reader::Reader;
pub use records::{
    Address, Changes, History, LinkRow, NotReadCount, Outcome, PageRow, RunInfo, RunKind, RunState,
    SkipCount, SlowedServer, TargetRow, Totals, TraceRow,
};
pub use sift::{Found, Sift};
pub use sites::{Pruned, SiteRow, prune};
pub use telling::{Channel, Telling};
pub use waived::FindingFacts;
pub use writer::{NewRun, RunWriter};
