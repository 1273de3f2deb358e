//! Whether servers, and the network, are available.
//!
//! [`Health`] sees every outcome. It distinguishes a server that is down or refuses everything
//! from broken links, by requesting again what had responded. URLs that it defers are requested
//! when the run continues.

mod connectivity;
mod luck;
mod names;
pub(super) mod outage;
mod server;

use std::collections::HashMap;
use std::time::Duration;

use connectivity::{Connectivity, NetworkAction};
use names::{Names, NamesAction};
use outage::{Availability, HealthAction, ServerSignal};
use server::{Circumstances, Server};

use super::board::Board;
use super::effect::Effect;
use super::messages::{Halt, Note, ServerId, UrlId};
use super::pace::Signal;
use super::requests::Order;
use super::requests::side_requests::Reason;
use super::urls::{Phase, Roles};
use crate::Moment;
use crate::evidence::{Attempt, AttemptOutcome, Failure, Stage};
use crate::verdict::Cause;

pub(super) use server::{hangs, retry_after_too_long};

/// How many times a failure of an overloaded server does not count.
const STRAINED_MOST: u32 = 3;
/// How many times a URL is excused because its server was unavailable: one that takes its server
/// down at each request is broken in the end.
const AWAY_MOST: u32 = 6;

/// The health of all servers, and of the network. See the [module](self).
#[derive(Debug)]
pub(super) struct Health {
    servers: HashMap<ServerId, Server>,
    connectivity: Connectivity,
    names: Names,
    /// Deferred URLs, to be requested when the run continues.
    deferred: Vec<UrlId>,
    /// The time-out of a first attempt.
    timeout: Duration,
}

impl Health {
    pub(super) fn new(timeout: Duration) -> Health {
        Health {
            servers: HashMap::new(),
            connectivity: Connectivity::default(),
            names: Names::default(),
            deferred: Vec::new(),
            timeout,
        }
    }

    fn server(&mut self, server: ServerId) -> &mut Server {
        let timeout = self.timeout;
        self.servers.entry(server).or_insert_with(|| Server::new(timeout))
    }

    fn availability(&self, server: ServerId) -> Availability {
        self.servers.get(&server).map_or(Availability::Here, |it| it.detector.availability())
    }

    fn is_troubled(&self, server: ServerId) -> bool {
        self.servers.get(&server).is_some_and(|it| it.detector.is_troubled())
    }

    /// What the outcome of a request says about the pace for its server.
    pub(super) fn signal(
        &self,
        board: &Board,
        now: Moment,
        (server, id): (ServerId, UrlId),
        attempt: &Attempt,
    ) -> Signal {
        let pace = board.requests.pace(server);
        let began = now.before(attempt.took);
        // Politeness is for servers that answer.
        if !pace.has_responded() && is_unreached(&attempt.outcome) {
            return Signal::Unreached;
        }
        let known = self.servers.get(&server);
        let given = Circumstances {
            is_troubled: self.is_troubled(server),
            repeats: board.entry(id).attempts.count > 0,
            alone: pace.is_lively_since(began) || !pace.has_responded(),
            unavailable_at_any_pace: known.is_some_and(Server::unavailable_at_any_pace),
        };
        server::signal(&attempt.outcome, attempt.took, given)
    }

    /// Whether a server is gone, so that its URLs are no longer requested.
    pub(super) fn is_gone(&self, board: &Board, id: UrlId) -> bool {
        let server = board.entry(id).server;
        server.is_some_and(|it| matches!(self.availability(it), Availability::Gone { .. }))
    }

    /// Defers a URL of a server that is gone.
    pub(super) fn defer_urls_of_gone(&mut self, board: &mut Board, id: UrlId) {
        self.deferred.push(id);
        board.say(Effect::Defer { id, cause: Cause::Blocking });
    }

    /// The start URL responded.
    pub(super) fn handle_start(&mut self, start: UrlId) {
        self.connectivity.handle_start(start);
    }

