//! How does it look?
//!
//! Every output is a pass over what a [`rummage_store::Reader`] gives, written to
//! whatever the caller holds: one file a format. What a page says is hostile:
//! [`safe`] shows it and never obeys it. Nothing else in the tool knows how
//! things look.

mod arrivals;
mod cells;
mod digest;
mod gather;
mod listing;
mod markdown;
mod number;
mod pages;
mod phrase;
pub mod progress;
mod rows;
mod safe;
mod style;
mod text;
mod when;

use std::io;

pub use arrivals::{
    ARRIVAL_COLUMNS, ArrivalRow, ArrivalsHead, arrival_json, arrival_markdown, arrival_rows,
    arrivals, sort_arrivals,
};
pub use digest::{Letter, letter};
pub use listing::{FileOf, Group, Listing, Sort, Source};
pub use markdown::markdown;
pub use number::{count, counted, duration};
pub use phrase::ending;
pub use rows::{
    RowFormat, Shown, columns, json, json_of, links_to, recheck_rows, rows, schedule_rows,
};
pub use safe::safe;
pub use text::{
    Covered, Plan, Planned, WaiverRow, comparison, findings, lifted, pages, patrol, recheck, runs,
    schedule, sites, trace, undelivered, waived, waivers, would_waive,
};
pub use when::{day, when};

use rummage_store::StoreError;

/// Why an output was not finished.
#[derive(Debug, thiserror::Error)]
pub enum ViewError {
    /// It could not be written. A closed pipe is one of these.
    #[error("the output cannot be written: {0}")]
    Write(#[from] io::Error),
    /// The store could not be read.
    #[error(transparent)]
    Store(#[from] StoreError),
}
