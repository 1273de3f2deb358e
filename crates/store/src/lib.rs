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
//! This crate alone knows SQL. The schema is `schema.sql`, beside this file,
//! as the later versions change it.

mod connection;
mod error;
mod known;
mod links;
mod notes;
mod order;
mod pack;
mod reader;
mod records;
mod replay;
mod writer;

pub use error::StoreError;
pub use notes::NoteRow;
pub use reader::Reader;
pub use records::{
    LinkRow, NotReadCount, Outcome, PageRow, RunInfo, RunState, SkipCount, SlowedServer, Totals,
    TraceRow,
};
pub use replay::Replay;
pub use writer::{NewRun, RunWriter};
