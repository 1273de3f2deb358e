//! Times in the form people read: in the local time zone, which is named.
//!
//! Output for other programs uses UTC.

use jiff::Timestamp;
use jiff::tz::TimeZone;

/// `2026-11-23 21:40 CET`
#[must_use]
pub fn when(time: Timestamp) -> String {
    local(time, "%Y-%m-%d %H:%M %Z")
}

/// `2026-11-23 21:40:07 CET`
pub(crate) fn when_to_the_second(time: Timestamp) -> String {
    local(time, "%Y-%m-%d %H:%M:%S %Z")
}

/// `2026-11-23`
#[must_use]
pub fn day(time: Timestamp) -> String {
    local(time, "%Y-%m-%d")
}

fn local(time: Timestamp, format: &str) -> String {
    time.to_zoned(TimeZone::system()).strftime(format).to_string()
}
