//! What is written to a store can be read back: complete, in order, after any stop.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod again;
mod faults;
mod link_query;
mod notify;
mod over_time;
mod questions;
mod reading;
mod replay;
mod site;
