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
//! drives; [`extract::Extractor`] turns bytes into a [`reading::Reading`];
//! [`verdict::judge`] is the table from what was seen to what is said.

pub mod address;
pub mod arrivals;
pub mod compare;
pub mod crawl;
pub mod due;
pub mod extract;
pub mod fragment;
mod frontier;
pub mod hashed;
pub mod lists;
pub mod mailto;
mod memo;
pub mod moment;
pub mod network;
pub mod outcome;
pub mod pace;
pub mod patrol;
pub mod pattern;
pub mod query;
pub mod rank;
pub mod reach;
pub mod reading;
pub mod retry;
pub mod robots;
pub mod scope;
pub mod selection;
pub mod sent;
pub mod shared;
pub mod signs;
pub mod standing;
pub mod telling;
pub mod trap;
pub mod verdict;
pub mod waiver;

pub use moment::Moment;
