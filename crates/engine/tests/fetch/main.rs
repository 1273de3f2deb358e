//! What the fetcher sees of servers that behave, and of servers that do not.
//!
//! Every server here is a listener on loopback that plays a script, byte by byte.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod answers;
mod at_hand;
mod failures;
mod manners;
mod names;
mod script;
mod secure;
