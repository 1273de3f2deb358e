//! How results look: every output format of the tool.
//!
//! Each output reads from a [`rummage_store::Reader`] and writes to any writer; there is one file
//! per format. Text from pages is hostile: [`safe()`] shows it without interpreting it. No other
//! crate knows what output looks like.

mod arrivals;
mod columns;
mod digest;
mod fleet;
mod format_info;
mod grouping;
mod heading;
mod listing;
mod markdown;
mod mask;
mod number;
mod pages;
mod phrase;
pub mod progress;
pub mod redirects;
mod report;
mod rows;
mod safe;
mod sitemap;
mod skipped;
mod style;
mod targets;
#[cfg(test)]
mod testing;
mod text;
mod when;

use std::io;

pub use arrivals::{
    ARRIVAL_COLUMNS, ArrivalRow, ArrivalsHead, arrival_json, arrival_markdown, arrival_rows,
    arrivals, sort_arrivals,
};
pub use digest::{DigestEmail, email};
pub use fleet::{FleetListing, fleet_sites, fleet_status, fleet_status_rows};
pub use format_info::FormatInfo;
pub use heading::{Heading, Logo};
pub use listing::{FileOf, Group, Listing, Sort, Source};
pub use markdown::markdown;
pub use mask::Masked;
pub use number::{count, counted, duration};
pub use phrase::{cause, editor, outcome};
pub use report::{ReportFormat, baseline};
pub use rows::{
    RowFormat, Shown, columns, each_link, json, json_of, links_to, recheck_rows, rows, rows_of_all,
    schedule_rows, schema,
};
pub use safe::{safe, safe_json};
pub use sitemap::{SitemapParts, sitemap_index};
pub use targets::{
    Occurrence, Section, TargetDetail, TargetId, TargetLine, TargetList, TargetOrder,
};
pub use text::{
    ConfirmedRow, Covered, Plan, Planned, RepairRow, RepairState, WaiverRow, comparison, confirmed,
    diff, findings, lifted, pages, patch, patrol, recheck, repairs, run_title, runs, schedule,
    sites, summary, summary_with_objects, trace, trace_placeholder, undelivered, waived, waivers,
    would_waive,
};
pub use when::{day, when};

use rummage_store::StoreError;

/// Why an output could not be completed.
#[derive(Debug, thiserror::Error)]
pub enum ViewError {
    /// The output could not be written. A closed pipe is one of these.
    #[error("cannot write the output: {0}")]
    Write(#[from] io::Error),
    /// The store could not be read.
    #[error(transparent)]
    Store(#[from] StoreError),
}