    /// A request for the verdict of a URL has ended.
    pub(super) fn handle_outcome(
        &mut self,
        board: &mut Board,
        now: Moment,
        (server, id): (ServerId, UrlId),
        attempt: &Attempt,
    ) {
        // A file says nothing about servers and the network.
        if attempt.outcome.is_local() {
            return;
        }
        let action = self.connectivity.handle_ended(now, server, id, &attempt.outcome);
        self.act_on_network(board, action);
        let action =
            self.names.handle_ended(now, server, id, &attempt.outcome, |id| is_named(board, id));
        self.act_on_names(board, action);
        // A form without its fields says nothing about its server.
        if board.entry(id).roles.only_form() {
            return;
        }
        let attempts = board.entry(id).attempts;
        if attempts.strained > 0 && self.server(server).handle_retried(&attempt.outcome) {
            board.requests.handle_unrelated_refusals(server);
        }
        let attempts = attempts.count;
        self.server(server).luck.handle_ended(&attempt.outcome, attempts);
        if self.server(server).handle_attempt(&attempt.outcome, attempts) {
            Health::give_up_second_attempts(board, server);
        }
        if attempts > 0 {
            let second = self.server(server).second_at_once();
            board.requests.set_second_at_once(server, second);
        }
        let ran_out = attempt.outcome == AttemptOutcome::Failure(Failure::Timeout(Stage::Body));
        if ran_out && self.server(server).only_drips() {
            for id in waiting_of(board, server) {
                board.say(Effect::Defer { id, cause: Cause::Timeout });
            }
        }
        let (began, signal) = (now.before(attempt.took), ServerSignal::of(&attempt.outcome));
        let action = self.server(server).detector.handle_ended(began, now, id, signal);
        self.act(board, server, action);
        if signal == ServerSignal::Refused && !board.requests.is_own(server) {
            self.watch_external(board, server, id);
        }
    }

    /// The result of an earlier run is used again: it shows which names exist.
    pub(super) fn handle_recalled(&mut self, board: &Board, id: UrlId, outcome: &AttemptOutcome) {
        let was_reached = matches!(outcome, AttemptOutcome::Response(_)) && !outcome.is_local();
        if was_reached && is_named(board, id) {
            self.names.handle_recalled(id);
        }
    }

    /// Whether a failure is due to the pace of requests, or to the server being unavailable.
    pub(super) fn is_due_to_strain(
        &self,
        board: &Board,
        now: Moment,
        (server, id): (ServerId, UrlId),
        outcome: &AttemptOutcome,
    ) -> bool {
        if ServerSignal::of(outcome) != ServerSignal::Failed {
            return false;
        }
        let attempts = board.entry(id).attempts;
        let is_away = matches!(self.availability(server), Availability::Away { .. });
        let says_so = matches!(outcome.status(), Some(429 | 503));
        let strained =
            board.requests.pace(server).is_strained(now) && (says_so || self.is_troubled(server));
        // A time-out is expensive each time: one excuse has to do.
        let costs = hangs(outcome) && attempts.count + attempts.strained > 0;
        (is_away && attempts.strained < AWAY_MOST)
            || (strained && !costs && attempts.strained < STRAINED_MOST)
    }

    /// The moment until which a server's `Retry-After` is obeyed: once, and not for too long.
    pub(super) fn apply_retry_after(
        &mut self,
        board: &mut Board,
        now: Moment,
        server: ServerId,
        outcome: &AttemptOutcome,
    ) -> Option<Moment> {
        let wait = server::retry_after_to_apply(outcome)?;
        if !self.server(server).grant_wait() {
            return None;
        }
        let until = now + wait;
        board.requests.wait_until(server, until);
        Some(until)
    }

    /// A page responded well: it may become the canary of its server.
    pub(super) fn handle_well(&mut self, server: ServerId, id: UrlId) {
        self.server(server).detector.handle_well(id);
    }

