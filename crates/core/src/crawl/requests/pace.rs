//! How fast one host is requested: quickly while its responses are quick, gently otherwise.
//!
//! A [`Pace`] learns when a request starts and how it ends, and decides when the next may start.
//! It doubles the number of requests in flight after each round of quick responses, halves it
//! when the host shows [strain](Strain), grows step by step to what the host is known to handle,
//! tries more at growing intervals, and never exceeds its ceiling. A host that limits the rate
//! gets its requests at intervals instead (see `spacing`).

use std::time::Duration;

use super::spacing::Spacing;
use crate::Moment;

/// Responses slower than usual by this factor are strain.
const SLOW_FACTOR: u32 = 3;
/// How many of them in a row.
const SLOW_IN_A_ROW: u32 = 4;
/// Below this, slowness is noise and not strain.
const SLOW_FLOOR: Duration = Duration::from_millis(250);

/// The limits within which a pace moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Requests in flight at the start. At least 1.
    pub first: u32,
    /// Maximum number of requests in flight. At least 1.
    pub most: u32,
    /// Minimum time between the starts of two requests.
    pub interval: Duration,
}

impl Limits {
    /// For the site that is checked, whose owner wants the check.
    #[must_use]
    pub fn own_host(per_host: Option<u32>, loopback: bool, rate: Option<Duration>) -> Limits {
        let most = per_host.unwrap_or(if loopback { 64 } else { 16 }).max(1);
        Limits { first: most.min(4), most, interval: rate.unwrap_or_default() }
    }

    /// One at a time, one a second, for any host.
    #[must_use]
    pub fn gentle(rate: Option<Duration>) -> Limits {
        Limits { first: 1, most: 1, interval: rate.unwrap_or(Duration::from_secs(1)) }
    }

    /// For external hosts: two in flight and two a second, never more.
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
    /// A response, with the time to its first byte.
    Answered(Duration),
    /// The host is overloaded.
    Strained(Strain),
    /// A failure that says nothing about the host's load.
    Neutral,
    /// There is no connection, for example because the host name does not exist. No pace is
    /// needed.
    Unreached,
}

/// A sign that requests to a host are too fast.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Strain {
    /// 429 Too Many Requests (RFC 6585 §4).
    TooMany,
    /// 503 Service Unavailable (RFC 9110 §15.6.4).
    Unavailable,
    /// Several URLs fail at once that may work later.
    Failures,
    /// A time-out while nothing else of the host responded either.
    Timeout,
    /// Responses three times as slow as usual.
    Slow,
}

impl Strain {
    /// All signs.
    pub const ALL: [Strain; 5] =
        [Strain::TooMany, Strain::Unavailable, Strain::Failures, Strain::Timeout, Strain::Slow];

    /// Its name in the store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Strain::TooMany => "too-many",
            Strain::Unavailable => "unavailable",
            Strain::Failures => "failures",
            Strain::Timeout => "timeout",
            Strain::Slow => "slow",
        }
    }

    /// The sign with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Strain> {
        Strain::ALL.into_iter().find(|strain| strain.as_str() == name)
    }
}

/// Requests to a host were slowed down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Slowing {
    /// Why.
    pub strain: Strain,
    /// Maximum number of requests in flight from now on.
    pub window: u32,
    /// Minimum time between the starts of two requests from now on.
    pub gap: Duration,
}

/// When the next request to a host may start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ready {
    /// At once.
    Now,
    /// Not before this moment.
    At(Moment),
    /// When a request in flight has ended.
    WhenOneEnds,
}

/// Below this many requests in flight, failures are those of a single URL, not of the pace.
const FEWEST: u32 = 1;
/// How long after strain more than the host handled is tried again; twice as long each time that
/// it was too much.
const FIRST_TRIAL: Duration = Duration::from_secs(10);
const LAST_TRIAL: Duration = Duration::from_secs(160);

/// How long a host that has refused a request is left alone at most, besides the interval.
const DRAIN: Duration = Duration::from_millis(300);
/// A host that refuses several requests (503) within this time, and answers others, limits their
/// rate.
const REFUSALS_TOGETHER: Duration = Duration::from_secs(2);

