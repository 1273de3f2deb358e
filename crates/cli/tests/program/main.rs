//! The built program, on simulated webs and files in a temporary folder.
//!
//! One binary: `harness` makes a test a few lines; the other files test what the program
//! promises.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod absence;
mod again;
mod arrivals;
mod bad_input;
mod bounds;
mod columns;
mod credentials;
mod demo;
mod digests;
mod doc_examples;
mod fleet;
mod folder;
mod folding;
mod harness;
mod hostile;
mod interrupted;
mod listing;
mod mending;
mod options;
mod over_time;
mod pages;
mod patrol;
mod probes;
mod reports;
mod running;
mod schedule;
mod screens;
mod settings;
mod shown;
mod starts;

mod sums;
mod suspicious;
mod tools;
#[cfg(unix)]
mod triage;
mod truth;
#[cfg(unix)]
mod tty;
mod verdicts_doc;
mod waivers;
mod wordpress;

mod written;
