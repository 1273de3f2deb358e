//! The store: everything runs have found, kept safe across crashes.
//!
//! A store is one SQLite file, in which each fact is stored once: URLs, link contents and page
//! versions (which link contents are where on a page) are shared by all runs; attempts and
//! verdicts belong to a run.
//!
//! One [`RunWriter`] at a time adds to a store, in transactions that keep related data together;
//! any number of [`Reader`]s can read meanwhile. Committed data survives a kill, thanks to
//! SQLite's write-ahead log.
//!
//! Functions that read or write a store return [`StoreError`], which lists what can go wrong.
//!
//! Only this crate contains SQL. The schema is `db/schema.sql`; `docs/store.md` explains how to
//! query it.

mod admin;
mod codec;
mod db;
mod findings;
mod model;
mod notify;
mod read;
mod tables;
mod write;

pub use admin::copy::copy;
pub use admin::patrol_lock::{Guard, PatrolStatus, patrol_of};
pub use admin::sites::{Pruned, SiteRow, prune};
pub use admin::write_back::write_back;
pub use db::error::StoreError;
pub use findings::compare::{Comparison, Healing, compare};
pub use findings::waived::FindingFacts;
pub use model::{
    Changes, Channel, FROM_FOLDER, History, LastRun, LinkRow, NotParsedCount, NoteRow,
    NotifySettings, Outcome, PageRow, RequestCounts, RunInfo, RunKind, RunState, SkipCount,
    SlowedServer, StoredUrl, TargetRow, Totals, TraceRow,
};
pub use notify::digest::{Counts, Digest, DigestLink, DigestTarget, EndingCertificate};
pub use notify::outbox::{Outbox, QueuedDigest, Undelivered};
pub use read::backlinks::Backlinks;
pub use read::checks::Check;
pub use read::link_query::{LinkMatch, LinkQuery};
pub use read::memory::Memory;
pub use read::open::OpenRun;
pub use read::reader::Reader;
pub use read::sound::SoundUrl;
pub use read::url_history::{PastFinding, PastVerdict};
pub use write::{NewRun, RunWriter};
