//! The Ashlock Canal Museum: a small volunteer museum on a disused canal, and its partners.

mod attic;
mod earlier;
mod files;
mod link_table;
mod pages;
mod partners;
mod row;
mod truth;

use crate::scenario::Scenario;
use row::HOST;

pub use earlier::museum_earlier;
pub use files::{
    ARRIVED, Arrived, BUILT_TRUTH, BUILT_UNREACHED, MOVED_TRUTH, Row, URLS, access_log, built,
    moved, urls, write_files, write_pages,
};

/// The web for people who try Rummage.
#[must_use]
pub fn museum() -> Scenario {
    let mut hosts = partners::hosts();
    hosts.extend(link_table::hosts());
    let (host, pages) = pages::host();
    hosts.insert(HOST.to_owned(), host);
    Scenario { start: HOST.to_owned(), hosts, truth: truth::faults(), pages }
}
