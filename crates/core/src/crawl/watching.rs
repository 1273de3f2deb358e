//! From how servers take our asking to who is asked further: the watch over each
//! server, and what follows when one is away or gone.

use url::Url;

use super::beside::Reason;
use super::entry::{State, Uses};
use super::refusals::{Presence, Sign, Watch, Wish};
use super::{AddressId, Crawl, Halt, Note};
use crate::Moment;
use crate::crawl::frontier::ServerId;
use crate::crawl::pace::{Signal, Strain};
use crate::evidence::{Answer, Attempt, DnsFailure, Ending, Failure, Stage};
use crate::verdict::{Cause, Clues, Judgement};

/// So many addresses of a server that has never answered hang to the end before its
/// rest is given up.
const HUNG_UNANSWERED: u32 = 2;
/// So many second attempts hang in a row before the others are given up.
const HUNG_AGAIN: u32 = 8;
/// A wait that `Retry-After` asks for is kept up to so many seconds.
const LONGEST_WAIT: u64 = 60;
/// So often a failure under strain does not count.
const STRAINED_MOST: u32 = 3;
/// So often an address is excused because its server was away: one that takes its server
/// down each time that it is asked is broken in the end.
const AWAY_MOST: u32 = 6;

/// What a crawl knows of one server beside its pace.
#[derive(Debug)]
pub(super) struct Server {
    watch: Watch,
    /// Addresses that were refused, and hang on whether the server is here.
    refused: Vec<(AddressId, Ending)>,
    /// It asked for a wait, and got it.
    has_waited: bool,
    /// Addresses that hung to the end, while it never answered.
    hung: u32,
    /// Second attempts that hung one after the other.
    hung_again: u32,
}

impl Crawl {
    pub(super) fn server(&mut self, server: ServerId) -> &mut Server {
        let timeout = self.settings.retry.timeout;
        self.servers.entry(server).or_insert_with(|| Server {
            watch: Watch::new(timeout),
            refused: Vec::new(),
            has_waited: false,
            hung: 0,
            hung_again: 0,
        })
    }

    pub(super) fn presence(&self, server: ServerId) -> Presence {
        self.servers.get(&server).map_or(Presence::Here, |server| server.watch.presence())
    }

    fn is_troubled(&self, server: ServerId) -> bool {
        self.servers.get(&server).is_some_and(|server| server.watch.is_troubled())
    }

    /// What an ending says of the pace at which its server is asked.
    pub(super) fn signal(
        &self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        took: std::time::Duration,
        ending: &Ending,
    ) -> Signal {
        let pace = self.frontier.pace(server);
        let troubled = self.is_troubled(server);
        // What fails again and again while the rest is fine is a matter of its own.
        let repeats = self.entry(id).tries > 0 && !troubled;
        match ending {
            Ending::Answer(Answer { status: 429 | 503, .. }) if repeats => Signal::Neutral,
            Ending::Answer(Answer { status: 429, .. }) => Signal::Strained(Strain::TooMany),
            Ending::Answer(Answer { status: 503, .. }) => Signal::Strained(Strain::Unavailable),
            Ending::Answer(Answer { status: 500..=599, .. }) if troubled => {
                Signal::Strained(Strain::Failures)
            }
            Ending::Answer(_) => Signal::Answered(took),
            Ending::Failure(Failure::Dns(_)) => Signal::Unreached,
            // A server that has begun to answer is not short of breath; that page is.
            Ending::Failure(Failure::Timeout(Stage::Body)) => Signal::Neutral,
            Ending::Failure(Failure::Timeout(_)) => {
                let began = now.before(took);
                let again = self.entry(id).tries > 0;
                let alone = again || pace.is_lively_since(began) || !pace.has_answered();
                if alone { Signal::Neutral } else { Signal::Strained(Strain::Timeout) }
            }
            Ending::Failure(Failure::Reset | Failure::Refused) if troubled => {
                Signal::Strained(Strain::Failures)
            }
            Ending::Failure(_) => Signal::Neutral,
        }
    }

    /// Whether a failure is due to how fast the server was asked, or to its being away.
    pub(super) fn is_due_to_strain(
        &self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        ending: &Ending,
    ) -> bool {
        if Sign::of(ending) != Sign::Failed {
            return false;
        }
        let is_away = matches!(self.presence(server), Presence::Away { .. });
        let says_so = matches!(ending.status(), Some(429 | 503));
        let strained =
            self.frontier.pace(server).is_strained(now) && (says_so || self.is_troubled(server));
        // Silence costs its time-out each time: once more has to do.
        let entry = self.entry(id);
        let costs = hangs(ending) && entry.tries + entry.strained > 0;
        (is_away && entry.strained < AWAY_MOST)
            || (strained && !costs && entry.strained < STRAINED_MOST)
    }