/// The pace of one host.
#[derive(Debug, Clone)]
pub struct Pace {
    limits: Limits,
    /// Current maximum number of requests in flight, from 1 to `limits.most`.
    window: u32,
    /// What the host is known to handle: the window grows step by step up to here, and no further
    /// before `trial_at`. `limits.most` while nothing is known.
    bearable: u32,
    trial_at: Moment,
    /// How long until the trial after the next strain.
    trial_gap: Duration,
    in_flight: u32,
    /// Quick responses since the window last changed.
    quick: u32,
    /// No request may start earlier.
    next_start: Moment,
    /// The minimum time between two requests because of refusals.
    spacing: Spacing,
    /// When the last request was refused with 503.
    refused_at: Option<Moment>,
    /// How many requests need not wait for the interval, because they follow from a response.
    granted: u32,
    /// The usual time to the first byte while no more requests were in flight than at the start;
    /// `None` before the first response.
    usual: Option<Duration>,
    /// Slow responses in a row.
    slow: u32,
    /// When the last response arrived that was not slow.
    last_quick: Option<Moment>,
    /// Signs of strain in requests that ended before this moment predate the last slowdown;
    /// ignored.
    ignore_strain_until: Moment,
    /// Failures that end before this moment may be due to strain.
    strained_until: Moment,
}

impl Pace {
    /// A pace that starts at its limits' first window.
    #[must_use]
    pub fn new(limits: Limits) -> Pace {
        Pace {
            limits,
            window: limits.first,
            bearable: limits.most,
            trial_at: Moment::START,
            trial_gap: FIRST_TRIAL,
            in_flight: 0,
            quick: 0,
            next_start: Moment::START,
            spacing: Spacing::default(),
            refused_at: None,
            granted: 0,
            usual: None,
            slow: 0,
            last_quick: None,
            ignore_strain_until: Moment::START,
            strained_until: Moment::START,
        }
    }

    /// Changes the limits; what is known of the host stays.
    pub fn set_limits(&mut self, limits: Limits) {
        if self.bearable == self.limits.most {
            self.bearable = limits.most;
        }
        self.limits = limits;
        self.bearable = self.bearable.min(limits.most);
        self.window = self.window.min(limits.most);
    }

    /// No requests before this moment, because of `Retry-After`.
    pub fn wait_until(&mut self, moment: Moment) {
        self.next_start = self.next_start.max(moment);
    }

    /// When the next request may start. `stalled` is how many of those in flight have gone
    /// without a response for so long that they no longer count.
    #[must_use]
    pub fn ready(&self, now: Moment, stalled: u32) -> Ready {
        if self.in_flight.saturating_sub(stalled.min(self.limits.most)) >= self.window {
            Ready::WhenOneEnds
        } else if self.next_start > now + self.grace() {
            Ready::At(self.next_start)
        } else {
            Ready::Now
        }
    }

    /// The refusals (503) had nothing to do with the rate of requests.
    pub fn handle_unrelated_refusals(&mut self) {
        self.spacing.handle_unrelated();
    }

    /// The next request follows from a response, as the next hop of a redirect does: it need not
    /// wait for the interval.
    pub fn grant(&mut self) {
        self.granted += 1;
    }

    fn grace(&self) -> Duration {
        if self.granted > 0 { self.limits.interval } else { Duration::ZERO }
    }

    /// A request starts.
    pub fn handle_started(&mut self, now: Moment) {
        self.in_flight += 1;
        self.granted = self.granted.saturating_sub(1);
        self.next_start = self.next_start.max(now + self.limits.interval.max(self.spacing.gap()));
    }

    /// A request has ended. Returns whether, and why, requests to the host are slowed down now.
    pub fn handle_ended(&mut self, now: Moment, signal: Signal) -> Option<Slowing> {
        let level = self.in_flight;
        self.in_flight = self.in_flight.saturating_sub(1);
        match signal {
            Signal::Neutral => None,
            Signal::Unreached => {
                self.next_start = now;
                None
            }
            Signal::Strained(strain) => self.slow_down(now, level, strain, Duration::from_secs(1)),
            Signal::Answered(latency) if self.is_slow(latency) => {
                self.slow_down(now, level, Strain::Slow, latency)
            }
            Signal::Answered(_) => {
                self.last_quick = Some(now);
                self.spacing.handle_answered(now);
                self.speed_up(now);
                None
            }
        }
    }

