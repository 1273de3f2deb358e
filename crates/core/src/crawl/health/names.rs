//! Detects that our own DNS server is down or lies, as opposed to names that do not exist, by
//! looking up again a name that it had resolved.
//!
//! When the names of unrelated hosts fail one after the other, and no new name is resolved in
//! between, a known name is looked up again. Only if that fails too, at as many attempts as any
//! other failure, is our DNS server at fault. Where no name was ever resolved, as from a local
//! folder, nothing is known to exist: the failures of several hosts do not count.

use std::collections::BTreeSet;

use crate::Moment;
use crate::crawl::messages::{ServerId, UrlId};
use crate::crawl::retry::Retry;
use crate::evidence::{AttemptOutcome, Failure, Stage};

/// How many hosts fail in a row before our DNS server is doubted; twice as many each time that it
/// was right.
const FIRST_DOUBT: usize = 4;

/// The state of our DNS server. See the [module](self).
#[derive(Debug)]
pub(super) struct Names {
    /// Servers whose names were resolved.
    resolved: BTreeSet<ServerId>,
    failing: BTreeSet<ServerId>,
    /// The URLs that failed.
    failed: Vec<UrlId>,
    since: Moment,
    doubt: usize,
    /// The known name is being looked up; that has failed this many times.
    checks: Option<u32>,
    /// A URL whose host has a name that was resolved.
    known: Option<UrlId>,
    /// Any name was resolved, whatever came of it.
    resolves: bool,
}

/// What to do about our DNS server.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum NamesAction {
    Nothing,
    /// Look up the name of this URL again: now, or at that moment.
    Check(UrlId, Option<Moment>),
    /// It is down.
    Down,
}

impl Default for Names {
    fn default() -> Names {
        Names {
            resolved: BTreeSet::new(),
            failing: BTreeSet::new(),
            failed: Vec::new(),
            since: Moment::START,
            doubt: FIRST_DOUBT,
            checks: None,
            known: None,
            resolves: false,
        }
    }
}

impl Names {
    /// A request has ended. `is_named`: whether the host of a URL has a name, not an IP address.
    pub(super) fn handle_ended(
        &mut self,
        now: Moment,
        server: ServerId,
        id: UrlId,
        outcome: &AttemptOutcome,
        is_named: impl Fn(UrlId) -> bool,
    ) -> NamesAction {
        if !is_dns(outcome) {
            let is_new = self.resolved.insert(server) && is_named(id);
            self.resolves |= is_new;
            if is_new && matches!(outcome, AttemptOutcome::Response(_)) {
                self.known.get_or_insert(id);
                self.trust();
            }
            return NamesAction::Nothing;
        }
        if self.failing.is_empty() {
            self.since = now;
        }
        self.failing.insert(server);
        self.failed.push(id);
        match self.known {
            Some(known) if self.failing.len() >= self.doubt && self.checks.is_none() => {
                self.checks = Some(0);
                NamesAction::Check(known, None)
            }
            _ => NamesAction::Nothing,
        }
    }

    /// The lookup of the known name has ended.
    pub(super) fn handle_check(
        &mut self,
        now: Moment,
        id: UrlId,
        outcome: &AttemptOutcome,
        retry: Retry,
    ) -> NamesAction {
        let Some(checks) = self.checks else { return NamesAction::Nothing };
        if !is_dns(outcome) {
            self.checks = None;
            self.doubt *= 2;
            self.trust();
            return NamesAction::Nothing;
        }
        let checks = checks + 1;
        // NXDOMAIN for a name that exists passes, as a silence does.
        let passing = AttemptOutcome::Failure(Failure::Timeout(Stage::Connect));
        match retry.gap(checks, &passing) {
            Some(gap) => {
                self.checks = Some(checks);
                NamesAction::Check(id, Some(now + gap))
            }
            None => NamesAction::Down,
        }
    }

    fn trust(&mut self) {
        self.failing.clear();
        self.failed.clear();
    }

    /// The name of this URL's host was resolved in an earlier run.
    pub(super) fn handle_recalled(&mut self, id: UrlId) {
        self.known.get_or_insert(id);
    }

    /// Nothing else is left to do. Returns the URLs that failed and the number of their hosts, if
    /// no name was ever resolved, now or in an earlier run.
    pub(super) fn take_unresolved(&mut self) -> Option<(usize, Vec<UrlId>)> {
        let hosts = self.failing.len();
        let is_unknown = !self.resolves && self.known.is_none();
        let failed = (is_unknown && hosts >= FIRST_DOUBT).then(|| std::mem::take(&mut self.failed));
        failed.filter(|failed| !failed.is_empty()).map(|failed| (hosts, failed))
    }

    /// Our DNS server is down: since when, which URL shows it, and which URLs failed because of
    /// it.
    pub(super) fn take_failed(&mut self) -> Option<(Moment, UrlId, Vec<UrlId>)> {
        let known = self.known?;
        Some((self.since, known, std::mem::take(&mut self.failed)))
    }

