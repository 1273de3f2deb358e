//! The Ashlock Canal Museum: a small volunteer museum on a disused canal, and its partners.

mod address_book;
mod attic;
mod earlier;
mod handed;
mod pages;
mod partners;
mod row;
mod truth;

use crate::scenario::Scenario;
use row::HOST;

pub use earlier::museum_earlier;
pub use handed::{
    ADDRESSES, ARRIVED, Arrived, BUILT_TRUTH, BUILT_UNREACHED, Row, access_log, addresses, built,
    write_handed,
};

/// The web that people see when they try the tool.
#[must_use]
pub fn museum() -> Scenario {
    let mut hosts = partners::hosts();
    hosts.extend(address_book::hosts());
    let (host, pages) = pages::host();
    hosts.insert(HOST.to_owned(), host);
    Scenario { start: HOST.to_owned(), hosts, truth: truth::faults(), pages }
}