    /// Whether responses have become slow: several in a row, compared with what was usual while
    /// the host had little to do. Pages that always take longer become usual.
    fn is_slow(&mut self, latency: Duration) -> bool {
        let usual = self.usual.unwrap_or(latency);
        if self.window <= self.limits.first || self.usual.is_none() {
            self.usual = Some(usual * 7 / 8 + latency / 8);
        }
        let slow = latency > SLOW_FLOOR && latency > usual * SLOW_FACTOR;
        self.slow = if slow { self.slow + 1 } else { 0 };
        self.slow >= SLOW_IN_A_ROW
    }

    /// Records a request of an earlier part of the run, when as many were in flight as allowed.
    pub fn handle_replayed(&mut self, now: Moment, signal: Signal) {
        self.in_flight = self.window;
        self.handle_ended(now, signal);
        self.in_flight = 0;
    }

    /// Halves the window once a round: requests that were already in flight then say nothing new.
    fn slow_down(
        &mut self,
        now: Moment,
        level: u32,
        strain: Strain,
        round: Duration,
    ) -> Option<Slowing> {
        self.quick = 0;
        let limits_rate = self.limits_rate(now, strain);
        if level > FEWEST || limits_rate {
            self.strained_until = now + round;
        }
        if limits_rate && !self.spacing.gap().is_zero() {
            // How many are in flight at once does not matter.
            return self.space_out(now, strain);
        }
        let spaced = limits_rate && self.space_out(now, strain).is_some();
        let narrowed = self.narrow(now, level, strain, round);
        let Pace { window, .. } = *self;
        (spaced || narrowed).then_some(Slowing { strain, window, gap: self.spacing.gap() })
    }

    fn space_out(&mut self, now: Moment, strain: Strain) -> Option<Slowing> {
        let round = self.usual.unwrap_or_default() * 2;
        // A host that has never answered does not answer at a slower pace either.
        if self.last_quick.is_none() && !self.spacing.gap().is_zero() {
            return None;
        }
        if !self.spacing.handle_refused(now, self.limits.interval, round) {
            return None;
        }
        // What is full has to drain.
        let gap = self.spacing.gap();
        self.next_start = self.next_start.max(now + gap + (gap * 2).min(DRAIN));
        Some(Slowing { strain, window: self.window, gap })
    }

    /// Whether a host that shows strain limits the rate of requests. One that only refuses is
    /// down.
    fn limits_rate(&mut self, now: Moment, strain: Strain) -> bool {
        if strain != Strain::Unavailable {
            return strain == Strain::TooMany;
        }
        let lately = |at: Moment| now <= at + REFUSALS_TOGETHER;
        let again = self.refused_at.replace(now).is_some_and(lately);
        let answers = self.last_quick.is_some_and(lately);
        answers && (again || !self.spacing.gap().is_zero())
    }

    /// Returns whether the window is smaller now.
    fn narrow(&mut self, now: Moment, level: u32, strain: Strain, round: Duration) -> bool {
        if now < self.ignore_strain_until || level <= FEWEST {
            return false;
        }
        self.ignore_strain_until = now + round;
        // Slowness is a matter of degree; refusals show where the limit is.
        let borne = if strain == Strain::Slow { self.window } else { level.saturating_sub(1) };
        self.bearable = self.bearable.min(borne).max(1);
        self.trial_at = now + self.trial_gap;
        self.trial_gap = (self.trial_gap * 2).min(LAST_TRIAL);
        let before = self.window;
        self.window = (self.window / 2).max(1);
        self.window < before
    }

    /// Doubles each round while nothing is known, then grows by one up to what the host handles.
    fn speed_up(&mut self, now: Moment) {
        self.quick += 1;
        if self.quick < self.window {
            return;
        }
        self.quick = 0;
        let is_held = self.bearable < self.limits.most;
        if is_held && self.window >= self.bearable && now >= self.trial_at {
            self.bearable = (self.bearable * 2).min(self.limits.most);
            self.trial_at = now + self.trial_gap;
        }
        let is_known = is_held || self.trial_gap > FIRST_TRIAL;
        let next = if is_known { self.window + 1 } else { self.window * 2 };
        self.window = next.min(self.bearable).max(1);
    }

    /// Whether a request that started at this moment and timed out is alone: others got responses
    /// meanwhile.
    #[must_use]
    pub fn is_lively_since(&self, moment: Moment) -> bool {
        self.last_quick.is_some_and(|last| last > moment)
    }

