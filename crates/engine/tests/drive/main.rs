//! What the driver does when parts of this program fail: it never waits for what will not
//! come, and what was found is kept.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod panics;
