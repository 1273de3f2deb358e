//! The wall clock, passed to the code that needs the current time.

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

/// Gives the current time. The only place in the program that reads the system clock.
#[derive(Debug, Clone, Copy)]
pub(crate) struct WallClock(fn() -> Timestamp);

impl WallClock {
    /// The clock of this machine.
    pub(crate) fn system() -> WallClock {
        WallClock(Timestamp::now)
    }

    pub(crate) fn now(self) -> Timestamp {
        (self.0)()
    }

    /// Today's date in the local time zone.
    pub(crate) fn today(self) -> Date {
        self.now().to_zoned(TimeZone::system()).date()
    }
}
