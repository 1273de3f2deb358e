//! What follows from what.
//!
//! The core holds all of the computing of a link check: addresses and their
//! normal form, the links in a page's bytes, what an answer means, who is asked
//! next and when. It opens no socket and no file, reads no clock, starts no task
//! and prints nothing: it is told what happened and at which [`Moment`], and says
//! what to do. Equal inputs give equal outputs, so a day of crawling with a
//! failing server is a test that runs in a millisecond.
//!
//! Where to begin reading: [`crawl::Crawl`] is the machine that the engine
//! drives; [`extract::Extractor`] turns bytes into a [`extract::reading::Reading`];
//! [`verdict::judge`] is the table from what was seen to what is said.

/// Which rules of extraction and verdicts these are. It grows when a page or a response may be
/// seen otherwise than before: what an earlier version saw is then not reused, and what only
/// the new rules see does not count as newly broken.
pub const RULES_VERSION: u32 = 1;

pub mod crawl;
pub mod evidence;
pub mod extract;
pub mod findings;
mod moment;
pub mod schedule;
pub mod url;
pub mod verdict;

pub use moment::{Moment, Seconds};
