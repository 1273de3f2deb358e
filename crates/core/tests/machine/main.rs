//! The crawl as a machine, on simulated webs, with a clock that jumps.
//!
//! One binary: `web` has the simulated web and the loop that drives the machine; the other files
//! test its guarantees.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod absent;
mod again;
mod bounds;
mod cookies;
mod failures;
mod given;
mod limits;
mod order;
mod pacing;
mod parts;
mod passing;
mod pretences;
mod redirects;
mod replay;
mod replies;
mod robots;
mod traps;
mod waiting;
mod web;