    /// Decides that an external server that has never responded well refuses us, when it refuses
    /// three URLs in a row, and its home page.
    fn watch_external(&mut self, board: &mut Board, server: ServerId, id: UrlId) {
        let detector = &self.server(server).detector;
        if detector.has_canary() || detector.row().len() < 2 {
            return;
        }
        let Some(home) = board.urls.home_of(id) else { return };
        let known = board.urls.find(home.as_str());
        let row = detector.row();
        if row.len() > 2 && known.is_some_and(|home| row.contains(&home)) {
            let action = self.server(server).detector.give_up();
            return self.act(board, server, action);
        }
        // The home page is requested only if other URLs of the server are waiting.
        if known.is_none() && !waiting_of(board, server).is_empty() {
            let id = board.intern(&home, u32::MAX, 0);
            board.say(Effect::Use { id, roles: Roles::VISIT, first: true });
        }
    }

    /// Whether the bodies of a server do not end in time, several in a row.
    pub(super) fn is_dripping(&self, server: ServerId) -> bool {
        self.servers.get(&server).is_some_and(Server::is_dripping)
    }

    /// Whether a URL that timed out is not worth a retry, because others of its server have timed
    /// out as well.
    pub(super) fn is_hopeless(&self, board: &Board, server: ServerId, id: UrlId) -> bool {
        let has_responded = board.requests.pace(server).has_responded();
        let attempts = board.entry(id).attempts.count;
        self.servers.get(&server).is_some_and(|it| it.is_hopeless(attempts, has_responded))
    }

    /// Whether a URL that failed at all its usual attempts gets one more, because its server fails
    /// at random. A time-out costs too much.
    pub(super) fn grant_attempt(
        &mut self,
        board: &Board,
        (server, id): (ServerId, UrlId),
        outcome: &AttemptOutcome,
    ) -> bool {
        let usual = board.settings.retry.attempts;
        let more = (board.entry(id).attempts.count + 1).checked_sub(usual);
        let costs = hangs(outcome) || !outcome.may_pass() || usual < 2;
        more.is_some_and(|more| !costs && self.server(server).luck.grant(more))
    }

    /// A URL has failed for the last time: whether that may be due to chance.
    pub(super) fn watch_luck(
        &mut self,
        board: &mut Board,
        (server, id): (ServerId, UrlId),
        outcome: &AttemptOutcome,
    ) {
        let attempts = board.entry(id).attempts.count;
        let luck = &self.server(server).luck;
        if !outcome.may_pass() || hangs(outcome) || !luck.may_be_chance(attempts) {
            return;
        }
        let (failed, made) = luck.rate();
        board.entry_mut(id).attempts.by_chance = true;
        if !std::mem::replace(&mut self.server(server).is_noted, true) {
            board.note(id, Note::Unsteady { failed, made });
        }
    }

    /// A URL has its last outcome. If it timed out, and its server has never responded, the rest
    /// of that server may be given up.
    pub(super) fn handle_last(
        &mut self,
        board: &mut Board,
        server: ServerId,
        outcome: &AttemptOutcome,
    ) {
        board.requests.set_on_trial(server, false);
        if !hangs(outcome) || board.requests.pace(server).has_responded() {
            return;
        }
        if self.server(server).handle_hung() {
            for id in waiting_of(board, server) {
                board.say(Effect::Defer { id, cause: Cause::Timeout });
            }
        }
    }

    fn give_up_second_attempts(board: &mut Board, server: ServerId) {
        let waits = |id: &UrlId| {
            let entry = board.entry(*id);
            let is_second = entry.attempts.hung && entry.attempts.count <= 1;
            matches!(entry.phase(), Phase::Retry(_)) && is_second
        };
        let rest: Vec<UrlId> = waiting_of(board, server).into_iter().filter(waits).collect();
        for id in rest {
            board.say(Effect::Defer { id, cause: Cause::Timeout });
        }
    }

