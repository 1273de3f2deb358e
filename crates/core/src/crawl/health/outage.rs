//! Detects that a server is down or refuses everything, as opposed to broken links, by requesting
//! again a URL that had responded.
//!
//! An [`OutageDetector`] sees the outcome of every request to one server. When URLs fail or are
//! refused one after the other, it wants a canary: a URL of the server that responded well
//! before. If that still responds, the failures are genuine. If not, the server is unavailable:
//! only the canary is requested, at growing intervals; and if the server stays unavailable, it is
//! gone for this run.

use std::time::Duration;

use crate::Moment;
use crate::crawl::messages::UrlId;
use crate::evidence::{AttemptOutcome, DnsFailure, Failure, Stage};

/// How many URLs fail in a row before the canary is requested; twice as many after each time that
/// it was well.
const FIRST_DOUBT: usize = 4;
const LAST_DOUBT: usize = 64;
/// How long to wait before a failed canary is requested again, or a quarter of the time that it
/// has failed, if that is longer.
const BREATH: Duration = Duration::from_millis(250);
/// How long to wait for a server at least, however short the time-out: machines are restarted.
const RESTART: Duration = Duration::from_secs(30);

/// What the outcome of a request says about its server.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) enum ServerSignal {
    /// The server works: a 404 is fine, too.
    Fine,
    /// It refuses: 403, 405, a bot check.
    Refused,
    /// A temporary failure: 429, 5xx, a reset, a time-out.
    Failed,
    /// Nothing, or it is not the server's fault.
    Nothing,
}

impl ServerSignal {
    pub(in crate::crawl) fn of(outcome: &AttemptOutcome) -> ServerSignal {
        match outcome {
            AttemptOutcome::Response(answer) if answer.challenge || answer.signs.challenge => {
                ServerSignal::Refused
            }
            AttemptOutcome::Response(answer) => match answer.status {
                403 | 405 => ServerSignal::Refused,
                408 | 425 | 429 | 500..=599 => ServerSignal::Failed,
                200..=399 | 404 | 410 => ServerSignal::Fine,
                _ => ServerSignal::Nothing,
            },
            AttemptOutcome::Failure(failure) => match failure {
                Failure::Timeout(Stage::Body) => ServerSignal::Nothing,
                Failure::Timeout(_)
                | Failure::Refused
                | Failure::Reset
                | Failure::Unreachable
                | Failure::Dns(DnsFailure::ServerFailure(_) | DnsFailure::Silence) => {
                    ServerSignal::Failed
                }
                _ => ServerSignal::Nothing,
            },
        }
    }
}

impl ServerSignal {
    /// Whether something went wrong.
    pub(in crate::crawl) fn is_bad(self) -> bool {
        matches!(self, ServerSignal::Refused | ServerSignal::Failed)
    }
}

/// Where a server is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) enum Availability {
    /// It answers, as far as is known.
    Here,
    /// A request to the canary is in flight.
    Doubted,
    /// The canary failed as well; it is requested again after growing delays.
    Away {
        /// Since when everything fails.
        since: Moment,
        /// How many times the canary has failed.
        failures: u32,
    },
    /// It refuses everything.
    Gone {
        /// Since when.
        since: Moment,
    },
}

/// What to do about the canary.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) enum HealthAction {
    /// Nothing.
    Nothing,
    /// Request it now.
    Request(UrlId),
    /// Request it at that moment, and nothing else of the server meanwhile.
    RequestAt(Moment, UrlId),
    /// The server is available: continue.
    Continue {
        /// It was unavailable.
        was_away: bool,
    },
    /// The server is gone: stop requesting.
    GiveUp,
}

/// The detector for one server. See the [module](self).
#[derive(Debug)]
pub(in crate::crawl) struct OutageDetector {
    availability: Availability,
    canary: Option<UrlId>,
    /// URLs that failed or were refused one after the other.
    row: Vec<UrlId>,
    since: Moment,
    doubt: usize,
    /// When the canary was last well.
    well_at: Option<Moment>,
    /// The time-out of a first attempt.
    timeout: Duration,
}

impl OutageDetector {
    pub(in crate::crawl) fn new(timeout: Duration) -> OutageDetector {
        OutageDetector {
            availability: Availability::Here,
            canary: None,
            row: Vec::new(),
            since: Moment::START,
            doubt: FIRST_DOUBT,
            well_at: None,
            timeout,
        }
    }

    pub(in crate::crawl) fn availability(&self) -> Availability {
        self.availability
    }

    /// Whether several URLs have failed in a row.
    pub(in crate::crawl) fn is_troubled(&self) -> bool {
        self.row.len() > 1
    }

    /// The URLs that failed in a row.
    pub(in crate::crawl) fn row(&self) -> &[UrlId] {
        &self.row
    }

    pub(in crate::crawl) fn has_canary(&self) -> bool {
        self.canary.is_some()
    }

    /// Whether the canary was well after that moment.
    pub(in crate::crawl) fn was_well_since(&self, moment: Moment) -> bool {
        self.well_at.is_some_and(|at| at > moment)
    }

