//! How fast one host is asked: quick where answers stay quick, gentle where not.
//!
//! A [`Pace`] is told when a request starts and how it ends, and answers when the
//! next may start. It doubles the number in flight after each round of quick
//! answers, halves it when the host shows strain (429, 503, a time-out, or
//! answers three times as slow as its best), and never goes beyond its ceiling.

use std::time::Duration;

use crate::Moment;

/// Answers slower than their best by this factor are strain.
const SLOW_FACTOR: u32 = 3;
/// Below this, slowness is noise and no strain.
const SLOW_FLOOR: Duration = Duration::from_millis(250);

/// The limits within which a pace moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// In flight at the start. At least 1.
    pub first: u32,
    /// In flight at most. At least 1.
    pub most: u32,
    /// Least time between the starts of two requests.
    pub interval: Duration,
}

impl Limits {
    /// For the site that is checked: its owner asked for this.
    #[must_use]
    pub fn own(per_host: Option<u32>, loopback: bool, rate: Option<Duration>) -> Limits {
        let (first, most) = if loopback { (16, 64) } else { (4, 16) };
        let most = per_host.unwrap_or(most).max(1);
        Limits { first: first.min(most), most, interval: rate.unwrap_or_default() }
    }

    /// For every other host: two in flight and two a second, never more.
    #[must_use]
    pub fn other(per_host: Option<u32>, rate: Option<Duration>) -> Limits {
        let most = per_host.unwrap_or(2).clamp(1, 2);
        let interval = Duration::from_millis(500).max(rate.unwrap_or_default());
        Limits { first: most, most, interval }
    }
}

/// What the end of a request says about its host.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Signal {
    /// An answer, its first byte after so long.
    Answered(Duration),
    /// 429, 503 or a time-out.
    Strained,
    /// A failure that says nothing of the host's load.
    Neutral,
}

/// When the next request to a host may start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ready {
    /// At once.
    Now,
    /// Not before this moment.
    At(Moment),
    /// When one that is in flight has ended.
    WhenOneEnds,
}

/// The pace of one host.
#[derive(Debug, Clone)]
pub struct Pace {
    limits: Limits,
    /// In flight at most, just now. From 1 to `limits.most`.
    window: u32,
    in_flight: u32,
    /// Quick answers since the window last changed.
    quick: u32,
    /// No request may start earlier.
    next_start: Moment,
    /// The best first-byte time so far; none before the first answer.
    best: Option<Duration>,
    /// Signs of strain of requests that ended before this moment are old news.
    deaf_until: Moment,
    /// How often the window was halved.
    slowed: u32,
    answered: bool,
}

impl Pace {
    /// A pace that starts at its limits' first window.
    #[must_use]
    pub fn new(limits: Limits) -> Pace {
        Pace {
            limits,
            window: limits.first,
            in_flight: 0,
            quick: 0,
            next_start: Moment::START,
            best: None,
            deaf_until: Moment::START,
            slowed: 0,
            answered: false,
        }
    }

    /// Other limits hold from now on; what is known of the host stays.
    pub fn set_limits(&mut self, limits: Limits) {
        self.limits = limits;
        self.window = self.window.min(limits.most);
    }

    /// When the next request may start.
    #[must_use]
    pub fn ready(&self, now: Moment) -> Ready {
        if self.in_flight >= self.window {
            Ready::WhenOneEnds
        } else if self.next_start > now {
            Ready::At(self.next_start)
        } else {
            Ready::Now
        }
    }

    /// A request starts.
    pub fn handle_started(&mut self, now: Moment) {
        self.in_flight += 1;
        self.next_start = now + self.limits.interval;
    }

