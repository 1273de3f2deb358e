//! Detects that the network is down, as opposed to broken links, by requesting again a URL that
//! had responded.
//!
//! When unrelated servers fail one after the other, and none responds in between, a URL that
//! responded before is requested again. Only if that fails too, at as many attempts as any other
//! failure, is the network taken to be down.

use std::collections::BTreeSet;

use crate::Moment;
use crate::crawl::messages::{ServerId, UrlId};
use crate::crawl::retry::Retry;
use crate::evidence::{AttemptOutcome, DnsFailure, Failure, Stage};

/// How many servers fail in a row before the network is doubted; twice as many each time that it
/// was up.
const FIRST_DOUBT: usize = 6;

/// If the site's own server is gone and this many servers fail in total, the network is
/// suspected.
const SUSPECT: usize = 4;

/// The state of the network. See the [module](self).
#[derive(Debug)]
pub(super) struct Connectivity {
    failing: BTreeSet<ServerId>,
    /// The URLs that failed.
    failed: Vec<UrlId>,
    since: Moment,
    doubt: usize,
    /// The canary is being requested; it has failed this many times.
    checks: Option<u32>,
    canary: Option<UrlId>,
}

/// What to do about the network.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum NetworkAction {
    Nothing,
    /// Request this URL again: now, or at that moment.
    Check(UrlId, Option<Moment>),
    /// The network is down.
    Down,
}

impl Default for Connectivity {
    fn default() -> Connectivity {
        Connectivity {
            failing: BTreeSet::new(),
            failed: Vec::new(),
            since: Moment::START,
            doubt: FIRST_DOUBT,
            checks: None,
            canary: None,
        }
    }
}

impl Connectivity {
    /// A request has ended.
    pub(super) fn handle_ended(
        &mut self,
        now: Moment,
        server: ServerId,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) -> NetworkAction {
        if let AttemptOutcome::Response(answer) = outcome {
            self.handle_response();
            if answer.is_success() {
                self.canary = Some(id);
            }
            return NetworkAction::Nothing;
        }
        if !may_be_network(outcome) {
            return NetworkAction::Nothing;
        }
        if self.failing.is_empty() {
            self.since = now;
        }
        self.failing.insert(server);
        self.failed.push(id);
        match self.canary {
            Some(canary) if self.failing.len() >= self.doubt && self.checks.is_none() => {
                self.checks = Some(0);
                NetworkAction::Check(canary, None)
            }
            _ => NetworkAction::Nothing,
        }
    }

    fn handle_response(&mut self) {
        self.failing.clear();
        self.failed.clear();
    }

    /// The start URL responded: it is the canary if there is no other.
    pub(super) fn handle_start(&mut self, start: UrlId) {
        self.canary.get_or_insert(start);
    }

    /// A request for the canary has ended.
    pub(super) fn handle_canary(
        &mut self,
        now: Moment,
        id: UrlId,
        outcome: &AttemptOutcome,
        retry: Retry,
    ) -> NetworkAction {
        let Some(checks) = self.checks else { return NetworkAction::Nothing };
        if !may_be_network(outcome) {
            self.checks = None;
            self.doubt *= 2;
            self.handle_response();
            return NetworkAction::Nothing;
        }
        let checks = checks + 1;
        match retry.gap(checks, outcome) {
            Some(gap) => {
                self.checks = Some(checks);
                NetworkAction::Check(id, Some(now + gap))
            }
            None => NetworkAction::Down,
        }
    }

    /// Whether several servers fail, and none responds in between.
    pub(super) fn is_suspect(&self) -> bool {
        self.failing.len() >= SUSPECT
    }

    /// The network is down: since when, which URL shows it, and which URLs failed because of it.
    pub(super) fn take_failed(&mut self) -> Option<(Moment, UrlId, Vec<UrlId>)> {
        let canary = self.canary?;
        Some((self.since, canary, std::mem::take(&mut self.failed)))
    }

    /// The run continues after it was stopped.
    pub(super) fn handle_resumed(&mut self) {
        *self = Connectivity { canary: self.canary, ..Connectivity::default() };
    }
}

/// Whether a failure may be due to the network.
fn may_be_network(outcome: &AttemptOutcome) -> bool {
    match outcome {
        AttemptOutcome::Response(_) => false,
        AttemptOutcome::Failure(failure) => matches!(
            failure,
            Failure::Unreachable
                | Failure::Timeout(Stage::Connect)
                | Failure::Dns(DnsFailure::Silence | DnsFailure::ServerFailure(_))
        ),
    }
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;
    use crate::evidence::ResponseHead;

    const RETRY: Retry = Retry { attempts: 3, timeout: Duration::from_secs(20) };

    fn at(seconds: u32) -> Moment {
        Moment::START + Duration::from_secs(1) * seconds
    }

    fn unreachable() -> AttemptOutcome {
        AttemptOutcome::Failure(Failure::Unreachable)
    }

    fn fine() -> AttemptOutcome {
        AttemptOutcome::Response(ResponseHead { status: 200, ..ResponseHead::default() })
    }

    /// Six servers fail after one has responded.
    fn doubted() -> (Connectivity, NetworkAction) {
        let mut network = Connectivity::default();
        let (server, url) = (ServerId::from_index, UrlId::from_index);
        network.handle_ended(at(1), server(0), url(0), &fine());
        let mut action = NetworkAction::Nothing;
        for number in 1..=6 {
            assert_eq!(action, NetworkAction::Nothing);
            action = network.handle_ended(at(2), server(number), url(number), &unreachable());
        }
        (network, action)
    }

    #[test]
    fn when_many_servers_fail_the_canary_is_requested() {
        let (mut network, action) = doubted();
        let canary = UrlId::from_index(0);
        assert_eq!(action, NetworkAction::Check(canary, None));
        let action = network.handle_canary(at(3), canary, &fine(), RETRY);
        assert_eq!(action, NetworkAction::Nothing);
        assert!(!network.is_suspect(), "the servers are at fault");
    }

    #[test]
    fn the_network_is_down_when_all_attempts_at_the_canary_fail() {
        let (mut network, _) = doubted();
        let canary = UrlId::from_index(0);
        let action = network.handle_canary(at(3), canary, &unreachable(), RETRY);
        assert_eq!(action, NetworkAction::Check(canary, Some(at(8))));
        network.handle_canary(at(8), canary, &unreachable(), RETRY);
        let action = network.handle_canary(at(40), canary, &unreachable(), RETRY);
        assert_eq!(action, NetworkAction::Down);
        let (since, of, failed) = network.take_failed().unwrap();
        assert_eq!((since, of, failed.len()), (at(2), canary, 6));
    }

    #[test]
    fn each_time_that_the_network_was_up_twice_as_many_servers_have_to_fail() {
        let (mut network, _) = doubted();
        let canary = UrlId::from_index(0);
        network.handle_canary(at(3), canary, &fine(), RETRY);
        let mut fail = |number: usize| {
            let (server, url) = (ServerId::from_index(number), UrlId::from_index(number));
            network.handle_ended(at(4), server, url, &unreachable())
        };
        for number in 11..22 {
            assert_eq!(fail(number), NetworkAction::Nothing, "server {}", number - 10);
        }
        assert_eq!(fail(22), NetworkAction::Check(canary, None));
    }
}
