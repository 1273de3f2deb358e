//! When a temporary failure is retried.
//!
//! Three attempts in total unless the settings say otherwise, the later ones after a quarter and
//! one and a half of the time-out, with twice the time-out. A body that timed out is retried only
//! once: it costs the most.

use std::time::Duration;

use crate::evidence::{AttemptOutcome, Failure, Stage};

/// The rules for retries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Retry {
    /// Attempts in total, at least 1.
    pub attempts: u32,
    /// The time-out of a first attempt.
    pub timeout: Duration,
}

impl Retry {
    /// How long to wait before the next attempt; `None` if this outcome is final.
    ///
    /// `made` counts the attempts so far, including this one.
    #[must_use]
    pub fn gap(&self, made: u32, outcome: &AttemptOutcome) -> Option<Duration> {
        if !outcome.may_pass() || made >= self.limit(outcome) {
            return None;
        }
        Some(if made <= 1 { self.timeout / 4 } else { self.timeout * 3 / 2 })
    }

    fn limit(&self, outcome: &AttemptOutcome) -> u32 {
        let body_ran_out = *outcome == AttemptOutcome::Failure(Failure::Timeout(Stage::Body));
        if body_ran_out { self.attempts.min(2) } else { self.attempts }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::ResponseHead;

    const RETRY: Retry = Retry { attempts: 3, timeout: Duration::from_secs(20) };

    fn gap(made: u32, outcome: &AttemptOutcome) -> Option<u64> {
        RETRY.gap(made, outcome).map(|gap| gap.as_secs())
    }

    #[test]
    fn temporary_failures_are_tried_three_times() {
        let reset = AttemptOutcome::Failure(Failure::Reset);
        assert_eq!([1, 2, 3].map(|made| gap(made, &reset)), [Some(5), Some(30), None]);
    }

    #[test]
    fn a_slow_body_is_tried_twice() {
        let slow = AttemptOutcome::Failure(Failure::Timeout(Stage::Body));
        assert_eq!([1, 2].map(|made| gap(made, &slow)), [Some(5), None]);
    }

    #[test]
    fn final_outcomes_are_not_retried() {
        let missing =
            AttemptOutcome::Response(ResponseHead { status: 404, ..ResponseHead::default() });
        assert_eq!(gap(1, &missing), None);
        let failing =
            AttemptOutcome::Response(ResponseHead { status: 502, ..ResponseHead::default() });
        assert_eq!(gap(1, &failing), Some(5));
        let once = Retry { attempts: 1, ..RETRY };
        assert_eq!(once.gap(1, &failing), None);
    }
}
