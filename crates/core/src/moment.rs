//! Time in the core: moments of a run, and seconds since 1970 where a date is passed in.

use std::ops::{Add, Sub};
use std::time::Duration;

use serde::{Deserialize, Serialize};

/// Seconds since 1970-01-01 UTC, or between two such times.
pub type Seconds = i64;

/// A point in time during a run, in microseconds from its start.
///
/// Tests can create one freely, and the store can keep it.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
)]
#[serde(transparent)]
pub struct Moment(u64);

impl Moment {
    /// The start of the run.
    pub const START: Moment = Moment(0);

    /// The moment this many microseconds after the start.
    #[must_use]
    pub fn from_micros(micros: u64) -> Moment {
        Moment(micros)
    }

    /// Microseconds since the start of the run.
    #[must_use]
    pub fn as_micros(self) -> u64 {
        self.0
    }

    /// The moment this long before `self`; the start of the run at the earliest.
    #[must_use]
    pub fn before(self, time: Duration) -> Moment {
        let micros = u64::try_from(time.as_micros()).unwrap_or(u64::MAX);
        Moment(self.0.saturating_sub(micros))
    }

    /// The time since the start of the run.
    #[must_use]
    pub fn since_start(self) -> Duration {
        Duration::from_micros(self.0)
    }
}

impl Add<Duration> for Moment {
    type Output = Moment;

    fn add(self, time: Duration) -> Moment {
        let micros = u64::try_from(time.as_micros()).unwrap_or(u64::MAX);
        Moment(self.0.saturating_add(micros))
    }
}

impl Sub for Moment {
    type Output = Duration;

    /// The time from `earlier` to `self`; zero if `self` is earlier.
    fn sub(self, earlier: Moment) -> Duration {
        Duration::from_micros(self.0.saturating_sub(earlier.0))
    }
}