    /// The run continues after it was stopped.
    pub(super) fn handle_resumed(&mut self) {
        let resolved = std::mem::take(&mut self.resolved);
        let resolves = self.resolves;
        *self = Names { known: self.known, resolved, resolves, ..Names::default() };
    }
}

fn is_dns(outcome: &AttemptOutcome) -> bool {
    matches!(outcome, AttemptOutcome::Failure(Failure::Dns(_)))
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;
    use crate::evidence::{DnsFailure, ResponseHead};

    const RETRY: Retry = Retry { attempts: 3, timeout: Duration::from_secs(20) };

    fn at(seconds: u32) -> Moment {
        Moment::START + Duration::from_secs(1) * seconds
    }

    fn nxdomain() -> AttemptOutcome {
        AttemptOutcome::Failure(Failure::Dns(DnsFailure::NoSuchName))
    }

    fn fine() -> AttemptOutcome {
        AttemptOutcome::Response(ResponseHead { status: 200, ..ResponseHead::default() })
    }

    /// A request for URL n on server n ends with this outcome, at second n.
    fn end(names: &mut Names, number: usize, outcome: &AttemptOutcome) -> NamesAction {
        let (server, url) = (ServerId::from_index(number), UrlId::from_index(number));
        let seconds = u32::try_from(number).unwrap_or_default();
        names.handle_ended(at(seconds), server, url, outcome, |_| true)
    }

    /// Four hosts fail after one was resolved.
    fn doubted() -> Names {
        let mut names = Names::default();
        end(&mut names, 0, &fine());
        for number in 1..=3 {
            assert_eq!(end(&mut names, number, &nxdomain()), NamesAction::Nothing);
        }
        let check = NamesAction::Check(UrlId::from_index(0), None);
        assert_eq!(end(&mut names, 4, &nxdomain()), check);
        assert_eq!(end(&mut names, 5, &nxdomain()), NamesAction::Nothing, "one check at a time");
        names
    }

    #[test]
    fn a_dns_server_that_no_longer_resolves_a_known_name_is_down() {
        let mut names = doubted();
        let known = UrlId::from_index(0);
        let action = names.handle_check(at(10), known, &nxdomain(), RETRY);
        assert_eq!(action, NamesAction::Check(known, Some(at(15))));
        names.handle_check(at(15), known, &nxdomain(), RETRY);
        assert_eq!(names.handle_check(at(45), known, &nxdomain(), RETRY), NamesAction::Down);
        let (since, of, failed) = names.take_failed().unwrap_or((at(0), known, Vec::new()));
        assert_eq!((since, of, failed.len()), (at(1), known, 5));
    }

    #[test]
    fn a_dns_server_that_resolves_a_known_name_is_right_about_others() {
        let mut names = doubted();
        let known = UrlId::from_index(0);
        // The server of the known name may fail otherwise: its name was resolved.
        let reset = AttemptOutcome::Failure(Failure::Reset);
        assert_eq!(names.handle_check(at(10), known, &reset, RETRY), NamesAction::Nothing);
        for number in 11..18 {
            assert_eq!(end(&mut names, number, &nxdomain()), NamesAction::Nothing, "{number}");
        }
        assert_eq!(end(&mut names, 18, &nxdomain()), NamesAction::Check(known, None));
    }

    #[test]
    fn a_name_that_is_resolved_in_between_ends_the_doubt() {
        let mut names = Names::default();
        end(&mut names, 0, &fine());
        for round in 1..9 {
            for number in 0..3 {
                let action = end(&mut names, round * 10 + number, &nxdomain());
                assert_eq!(action, NamesAction::Nothing);
            }
            // Another page of a known host needs no lookup; a new host does.
            assert_eq!(end(&mut names, round * 10 + 9, &fine()), NamesAction::Nothing);
        }
        for number in 101..104 {
            end(&mut names, number, &nxdomain());
        }
        end(&mut names, 0, &fine());
        let known = UrlId::from_index(0);
        assert_eq!(end(&mut names, 104, &nxdomain()), NamesAction::Check(known, None));
    }

    #[test]
    fn without_a_known_name_nothing_is_concluded() {
        let mut names = Names::default();
        let (server, url) = (ServerId::from_index(0), UrlId::from_index(0));
        names.handle_ended(at(0), server, url, &fine(), |_| false);
        for number in 1..20 {
            assert_eq!(end(&mut names, number, &nxdomain()), NamesAction::Nothing);
        }
    }

    #[test]
    fn after_a_stop_a_known_host_is_no_news() {
        let mut names = Names::default();
        end(&mut names, 0, &fine());
        names.handle_resumed();
        for number in 1..=3 {
            end(&mut names, number, &nxdomain());
        }
        end(&mut names, 0, &fine());
        let known = UrlId::from_index(0);
        assert_eq!(end(&mut names, 4, &nxdomain()), NamesAction::Check(known, None));
    }
}