    /// Whether failures may be due to the pace.
    #[must_use]
    pub fn is_strained(&self, now: Moment) -> bool {
        now < self.strained_until
    }

    /// Whether the host has responded at all.
    #[must_use]
    pub fn has_responded(&self) -> bool {
        self.usual.is_some()
    }

    /// Current maximum number of requests in flight.
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
    const BUSY: Signal = Signal::Strained(Strain::Unavailable);

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
    fn quick_responses_double_the_window_up_to_the_ceiling() {
        let mut pace = Pace::new(Limits::own_host(None, false, None));
        let mut windows = vec![pace.window()];
        for _ in 0..3 {
            round(&mut pace, Moment::START, Signal::Answered(20 * MS));
            windows.push(pace.window());
        }
        assert_eq!(windows, [4, 8, 16, 16]);
    }

    #[test]
    fn new_limits_widen_only_what_the_host_can_bear() {
        let wide = Limits::own_host(None, true, None);
        let narrow = Limits::own_host(Some(8), true, None);
        let (most, now) = (wide.most, Moment::START);
        // Nothing was too much so far: the new limit is the limit.
        let mut pace = Pace::new(narrow);
        pace.set_limits(wide);
        (0..9).for_each(|_| round(&mut pace, now, Signal::Answered(20 * MS)));
        assert_eq!(pace.window(), most);
        // Eight at once were too much: they are under wider limits as well.
        let mut pace = Pace::new(narrow);
        round(&mut pace, now, BUSY);
        let borne = pace.bearable;
        assert!(borne < 8, "{borne}");
        pace.set_limits(wide);
        assert_eq!(pace.bearable, borne);
    }

    #[test]
    fn strain_halves_the_window_once_a_round_and_it_recovers() {
        let mut pace = Pace::new(Limits { first: 16, most: 64, interval: Duration::ZERO });
        round(&mut pace, Moment::START, BUSY);
        assert_eq!(pace.window(), 8);
        round(&mut pace, Moment::START + 2000 * MS, BUSY);
        assert_eq!(pace.window(), 4);
        let mut now = Moment::START + 3000 * MS;
        let mut windows = Vec::new();
        while pace.window() < 64 {
            now = now + 1000 * MS;
            round(&mut pace, now, Signal::Answered(20 * MS));
            windows.push(pace.window());
        }
        assert_eq!(
            windows[..4],
            [5, 6, 7, 7],
            "step by step, and no further than the host handled"
        );
        assert!(now.since_start() < Duration::from_secs(180), "{windows:?}");
    }

    #[test]
    fn too_high_a_window_is_tried_again_at_growing_intervals() {
        let mut pace = Pace::new(Limits::own_host(None, false, None));
        let mut strained = Vec::new();
        for second in 0..600 {
            let now = Moment::START + Duration::from_secs(second);
            let fails = Signal::Strained(Strain::Failures);
            let signal = if pace.window() >= 6 { fails } else { Signal::Answered(20 * MS) };
            if signal == fails {
                strained.push(second);
            }
            round(&mut pace, now, signal);
        }
        assert!(strained.len() <= 8, "{strained:?}");
        assert_eq!(pace.window(), 5);
    }

    #[test]
    fn responses_three_times_as_slow_are_strain_unless_still_quick_or_usual() {
        let slowed = |usual: Duration, then: Duration| {
            let mut pace = Pace::new(Limits::own_host(None, false, None));
            round(&mut pace, Moment::START, Signal::Answered(usual));
            let wide = pace.window();
            round(&mut pace, Moment::START + 1000 * MS, Signal::Answered(then));
            pace.window() < wide
        };
        assert!(!slowed(20 * MS, 200 * MS), "still quick");
        assert!(!slowed(100 * MS, 290 * MS));
        assert!(slowed(100 * MS, 400 * MS));
        let mut pace = Pace::new(Limits::own_host(None, false, None));
        pace.handle_started(Moment::START);
        pace.handle_ended(Moment::START, Signal::Answered(20 * MS));
        for second in 1..10 {
            let now = Moment::START + Duration::from_secs(second);
            round(&mut pace, now, Signal::Answered(300 * MS));
        }
        assert_eq!(pace.window(), 16, "the home page was quick, the others never were");
    }

