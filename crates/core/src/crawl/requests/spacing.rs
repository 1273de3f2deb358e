//! How far apart requests to a host start that limits their rate.
//!
//! A host that refuses some requests and answers others limits them by time, not by their number
//! at once: it gets them at intervals. A [`Spacing`] searches for the shortest interval that the
//! host accepts. From one refusal to the next, a host answers as fast as it permits: that is how
//! the interval is measured. It is shortened while requests are answered, until measurements
//! agree.

use std::time::Duration;

use crate::Moment;

/// The first interval, and the longest.
const FIRST: Duration = Duration::from_millis(100);
const LONGEST: Duration = Duration::from_secs(2);
/// An interval below this has no effect: the requests are no longer held apart.
const SHORTEST: Duration = Duration::from_millis(2);
/// After so many answers in a row a shorter interval is tried.
const STREAK: u32 = 10;
/// How long an interval is kept after two measurements that agree; twice as long each time.
const FIRST_HOLD: Duration = Duration::from_secs(10);
const LAST_HOLD: Duration = Duration::from_secs(160);

/// The minimum time between the starts of two requests. Zero while nothing was refused.
#[derive(Debug, Clone)]
pub(super) struct Spacing {
    gap: Duration,
    /// When the last refusal counted, and how many requests were answered since.
    refused_at: Option<Moment>,
    answered: u32,
    /// The interval as last measured.
    measured: Option<Duration>,
    /// Answers since the interval last changed.
    streak: u32,
    /// Refusals before this moment say nothing new.
    ignore_until: Moment,
    /// The interval is not shortened before this moment.
    hold_until: Moment,
    hold: Duration,
}

impl Default for Spacing {
    fn default() -> Spacing {
        Spacing {
            gap: Duration::ZERO,
            refused_at: None,
            answered: 0,
            measured: None,
            streak: 0,
            ignore_until: Moment::START,
            hold_until: Moment::START,
            hold: FIRST_HOLD,
        }
    }
}

impl Spacing {
    /// The minimum time between the starts of two requests.
    pub(super) fn gap(&self) -> Duration {
        self.gap
    }

    /// A request was refused. Requests start this far apart anyway, and refusals that follow a
    /// change sooner than `round` are of requests from before it. Returns whether the interval is
    /// longer now.
    pub(super) fn handle_refused(&mut self, now: Moment, usual: Duration, round: Duration) -> bool {
        self.streak = 0;
        if now < self.ignore_until {
            return false;
        }
        let gap = self.gap.max(usual);
        let measured = self.measure(now);
        if let (Some(before), Some(measured)) = (self.measured, measured)
            && before.abs_diff(measured) <= before / 6
        {
            self.hold_until = now + self.hold;
            self.hold = (self.hold * 2).min(LAST_HOLD);
        }
        self.measured = measured;
        let twice = if gap.is_zero() { FIRST } else { gap * 2 };
        let longer = measured.map_or(twice, |measured| measured.clamp(gap * 9 / 8, twice));
        self.gap = longer.min(LONGEST.max(usual));
        (self.refused_at, self.answered) = (Some(now), 0);
        self.ignore_until = now + round + self.gap;
        self.gap > gap
    }

    /// How far apart requests were answered since the last refusal.
    fn measure(&self, now: Moment) -> Option<Duration> {
        let since = self.refused_at.filter(|_| self.answered > 0)?;
        Some((now - since) / self.answered)
    }

    /// The refusals had nothing to do with the rate.
    pub(super) fn handle_unrelated(&mut self) {
        *self = Spacing::default();
    }

    /// A request was answered.
    pub(super) fn handle_answered(&mut self, now: Moment) {
        self.answered = self.answered.saturating_add(1);
        if self.gap.is_zero() {
            return;
        }
        self.streak += 1;
        if self.streak < STREAK || now < self.hold_until {
            return;
        }
        self.streak = 0;
        self.gap = if self.measured.is_some() { self.gap * 4 / 5 } else { self.gap * 3 / 5 };
        if self.gap < SHORTEST {
            self.gap = Duration::ZERO;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const MS: Duration = Duration::from_millis(1);

    /// A host and its clock, which jumps from request to request.
    #[derive(Default)]
    struct Host {
        spacing: Spacing,
        now: Duration,
    }

    impl Host {
        fn answers(&mut self, times: u32) -> u128 {
            for _ in 0..times {
                self.now += self.spacing.gap();
                self.spacing.handle_answered(Moment::START + self.now);
            }
            self.spacing.gap().as_millis()
        }

        fn refuses(&mut self, usual: Duration) -> u128 {
            self.now += self.spacing.gap();
            self.spacing.handle_refused(Moment::START + self.now, usual, Duration::ZERO);
            self.spacing.gap().as_millis()
        }
    }

    #[test]
    fn refusals_double_the_interval_and_answers_shorten_it() {
        let mut host = Host::default();
        assert_eq!(host.answers(50), 0, "nothing was refused");
        assert_eq!([host.refuses(Duration::ZERO), host.refuses(Duration::ZERO)], [100, 200]);
        assert_eq!([host.answers(9), host.answers(1), host.answers(10)], [200, 120, 72]);
    }

    #[test]
    fn the_interval_is_measured_from_refusal_to_refusal() {
        let mut host = Host::default();
        host.refuses(Duration::ZERO);
        assert_eq!([host.answers(10), host.answers(10)], [60, 36]);
        host.answers(4);
        // 24 answers in 1,780 ms.
        assert_eq!(host.refuses(Duration::ZERO), 72, "but never more than twice as long");
        assert_eq!(host.answers(10), 57, "with a measurement, by a fifth");
        host.answers(5);
        assert_eq!(host.refuses(Duration::ZERO), 71, "15 answers in 1,066 ms");
        host.refuses(Duration::ZERO);
        assert_eq!(host.spacing.measured, None, "nothing was answered");
    }

    #[test]
    fn measurements_that_agree_are_kept_for_a_growing_time() {
        let mut host = Host::default();
        let mut held_until = |answers: u32| {
            host.refuses(Duration::ZERO);
            host.answers(answers);
            host.refuses(Duration::ZERO);
            host.answers(answers);
            host.refuses(Duration::ZERO);
            let (gap, since) = (host.spacing.gap(), host.now);
            while host.spacing.gap() == gap {
                host.answers(1);
            }
            (host.now - since).as_secs()
        };
        assert_eq!([held_until(9), held_until(9)], [10, 80], "twice as long at each");
    }

    #[test]
    fn refusals_of_the_same_round_count_once() {
        let mut spacing = Spacing::default();
        let mut refused =
            |ms: u32| spacing.handle_refused(Moment::START + ms * MS, Duration::ZERO, 40 * MS);
        assert_eq!([0, 1, 139, 140].map(&mut refused), [true, false, false, true]);
        assert_eq!(spacing.gap(), 200 * MS);
    }

    #[test]
    fn a_host_that_no_longer_refuses_is_no_longer_spaced() {
        let mut host = Host::default();
        host.refuses(Duration::ZERO);
        assert_eq!([host.answers(70), host.answers(10)], [2, 0]);
        host.refuses(Duration::ZERO);
        host.spacing.handle_unrelated();
        assert_eq!(host.spacing.gap(), Duration::ZERO);
    }

    #[test]
    fn the_interval_is_at_most_two_seconds_or_as_the_user_wants_it() {
        let mut host = Host::default();
        assert_eq!([(); 3].map(|()| host.refuses(500 * MS)), [1000, 2000, 2000]);
        assert_eq!(host.refuses(5000 * MS), 5000);
    }
}