    /// A URL responded well: the first one becomes the canary.
    pub(in crate::crawl) fn handle_well(&mut self, id: UrlId) {
        self.canary.get_or_insert(id);
    }

    /// A request that began at that moment has ended.
    pub(in crate::crawl) fn handle_ended(
        &mut self,
        began: Moment,
        now: Moment,
        id: UrlId,
        sign: ServerSignal,
    ) -> HealthAction {
        match sign {
            ServerSignal::Nothing => HealthAction::Nothing,
            // It began before the trouble: its response says nothing about now.
            ServerSignal::Fine if !self.row.is_empty() && began < self.since => {
                HealthAction::Nothing
            }
            ServerSignal::Fine => {
                self.row.clear();
                match self.availability {
                    Availability::Away { .. } => {
                        self.availability = Availability::Here;
                        HealthAction::Continue { was_away: true }
                    }
                    _ => HealthAction::Nothing,
                }
            }
            ServerSignal::Refused | ServerSignal::Failed => {
                if self.row.is_empty() {
                    self.since = now;
                }
                if !self.row.contains(&id) {
                    self.row.push(id);
                }
                if self.row.len() >= self.doubt { self.check() } else { HealthAction::Nothing }
            }
        }
    }

    /// The verdict of a URL depends on whether the server is available.
    pub(in crate::crawl) fn check(&mut self) -> HealthAction {
        match (self.availability, self.canary) {
            (Availability::Here, Some(canary)) => {
                self.availability = Availability::Doubted;
                HealthAction::Request(canary)
            }
            _ => HealthAction::Nothing,
        }
    }

    /// A request for the canary has ended.
    pub(in crate::crawl) fn handle_canary(
        &mut self,
        now: Moment,
        id: UrlId,
        sign: ServerSignal,
    ) -> HealthAction {
        match sign {
            ServerSignal::Fine => {
                let was_away = matches!(self.availability, Availability::Away { .. });
                self.well_at = Some(now);
                self.availability = Availability::Here;
                self.row.clear();
                if !was_away {
                    self.doubt = (self.doubt * 2).min(LAST_DOUBT);
                }
                HealthAction::Continue { was_away }
            }
            ServerSignal::Refused => self.give_up(),
            ServerSignal::Failed | ServerSignal::Nothing => {
                let (since, failures) = match self.availability {
                    Availability::Away { since, failures } => (since, failures + 1),
                    _ => (if self.row.is_empty() { now } else { self.since }, 1),
                };
                let waited = now.since_start().saturating_sub(since.since_start());
                // So that an outage costs little more time than it lasts.
                let gap = BREATH.min(self.timeout / 4).max(waited / 4);
                if failures > 2 && waited >= RESTART.max(self.timeout * 2) {
                    self.since = since;
                    return self.give_up();
                }
                self.availability = Availability::Away { since, failures };
                HealthAction::RequestAt(now + gap.min(RESTART), id)
            }
        }
    }

    pub(in crate::crawl) fn give_up(&mut self) -> HealthAction {
        self.availability = Availability::Gone { since: self.since };
        HealthAction::GiveUp
    }

