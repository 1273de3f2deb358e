//! What the driver does when parts of this program fail: it never waits for something that will
//! not come, and results so far are kept.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod panics;