    /// Whether the verdict of a URL depends on whether its server still serves what it had
    /// served: if the site's own server refuses it, or if it failed at all attempts and nothing
    /// else has responded meanwhile. The verdict then waits for the canary.
    pub(super) fn await_canary(
        &mut self,
        board: &mut Board,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) -> bool {
        let began = board.entry(id).attempts.began;
        let Some(server) = board.entry(id).server else { return false };
        let refused = matches!(outcome.status(), Some(403 | 405)) && board.requests.is_own(server);
        let known = self.server(server);
        let alone = ServerSignal::of(outcome) == ServerSignal::Failed
            && !known.detector.row().is_empty()
            && !known.detector.was_well_since(began);
        let gone = matches!(known.detector.availability(), Availability::Gone { .. });
        if !(refused || alone) || !known.detector.has_canary() || gone {
            return false;
        }
        known.refused.push((id, outcome.clone()));
        let action = known.detector.check();
        board.urls.set_phase(id, Phase::Refused);
        self.act(board, server, action);
        true
    }

    /// A request for the canary of a server has ended.
    pub(super) fn handle_canary(
        &mut self,
        board: &mut Board,
        now: Moment,
        (server, id): (ServerId, UrlId),
        outcome: &AttemptOutcome,
    ) {
        let signal = ServerSignal::of(outcome);
        let action = self.server(server).detector.handle_canary(now, id, signal);
        self.act(board, server, action);
    }

    fn act(&mut self, board: &mut Board, server: ServerId, action: HealthAction) {
        match action {
            HealthAction::Nothing => {}
            HealthAction::Request(id) => board.enqueue_side(id, Reason::Server(server), None),
            HealthAction::RequestAt(moment, id) => {
                board.requests.set_closed(server, true);
                board.enqueue_side(id, Reason::Server(server), Some(moment));
            }
            HealthAction::Continue { was_away } => {
                board.requests.set_closed(server, false);
                for (id, outcome) in std::mem::take(&mut self.server(server).refused) {
                    let attempts = &mut board.entry_mut(id).attempts;
                    if was_away && attempts.strained < AWAY_MOST {
                        // Earlier attempts say nothing about the URL: it starts again.
                        attempts.count = 0;
                        attempts.strained += 1;
                        board.enqueue(id, Order::Later);
                    } else {
                        board.say(Effect::FinalizeRefused { id, outcome });
                    }
                }
            }
            HealthAction::GiveUp => self.handle_gone(board, server),
        }
    }

    /// A server refuses everything: its other URLs are not requested.
    fn handle_gone(&mut self, board: &mut Board, server: ServerId) {
        let Availability::Gone { since } = self.availability(server) else { return };
        let is_own = board.requests.is_own(server);
        if is_own && self.connectivity.is_suspect() {
            return self.handle_offline(board, Some(since));
        }
        board.requests.set_closed(server, false);
        let known = self.server(server);
        known.refused.clear();
        let failed_of_late = known.detector.row().iter().copied().filter(|id| {
            let judged = board.entry(*id).judged();
            judged.is_some_and(|it| it.cause != Some(Cause::AccessRefused))
        });
        let mut rest: Vec<UrlId> = failed_of_late.collect();
        rest.extend(waiting_of(board, server));
        for &id in &rest {
            board.say(Effect::Defer { id, cause: Cause::Blocking });
        }
        if let Some(id) = rest.first() {
            board.note(*id, Note::Blocked { since });
        }
        if is_own {
            board.say(Effect::Halt { halt: Halt::Blocked, at_once: false });
        }
        self.deferred.extend(rest);
    }

    /// A request for the canary of the network has ended.
    pub(super) fn handle_network_canary(
        &mut self,
        board: &mut Board,
        now: Moment,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) {
        let retry = board.settings.retry;
        let action = self.connectivity.handle_canary(now, id, outcome, retry);
        self.act_on_network(board, action);
    }

    fn act_on_network(&mut self, board: &mut Board, action: NetworkAction) {
        match action {
            NetworkAction::Nothing => {}
            NetworkAction::Check(id, at) => board.enqueue_side(id, Reason::Network, at),
            NetworkAction::Down => self.handle_offline(board, None),
        }
    }

