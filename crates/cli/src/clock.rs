//! The wall clock, passed to the code that needs the current time.

use std::time::Duration;

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::values::time;

/// How far the clock is behind, such as `10m`: the demo has an earlier run.
pub(crate) const BEHIND: &str = "RUMMAGE_DEMO_CLOCK_BEHIND";

/// Gives the current time. The only place in the program that reads the system clock.
#[derive(Debug, Clone, Copy)]
pub(crate) struct WallClock {
    behind: Duration,
}

impl WallClock {
    /// The clock of this machine.
    pub(crate) fn system() -> WallClock {
        let behind = std::env::var(BEHIND).ok().and_then(|text| time(&text).ok());
        WallClock { behind: behind.map_or(Duration::ZERO, |time| time.0) }
    }

    pub(crate) fn now(self) -> Timestamp {
        let now = Timestamp::now();
        now.checked_sub(self.behind).unwrap_or(now)
    }

    /// Today's date in the local time zone.
    pub(crate) fn today(self) -> Date {
        self.now().to_zoned(TimeZone::system()).date()
    }
}
