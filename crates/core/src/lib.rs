//! The computing behind link checking.
//!
//! The core holds everything that can be computed without I/O: URLs and their normal form, the
//! links in a page's bytes, what a response means, and which URL is requested next and when. It
//! opens no socket or file, reads no clock, starts no task and prints nothing: its callers report
//! what happened and at which [`Moment`], and it answers what to do. Equal inputs give equal
//! outputs, so a day of crawling with a failing server is a test that runs in a millisecond.
//!
//! Where to start reading: [`crawl::Crawl`] is the machine that the engine drives;
//! [`extract::Extractor`] turns bytes into a [`extract::reading::Reading`]; [`verdict::judge`] is
//! the table from evidence to verdict.

/// The version of the rules for extraction and verdicts. It grows when a page or response may be
/// read differently than before: results of earlier versions are then not reused, and what only
/// the new rules find does not count as newly broken.
pub const RULES_VERSION: u32 = 6;

pub mod crawl;
pub mod evidence;
pub mod extract;
pub mod findings;
pub mod long_list;
pub mod mend;
mod moment;
pub mod schedule;
pub mod sitemap;
#[cfg(test)]
mod stored_words;
pub mod url;
pub mod verdict;

pub use moment::{Moment, Seconds};