    /// The wait that a server asks for, if it is to be kept: once, and not too long.
    pub(super) fn asked_to_wait(
        &mut self,
        now: Moment,
        server: ServerId,
        ending: &Ending,
    ) -> Option<Moment> {
        let seconds = retry_after(ending).filter(|seconds| *seconds <= LONGEST_WAIT)?;
        if std::mem::replace(&mut self.server(server).has_waited, true) {
            return None;
        }
        let until = now + std::time::Duration::from_secs(seconds);
        self.frontier.wait_until(server, until);
        Some(until)
    }

    /// Watches a server by one ending.
    pub(super) fn watch(
        &mut self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        attempt: &Attempt,
    ) {
        let ending = &attempt.ending;
        self.watch_for_hanging(server, ending, self.entry(id).tries);
        let (began, sign) = (now.before(attempt.took), Sign::of(ending));
        let wish = self.server(server).watch.handle_ended(began, now, id, sign);
        self.act(server, wish);
        if Sign::of(ending) == Sign::Refused && !self.frontier.is_own(server) {
            self.watch_stranger(server, id);
        }
    }

    /// An address answered well: it may bear witness.
    pub(super) fn may_witness(&mut self, server: ServerId, id: AddressId) {
        self.server(server).watch.handle_well(id);
    }

    /// A strange server that has never answered well refuses us when three of its
    /// addresses are refused in a row, its home page among them.
    fn watch_stranger(&mut self, server: ServerId, id: AddressId) {
        let watch = &self.server(server).watch;
        if watch.has_witness() || watch.row().len() < 2 {
            return;
        }
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        let Ok(home) = url.join("/") else { return };
        let known = self.addresses.get_index_of(home.as_str()).map(AddressId::from_index);
        let row = self.server(server).watch.row().to_vec();
        if row.len() > 2 && known.is_some_and(|home| row.contains(&home)) {
            let wish = self.server(server).watch.give_up();
            return self.act(server, wish);
        }
        // The home page is asked where something hangs on it.
        if known.is_none() && self.waiting_of(server).next().is_some() {
            self.use_root(&home, Uses::VISIT);
            if let Some(home) = self.addresses.get_index_of(home.as_str()) {
                self.hasten(AddressId::from_index(home));
            }
        }
    }

    /// An address that waits is asked before the others of its server.
    pub(super) fn hasten(&mut self, id: AddressId) {
        if self.entry(id).state == State::Queued {
            self.queue(id, false, true);
        }
    }

    fn waiting_of(&self, server: ServerId) -> impl Iterator<Item = AddressId> {
        self.entries
            .iter()
            .enumerate()
            .filter(move |(_, entry)| entry.server == Some(server) && entry.state.waits())
            .map(|(index, _)| AddressId::from_index(index))
    }

    /// Servers on which every request hangs are not asked to the end.
    fn watch_for_hanging(&mut self, server: ServerId, ending: &Ending, tries: u32) {
        let known = self.server(server);
        if !hangs(ending) && tries > 0 {
            known.hung_again = 0;
        } else if hangs(ending) && tries == 1 {
            known.hung_again += 1;
            if known.hung_again == HUNG_AGAIN {
                self.give_up_hanging(server);
            }
        }
    }

    /// Whether an address that hung is not to be asked again: others of its server have
    /// hung twice.
    pub(super) fn is_hopeless(&self, server: ServerId, id: AddressId, ending: &Ending) -> bool {
        let Some(known) = self.servers.get(&server).filter(|_| hangs(ending)) else { return false };
        let never_answers =
            known.hung >= HUNG_UNANSWERED && !self.frontier.pace(server).has_answered();
        never_answers || (self.entry(id).tries == 0 && known.hung_again >= HUNG_AGAIN)
    }

    /// An address hung to the end. Of a server that never answered, the rest is given up.
    pub(super) fn handle_hung(&mut self, server: ServerId, ending: &Ending) {
        self.frontier.set_on_trial(server, false);
        if !hangs(ending) || self.frontier.pace(server).has_answered() {
            return;
        }
        let known = self.server(server);
        known.hung += 1;
        if known.hung >= HUNG_UNANSWERED {
            let rest: Vec<AddressId> = self.waiting_of(server).collect();
            self.give_up(&rest, Cause::Timeout);
        }
    }

    fn give_up_hanging(&mut self, server: ServerId) {
        let waits = |id: &AddressId| {
            let entry = self.entry(*id);
            entry.state == State::Later && entry.hung && entry.tries <= 1
        };
        let rest: Vec<AddressId> = self.waiting_of(server).filter(waits).collect();
        self.give_up(&rest, Cause::Timeout);
    }

    /// These are not asked (again): doubtful, for this cause.
    fn give_up(&mut self, rest: &[AddressId], cause: Cause) {
        for &id in rest {
            self.entry_mut(id).ticket += 1;
            self.withhold(id, cause);
        }
    }

    /// A doubtful verdict that says nothing of the address itself.
    pub(super) fn withhold(&mut self, id: AddressId, cause: Cause) {
        let status = match self.entry(id).state {
            State::Settled(judged) => judged.status,
            _ => None,
        };
        self.settle_as(id, Judgement::doubtful(cause), status);
    }