    /// The lookup of a name that was resolved before has ended.
    pub(super) fn handle_names_check(
        &mut self,
        board: &mut Board,
        now: Moment,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) {
        let action = self.names.handle_check(now, id, outcome, board.settings.retry);
        self.act_on_names(board, action);
    }

    fn act_on_names(&mut self, board: &mut Board, action: NamesAction) {
        match action {
            NamesAction::Nothing => {}
            NamesAction::Check(id, at) => board.enqueue_side(id, Reason::Names, at),
            NamesAction::Down => {
                if let Some((since, known, failed)) = self.names.take_failed() {
                    self.withhold_all(board, failed);
                    board.note(known, Note::NoNames { since });
                    board.say(Effect::Halt { halt: Halt::Offline, at_once: true });
                }
            }
        }
    }

    /// Nothing else is left to do: if no name was ever resolved, failures in DNS do not count.
    pub(super) fn handle_idle(&mut self, board: &mut Board) {
        let Some((hosts, failed)) = self.names.take_unresolved() else { return };
        let first = failed[0];
        self.withhold_all(board, failed);
        let hosts = u32::try_from(hosts).unwrap_or(u32::MAX);
        board.note(first, Note::NothingResolved { hosts });
        board.say(Effect::Halt { halt: Halt::Offline, at_once: true });
    }

    /// Stops all requests, and defers what failed recently.
    fn handle_offline(&mut self, board: &mut Board, since: Option<Moment>) {
        let Some((failing_since, canary, rest)) = self.connectivity.take_failed() else {
            return;
        };
        let since = since.map_or(failing_since, |since| since.min(failing_since));
        self.withhold_all(board, rest);
        board.note(canary, Note::Offline { since });
        board.say(Effect::Halt { halt: Halt::Offline, at_once: true });
    }

    /// Defers these URLs, and all that wait.
    fn withhold_all(&mut self, board: &mut Board, mut rest: Vec<UrlId>) {
        rest.extend(board.urls.ids().filter(|id| {
            let phase = board.entry(*id).phase();
            phase.waits() || matches!(phase, Phase::InFlight(_))
        }));
        rest.sort_unstable();
        rest.dedup();
        for &id in &rest {
            board.say(Effect::Defer { id, cause: Cause::Offline });
        }
        self.deferred.extend(rest);
    }

    /// The run continues after it was stopped: servers that were gone, and the network, get
    /// another chance.
    pub(super) fn handle_resumed(&mut self) {
        for server in self.servers.values_mut() {
            if matches!(server.detector.availability(), Availability::Gone { .. }) {
                server.detector.handle_resumed();
            }
        }
        self.connectivity.handle_resumed();
        self.names.handle_resumed();
    }

    /// Takes the deferred URLs.
    pub(super) fn take_deferred(&mut self) -> Vec<UrlId> {
        std::mem::take(&mut self.deferred)
    }
}

/// Whether an outcome shows that nothing of a server was reached that would have work to do.
fn is_unreached(outcome: &AttemptOutcome) -> bool {
    let AttemptOutcome::Failure(failure) = outcome else { return false };
    matches!(
        failure,
        Failure::Dns(_)
            | Failure::Refused
            | Failure::Tls(_)
            | Failure::NoIpv6
            | Failure::Private(_)
            | Failure::PrivateName
    )
}

/// Whether the host of a URL has a name, not an IP address.
fn is_named(board: &Board, id: UrlId) -> bool {
    matches!(board.urls.parsed(id).host(), Some(url::Host::Domain(_)))
}

/// The URLs of a server that wait to be requested.
fn waiting_of(board: &Board, server: ServerId) -> Vec<UrlId> {
    let waits = |id: &UrlId| {
        let entry = board.entry(*id);
        entry.server == Some(server) && entry.phase().waits()
    };
    board.urls.ids().filter(waits).collect()
}
