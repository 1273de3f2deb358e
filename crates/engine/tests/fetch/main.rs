//! The fetcher with servers that behave, and with servers that do not.
//!
//! Every server here is a listener on loopback that plays a script, byte by byte.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod failures;
mod local_files;
mod manners;
mod names;
mod responses;
mod script;
mod secure;