    /// Whether the verdict of an address hangs on whether its server answers what it had
    /// answered: where the site's own server refuses it, or where it failed to the end
    /// and nothing else has answered since it was asked. Then it waits for that.
    pub(super) fn waits_for_witness(&mut self, id: AddressId, ending: &Ending) -> bool {
        let began = self.entry(id).asked_at;
        let Some(server) = self.entry(id).server else { return false };
        let refused = matches!(ending.status(), Some(403 | 405)) && self.frontier.is_own(server);
        let known = self.server(server);
        let alone = Sign::of(ending) == Sign::Failed
            && !known.watch.row().is_empty()
            && !known.watch.was_well_since(began);
        let gone = matches!(known.watch.presence(), Presence::Gone { .. });
        if !(refused || alone) || !known.watch.has_witness() || gone {
            return false;
        }
        known.refused.push((id, ending.clone()));
        let wish = known.watch.ask();
        self.entry_mut(id).state = State::Refused;
        self.admit(|admission| admission.handle_delayed(id));
        self.act(server, wish);
        true
    }

    /// The witness was asked.
    pub(super) fn handle_witness(
        &mut self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        ending: &Ending,
    ) {
        let wish = self.server(server).watch.handle_witness(now, id, Sign::of(ending));
        self.act(server, wish);
    }

    fn act(&mut self, server: ServerId, wish: Wish) {
        match wish {
            Wish::Nothing => {}
            Wish::Ask(id) => self.ask_beside(id, Reason::Server(server), None),
            Wish::AskAt(moment, id) => {
                self.frontier.set_closed(server, true);
                self.ask_beside(id, Reason::Server(server), Some(moment));
            }
            Wish::GoOn { was_away } => {
                self.frontier.set_closed(server, false);
                for (id, ending) in std::mem::take(&mut self.server(server).refused) {
                    if was_away && self.entry(id).strained < AWAY_MOST {
                        self.ask_anew(id);
                    } else {
                        let clues = Clues { well_again: true, ..self.clues(id) };
                        self.settle_ending(id, &ending, clues);
                    }
                }
            }
            Wish::GiveUp => self.handle_gone(server),
        }
    }

    /// What was seen of an address says nothing: it is asked as if it never had been.
    fn ask_anew(&mut self, id: AddressId) {
        let entry = self.entry_mut(id);
        entry.tries = 0;
        entry.strained += 1;
        self.queue(id, true, false);
    }

    /// A server refuses everything: its rest is not asked.
    fn handle_gone(&mut self, server: ServerId) {
        let Presence::Gone { since } = self.presence(server) else { return };
        if self.frontier.is_own(server) && self.line_is_suspect() {
            return self.handle_offline(since);
        }
        self.frontier.set_closed(server, false);
        self.server(server).refused.clear();
        let row = self.server(server).watch.row().to_vec();
        let failed_of_late = row.into_iter().filter(|id| {
            let State::Settled(judged) = self.entry(*id).state else { return false };
            judged.next.is_none() && judged.cause != Some(Cause::AccessRefused)
        });
        let mut rest: Vec<AddressId> = failed_of_late.collect();
        rest.extend(self.waiting_of(server));
        let sample = rest.first().copied();
        self.give_up(&rest, Cause::Blocking);
        if let Some(id) = sample {
            self.note(id, Note::Blocked { since });
        }
        if self.frontier.is_own(server) {
            self.halt = Some(Halt::Blocked);
        }
        self.withheld.extend(rest);
    }

    /// A server that is gone is not asked any more: an address of it has its verdict.
    pub(super) fn is_gone(&self, id: AddressId) -> bool {
        self.entry(id)
            .server
            .is_some_and(|server| matches!(self.presence(server), Presence::Gone { .. }))
    }

    /// A reply that was under way when its server was given up.
    pub(super) fn withhold_of_gone(&mut self, id: AddressId) {
        self.withhold(id, Cause::Blocking);
        self.withheld.push(id);
    }

    pub(super) fn forgive_servers(&mut self) {
        for server in self.servers.values_mut() {
            if matches!(server.watch.presence(), Presence::Gone { .. }) {
                server.watch.handle_resumed();
            }
        }
    }
}

pub(super) fn retry_after(ending: &Ending) -> Option<u64> {
    match ending {
        Ending::Answer(Answer { status: 429 | 503, retry_after, .. }) => *retry_after,
        _ => None,
    }
}

/// Whether a server asks for a wait that is too long to be kept.
pub(super) fn asks_for_too_long(ending: &Ending) -> bool {
    retry_after(ending).is_some_and(|seconds| seconds > LONGEST_WAIT)
}

pub(super) fn hangs(ending: &Ending) -> bool {
    match ending {
        Ending::Failure(Failure::Timeout(stage)) => *stage != Stage::Body,
        Ending::Failure(Failure::Dns(DnsFailure::Silence)) => true,
        _ => false,
    }
}
