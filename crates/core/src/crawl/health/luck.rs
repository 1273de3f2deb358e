//! Detects servers that fail at random: URLs there fail and then work. More attempts tell such a
//! failure from one that lasts; where they cannot, the verdict says so.

use crate::evidence::AttemptOutcome;

/// How many URLs work after a failure before their server is known to fail at random.
const RECOVERED: u32 = 3;
/// How many more attempts a URL gets there.
const MORE_ATTEMPTS: u32 = 3;
/// How many more attempts a server costs in all.
const MOST_EXTRA: u32 = 300;
/// How many URLs of a server may fail at all attempts by mere chance, on average, for a failure
/// to count as lasting.
const CHANCE: f64 = 0.05;

/// The failures of one server.
#[derive(Debug, Default)]
pub(super) struct Luck {
    made: u32,
    failed: u32,
    recovered: u32,
    extra: u32,
}

impl Luck {
    /// A request has ended, after this many failed attempts at its URL.
    pub(super) fn handle_ended(&mut self, outcome: &AttemptOutcome, attempts: u32) {
        self.made += 1;
        self.failed += u32::from(outcome.may_pass());
        let is_well = matches!(outcome, AttemptOutcome::Response(head) if !head.may_pass());
        self.recovered += u32::from(is_well && attempts > 0);
    }

    /// Whether a URL that failed at all its usual attempts, this many more included, is tried once
    /// more.
    pub(super) fn grant(&mut self, more: u32) -> bool {
        let granted =
            self.recovered >= RECOVERED && more < MORE_ATTEMPTS && self.extra < MOST_EXTRA;
        self.extra += u32::from(granted);
        granted
    }

    /// Whether a URL that failed at this many attempts may have done so by chance.
    pub(super) fn may_be_chance(&self, attempts: u32) -> bool {
        let rate = f64::from(self.failed) / f64::from(self.made.max(1));
        let power = i32::try_from(attempts).unwrap_or(i32::MAX);
        self.recovered >= RECOVERED && rate.powi(power) * f64::from(self.made) > CHANCE
    }

    /// Failed requests, and all.
    pub(super) fn rate(&self) -> (u32, u32) {
        (self.failed, self.made)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::{Failure, ResponseHead};

    fn reset() -> AttemptOutcome {
        AttemptOutcome::Failure(Failure::Reset)
    }

    fn fine() -> AttemptOutcome {
        AttemptOutcome::Response(ResponseHead { status: 200, ..ResponseHead::default() })
    }

    /// A server on which this many of 300 requests failed at first.
    fn luck(failed: u32) -> Luck {
        let mut luck = Luck::default();
        for number in 0..300 {
            let fails = number < failed;
            let outcome = if fails { reset() } else { fine() };
            luck.handle_ended(&outcome, 0);
            if fails {
                luck.handle_ended(&fine(), 1);
            }
        }
        luck
    }

    #[test]
    fn a_server_fails_at_random_once_three_urls_have_recovered() {
        for (failed, granted) in [(0, false), (2, false), (3, true), (100, true)] {
            assert_eq!(luck(failed).grant(0), granted, "{failed}");
        }
        let mut luck = luck(100);
        assert_eq!([0, 1, 2, 3].map(|more| luck.grant(more)), [true, true, true, false]);
        let granted = (0..1000).filter(|_| luck.grant(0)).count();
        assert_eq!(granted as u32, MOST_EXTRA - 3);
    }

    #[test]
    fn chance_is_excluded_by_attempts() {
        // A quarter fails: 400 × (1/4)^n URLs fail n times by chance.
        let luck = luck(100);
        assert_eq!(luck.rate(), (100, 400));
        assert!([1, 3, 6].iter().all(|attempts| luck.may_be_chance(*attempts)));
        assert!(!luck.may_be_chance(7));
        // A server that hardly ever fails.
        assert!(!self::luck(3).may_be_chance(3));
        assert!(!Luck::default().may_be_chance(1));
    }
}