    #[test]
    fn a_single_failing_url_does_not_slow_requests() {
        let mut pace = Pace::new(Limits::own_host(None, false, None));
        pace.handle_started(Moment::START);
        assert_eq!(pace.handle_ended(Moment::START, BUSY), None);
        assert!(!pace.is_strained(Moment::START));
        assert_eq!(pace.window(), 4);
    }

    #[test]
    fn external_hosts_are_requested_twice_a_second() {
        let mut pace = Pace::new(Limits::other(Some(64), None));
        assert_eq!(pace.ready(Moment::START, 0), Ready::Now);
        pace.handle_started(Moment::START);
        let later = Moment::START + 500 * MS;
        assert_eq!(pace.ready(Moment::START, 0), Ready::At(later));
        assert_eq!(pace.ready(later, 0), Ready::Now);
        pace.handle_started(later);
        assert_eq!(pace.ready(later + 1000 * MS, 0), Ready::WhenOneEnds);
    }

    #[test]
    fn a_host_that_only_refuses_is_slowed_down_once() {
        let mut pace = Pace::new(Limits::other(None, None));
        let mut refuse = |second: u64| {
            let now = Moment::START + Duration::from_secs(second);
            pace.handle_started(now);
            pace.handle_ended(now, Signal::Strained(Strain::TooMany)).map(|slowing| slowing.gap)
        };
        assert_eq!([0, 5, 10].map(&mut refuse), [Some(1000 * MS), None, None]);
        let moment = Moment::START + Duration::from_secs(11);
        assert_eq!(pace.ready(Moment::START, 0), Ready::At(moment));
    }

    #[test]
    fn a_rate_limited_host_is_requested_at_intervals() {
        let mut pace = Pace::new(Limits::own_host(None, true, None));
        let mut now = Moment::START;
        let (mut made, mut refused) = (0, 0);
        let mut tokens = 10.0f64;
        let mut before = now;
        // The host handles ten at once and five a second.
        while now.since_start() < Duration::from_secs(60) {
            match pace.ready(now, 0) {
                Ready::At(moment) => now = moment,
                Ready::WhenOneEnds => panic!("each ends at once"),
                Ready::Now => {
                    tokens = (tokens + (now - before).as_secs_f64() * 5.0).min(10.0) - 1.0;
                    before = now;
                    let enough = tokens < 0.0;
                    tokens = tokens.max(0.0);
                    made += 1;
                    refused += u32::from(enough);
                    pace.handle_started(now);
                    now = now + MS;
                    let signal = if enough {
                        Signal::Strained(Strain::TooMany)
                    } else {
                        Signal::Answered(MS)
                    };
                    pace.handle_ended(now, signal);
                }
            }
        }
        let responded = made - refused;
        assert!(responded > 150, "half of what it handles: {responded}");
        assert!(refused < made / 5, "{refused} of {made}");
    }

    #[test]
    fn the_next_hop_need_not_wait_for_the_interval() {
        let mut pace = Pace::new(Limits::other(None, None));
        pace.handle_started(Moment::START);
        pace.grant();
        assert_eq!(pace.ready(Moment::START, 0), Ready::Now);
        pace.handle_started(Moment::START);
        pace.handle_ended(Moment::START, Signal::Neutral);
        assert_eq!(pace.ready(Moment::START, 0), Ready::At(Moment::START + 500 * MS));
        pace.grant();
        let waits = Moment::START + 30_000 * MS;
        pace.wait_until(waits);
        assert_eq!(
            pace.ready(Moment::START, 0),
            Ready::At(waits),
            "except for the host's Retry-After"
        );
    }

    #[test]
    fn hanging_requests_do_not_count_against_the_window() {
        let mut pace = Pace::new(Limits::own_host(None, false, None));
        (0..4).for_each(|_| pace.handle_started(Moment::START));
        assert_eq!(pace.ready(Moment::START, 0), Ready::WhenOneEnds);
        assert_eq!(pace.ready(Moment::START, 1), Ready::Now);
    }

    #[test]
    fn retry_after_is_obeyed() {
        let mut pace = Pace::new(Limits::own_host(None, false, None));
        let moment = Moment::START + Duration::from_secs(30);
        pace.wait_until(moment);
        assert_eq!(pace.ready(Moment::START, 0), Ready::At(moment));
        assert_eq!(pace.ready(moment, 0), Ready::Now);
    }
}