    /// A request has ended. Gives whether the pace was slowed by it.
    pub fn handle_ended(&mut self, now: Moment, signal: Signal) -> bool {
        self.in_flight = self.in_flight.saturating_sub(1);
        match signal {
            Signal::Neutral => false,
            Signal::Strained => self.slow_down(now, Duration::from_secs(1)),
            Signal::Answered(latency) => {
                self.answered = true;
                let best = self.best.map_or(latency, |best| best.min(latency));
                self.best = Some(best);
                if latency > SLOW_FLOOR && latency > best * SLOW_FACTOR {
                    self.slow_down(now, latency)
                } else {
                    self.speed_up();
                    false
                }
            }
        }
    }

    /// Halves once a round: what was already in flight then says nothing new.
    fn slow_down(&mut self, now: Moment, round: Duration) -> bool {
        self.quick = 0;
        if now < self.deaf_until {
            return false;
        }
        self.deaf_until = now + round;
        let halved = (self.window / 2).max(1);
        let slower = halved < self.window;
        self.window = halved;
        self.slowed += u32::from(slower);
        slower
    }

    fn speed_up(&mut self) {
        self.quick += 1;
        if self.quick >= self.window && self.window < self.limits.most {
            self.window = (self.window * 2).min(self.limits.most);
            self.quick = 0;
        }
    }

    /// Whether the host has answered at all.
    #[must_use]
    pub fn has_answered(&self) -> bool {
        self.answered
    }

    /// How often the pace was slowed.
    #[must_use]
    pub fn times_slowed(&self) -> u32 {
        self.slowed
    }

    /// In flight at most, just now.
    #[must_use]
    pub fn window(&self) -> u32 {
        self.window
    }

    /// How many are in flight.
    #[must_use]
    pub fn in_flight(&self) -> u32 {
        self.in_flight
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const MS: Duration = Duration::from_millis(1);

    fn round(pace: &mut Pace, now: Moment, signal: Signal) {
        let window = pace.window();
        for _ in 0..window {
            pace.handle_started(now);
        }
        for _ in 0..window {
            pace.handle_ended(now, signal);
        }
    }

    #[test]
    fn quick_answers_double_it_up_to_the_ceiling() {
        let mut pace = Pace::new(Limits::own(None, false, None));
        let mut windows = vec![pace.window()];
        for _ in 0..3 {
            round(&mut pace, Moment::START, Signal::Answered(20 * MS));
            windows.push(pace.window());
        }
        assert_eq!(windows, [4, 8, 16, 16]);
    }

    #[test]
    fn strain_halves_it_once_a_round_and_it_recovers() {
        let mut pace = Pace::new(Limits::own(None, true, None));
        round(&mut pace, Moment::START, Signal::Strained);
        assert_eq!((pace.window(), pace.times_slowed()), (8, 1));
        round(&mut pace, Moment::START + 2000 * MS, Signal::Strained);
        assert_eq!(pace.window(), 4);
        round(&mut pace, Moment::START + 2500 * MS, Signal::Answered(20 * MS));
        assert_eq!(pace.window(), 8);
    }

    #[test]
    fn answers_three_times_as_slow_are_strain_unless_still_quick() {
        let mut pace = Pace::new(Limits { first: 1, most: 1, interval: Duration::ZERO });
        pace.handle_ended(Moment::START, Signal::Answered(MS));
        assert!(!pace.handle_ended(Moment::START, Signal::Answered(100 * MS)));
        let mut pace = Pace::new(Limits::own(Some(8), false, None));
        pace.handle_ended(Moment::START, Signal::Answered(100 * MS));
        assert!(pace.handle_ended(Moment::START, Signal::Answered(400 * MS)));
    }

    #[test]
    fn strangers_are_asked_twice_a_second() {
        let mut pace = Pace::new(Limits::other(Some(64), None));
        assert_eq!(pace.ready(Moment::START), Ready::Now);
        pace.handle_started(Moment::START);
        let later = Moment::START + 500 * MS;
        assert_eq!(pace.ready(Moment::START), Ready::At(later));
        assert_eq!(pace.ready(later), Ready::Now);
        pace.handle_started(later);
        assert_eq!(pace.ready(later + 1000 * MS), Ready::WhenOneEnds);
    }
}