    /// The run continues after it was stopped: the server gets another chance.
    pub(in crate::crawl) fn handle_resumed(&mut self) {
        self.availability = Availability::Here;
        self.row.clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SECOND: Duration = Duration::from_secs(1);

    fn id(number: usize) -> UrlId {
        UrlId::from_index(number)
    }

    fn at(seconds: u32) -> Moment {
        Moment::START + SECOND * seconds
    }

    /// A server whose canary was due for a request at second 4.
    fn doubted() -> OutageDetector {
        let mut detector = OutageDetector::new(SECOND * 20);
        detector.handle_well(id(0));
        for number in 1..4 {
            let action = detector.handle_ended(
                at(3),
                at(3 + number),
                id(number as usize),
                ServerSignal::Failed,
            );
            assert_eq!(action, HealthAction::Nothing);
        }
        assert_eq!(
            detector.handle_ended(at(3), at(7), id(4), ServerSignal::Refused),
            HealthAction::Request(id(0))
        );
        detector
    }

    #[test]
    fn several_failures_in_a_row_request_the_canary() {
        let mut detector = doubted();
        assert_eq!(
            detector.handle_ended(at(3), at(8), id(5), ServerSignal::Failed),
            HealthAction::Nothing,
            "once"
        );
        let well = HealthAction::Continue { was_away: false };
        assert_eq!(detector.handle_canary(at(9), id(0), ServerSignal::Fine), well);
        assert!(detector.was_well_since(at(8)) && !detector.was_well_since(at(9)));
        assert!(!detector.is_troubled());
    }

    #[test]
    fn a_server_is_given_up_after_the_time_of_a_restart() {
        let mut detector = doubted();
        let mut now = 9;
        let given_up = loop {
            match detector.handle_canary(at(now), id(0), ServerSignal::Failed) {
                HealthAction::RequestAt(next, canary) => {
                    assert_eq!(canary, id(0));
                    now = u32::try_from(next.since_start().as_secs()).unwrap();
                }
                other => break other,
            }
        };
        assert_eq!(given_up, HealthAction::GiveUp);
        let wait = RESTART.max(SECOND * 40);
        assert!(at(now) >= at(4) + wait && at(now) < at(4) + wait * 3 / 2, "{now} s");
    }

    #[test]
    fn requests_from_before_the_trouble_are_ignored() {
        let mut detector = doubted();
        detector.handle_canary(at(9), id(0), ServerSignal::Failed);
        assert_eq!(
            detector.handle_ended(at(3), at(10), id(8), ServerSignal::Fine),
            HealthAction::Nothing
        );
        assert!(!detector.was_well_since(at(0)));
        let back = HealthAction::Continue { was_away: true };
        assert_eq!(detector.handle_ended(at(9), at(11), id(9), ServerSignal::Fine), back);
        assert_eq!(detector.availability(), Availability::Here);
    }

    #[test]
    fn repeated_failures_of_one_url_count_once() {
        let mut detector = OutageDetector::new(SECOND);
        detector.handle_well(id(0));
        for _ in 0..10 {
            assert_eq!(
                detector.handle_ended(at(0), at(1), id(1), ServerSignal::Failed),
                HealthAction::Nothing
            );
        }
    }

    #[test]
    fn without_a_canary_nothing_is_concluded() {
        let mut detector = OutageDetector::new(SECOND);
        for number in 0..20 {
            assert_eq!(
                detector.handle_ended(at(0), at(1), id(number), ServerSignal::Failed),
                HealthAction::Nothing
            );
        }
    }

    #[test]
    fn a_failing_server_is_waited_for() {
        let mut detector = doubted();
        assert_eq!(
            detector.handle_canary(at(10), id(0), ServerSignal::Failed),
            HealthAction::RequestAt(at(10) + SECOND * 3 / 2, id(0)),
            "a quarter of the 6 s that it has failed"
        );
        assert_eq!(detector.availability(), Availability::Away { since: at(4), failures: 1 });
        let then = at(11) + SECOND * 7 / 4;
        assert_eq!(
            detector.handle_canary(at(11), id(0), ServerSignal::Failed),
            HealthAction::RequestAt(then, id(0))
        );
        let back = HealthAction::Continue { was_away: true };
        assert_eq!(detector.handle_canary(at(13), id(0), ServerSignal::Fine), back);
        assert_eq!(detector.availability(), Availability::Here);
    }

    #[test]
    fn a_server_that_has_just_failed_is_requested_again_soon() {
        let mut detector = doubted();
        let soon = at(4) + SECOND / 10;
        assert_eq!(
            detector.handle_canary(soon, id(0), ServerSignal::Failed),
            HealthAction::RequestAt(soon + BREATH, id(0))
        );
    }

    #[test]
    fn a_server_that_stays_down_is_gone_and_one_that_refuses_is_gone_at_once() {
        let mut detector = doubted();
        let mut now = at(10);
        let mut failures = 1;
        while let HealthAction::RequestAt(moment, _) =
            detector.handle_canary(now, id(0), ServerSignal::Failed)
        {
            (now, failures) = (moment, failures + 1);
        }
        assert_eq!(detector.availability(), Availability::Gone { since: at(4) });
        assert!((45..60).contains(&now.since_start().as_secs()), "{now:?}");
        assert!(failures < 12, "{failures}");
        let mut detector = doubted();
        assert_eq!(
            detector.handle_canary(at(10), id(0), ServerSignal::Refused),
            HealthAction::GiveUp
        );
    }

    #[test]
    fn a_short_time_out_does_not_shorten_a_restart() {
        let mut detector = OutageDetector::new(SECOND / 2);
        detector.handle_well(id(0));
        detector.check();
        let mut now = at(1);
        while let HealthAction::RequestAt(moment, _) =
            detector.handle_canary(now, id(0), ServerSignal::Failed)
        {
            now = moment;
        }
        assert!(now >= at(31), "{now:?}");
    }

    #[test]
    fn outcomes_are_server_signals() {
        let status = |status| {
            ServerSignal::of(&AttemptOutcome::Response(crate::evidence::ResponseHead {
                status,
                ..Default::default()
            }))
        };
        assert_eq!([200, 301, 404, 410].map(status), [ServerSignal::Fine; 4]);
        assert_eq!([403, 405].map(status), [ServerSignal::Refused; 2]);
        assert_eq!([429, 500, 503].map(status), [ServerSignal::Failed; 3]);
        assert_eq!([401, 418].map(status), [ServerSignal::Nothing; 2]);
        assert_eq!(
            ServerSignal::of(&AttemptOutcome::Failure(Failure::Refused)),
            ServerSignal::Failed
        );
        assert_eq!(
            ServerSignal::of(&AttemptOutcome::Failure(Failure::Timeout(Stage::Body))),
            ServerSignal::Nothing
        );
        let nxdomain = Failure::Dns(DnsFailure::NoSuchName);
        assert_eq!(ServerSignal::of(&AttemptOutcome::Failure(nxdomain)), ServerSignal::Nothing);
    }
}
