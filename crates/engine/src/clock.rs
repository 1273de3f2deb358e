//! The one clock: the core is told moments, and never asks.

use std::time::{Duration, Instant};

use rummage_core::Moment;

/// Tells how long a run has been going.
#[derive(Debug, Clone, Copy)]
pub struct Clock {
    began: Instant,
    before: Duration,
}

impl Clock {
    /// A clock for a run that was under way for so long before.
    #[must_use]
    pub fn starting_at(before: Duration) -> Clock {
        Clock { began: Instant::now(), before }
    }

    /// The present moment of the run.
    #[must_use]
    pub fn now(&self) -> Moment {
        Moment::START + self.before + self.began.elapsed()
    }

    /// When that moment of the run will be; now, if it has passed.
    #[must_use]
    pub fn instant(&self, moment: Moment) -> Instant {
        self.began + moment.since_start().saturating_sub(self.before)
    }
}
