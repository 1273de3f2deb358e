//! The clock of a run. The core has none: it receives each moment.

use std::time::{Duration, Instant};

use rummage_core::Moment;

/// Measures how long a run has been going.
#[derive(Debug, Clone, Copy)]
pub struct Clock {
    began: Instant,
    before: Duration,
}

impl Clock {
    /// A clock for a run that has been going for this long before.
    #[must_use]
    pub fn starting_at(before: Duration) -> Clock {
        Clock { began: Instant::now(), before }
    }

    /// The current moment of the run.
    #[must_use]
    pub fn now(&self) -> Moment {
        Moment::START + self.before + self.began.elapsed()
    }

    /// When a moment of the run will be; now, if it has passed.
    #[must_use]
    pub fn instant(&self, moment: Moment) -> Instant {
        self.began + moment.since_start().saturating_sub(self.before)
    }
}
