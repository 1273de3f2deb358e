//! Whether a server refuses everything: told apart from broken by asking again what
//! had answered.
//!
//! A [`Watch`] is told how each request to one server ended. When one address after
//! the other fails, or is refused, it wants a witness: an address of the server that
//! answered well before. If that still answers, the others are what they seem. If it
//! does not, the server is away: nothing more is asked of it but the witness, at
//! growing gaps; and if it stays away, it is gone, for this run.

use std::time::Duration;

use super::messages::AddressId;
use crate::Moment;
use crate::evidence::{DnsFailure, Ending, Failure, Stage};

/// So many addresses in a row fail before the witness is asked; twice as many after
/// each time that it was well.
const FIRST_DOUBT: usize = 4;
const LAST_DOUBT: usize = 64;
/// After so long a witness that failed is asked again, then after twice as long each time.
const BREATH: Duration = Duration::from_millis(250);
/// A server that is away is waited for at least so long, however short the time-out:
/// machines are restarted.
const RESTART: Duration = Duration::from_secs(30);

/// How a request went, as far as it says something of the server.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Sign {
    /// The server answers as it should: also that something is missing.
    Fine,
    /// It refuses: 403, 405, a gatekeeper's page.
    Refused,
    /// It fails, and that may pass: 429, 5xx, reset, no answer.
    Failed,
    /// It says nothing of the server, or is no failure of its.
    Nothing,
}

impl Sign {
    pub(super) fn of(ending: &Ending) -> Sign {
        match ending {
            Ending::Answer(answer) if answer.challenge || answer.signs.challenge => Sign::Refused,
            Ending::Answer(answer) => match answer.status {
                403 | 405 => Sign::Refused,
                408 | 425 | 429 | 500..=599 => Sign::Failed,
                200..=399 | 404 | 410 => Sign::Fine,
                _ => Sign::Nothing,
            },
            Ending::Failure(failure) => match failure {
                Failure::Timeout(Stage::Body) => Sign::Nothing,
                Failure::Timeout(_)
                | Failure::Refused
                | Failure::Reset
                | Failure::Unreachable
                | Failure::Dns(DnsFailure::ServerFailure(_) | DnsFailure::Silence) => Sign::Failed,
                _ => Sign::Nothing,
            },
        }
    }
}

impl Sign {
    /// Whether something went wrong.
    pub(super) fn is_bad(self) -> bool {
        matches!(self, Sign::Refused | Sign::Failed)
    }
}

/// Where a server is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Presence {
    /// It answers, as far as is known.
    Here,
    /// The witness is being asked.
    Doubted,
    /// The witness failed as well; it is asked again at growing gaps.
    Away {
        /// Since when everything fails.
        since: Moment,
        /// How often the witness has failed.
        asked: u32,
    },
    /// It refuses everything.
    Gone {
        /// Since when.
        since: Moment,
    },
}

/// What is to be done about the witness.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Wish {
    /// Nothing.
    Nothing,
    /// Ask it now.
    Ask(AddressId),
    /// Ask it at that moment, and nothing else meanwhile.
    AskAt(Moment, AddressId),
    /// The server is here: go on.
    GoOn {
        /// It was away.
        was_away: bool,
    },
    /// The server is gone: stop asking.
    GiveUp,
}

/// One server. See the [module](self).
#[derive(Debug)]
pub(super) struct Watch {
    presence: Presence,
    witness: Option<AddressId>,
    /// Addresses that failed or were refused one after the other.
    row: Vec<AddressId>,
    since: Moment,
    doubt: usize,
    /// When the witness was last well.
    well_at: Option<Moment>,
    /// The time-out of a first attempt.
    timeout: Duration,
}

impl Watch {
    pub(super) fn new(timeout: Duration) -> Watch {
        Watch {
            presence: Presence::Here,
            witness: None,
            row: Vec::new(),
            since: Moment::START,
            doubt: FIRST_DOUBT,
            well_at: None,
            timeout,
        }
    }

    pub(super) fn presence(&self) -> Presence {
        self.presence
    }

    /// Whether several addresses have failed in a row.
    pub(super) fn is_troubled(&self) -> bool {
        self.row.len() > 1
    }

    /// The addresses that failed in a row.
    pub(super) fn row(&self) -> &[AddressId] {
        &self.row
    }

    pub(super) fn has_witness(&self) -> bool {
        self.witness.is_some()
    }

    /// Whether the witness was well after that moment.
    pub(super) fn was_well_since(&self, moment: Moment) -> bool {
        self.well_at.is_some_and(|at| at > moment)
    }

    /// An address answered well: the first that does may be asked again to see whether the
    /// server is still here.
    pub(super) fn handle_well(&mut self, id: AddressId) {
        self.witness.get_or_insert(id);
    }

    /// A request ended that had begun at that moment.
    pub(super) fn handle_ended(
        &mut self,
        began: Moment,
        now: Moment,
        id: AddressId,
        sign: Sign,
    ) -> Wish {
        match sign {
            Sign::Nothing => Wish::Nothing,
            // It was answered before the trouble began: that says nothing of now.
            Sign::Fine if !self.row.is_empty() && began < self.since => Wish::Nothing,
            Sign::Fine => {
                self.row.clear();
                match self.presence {
                    Presence::Away { .. } => {
                        self.presence = Presence::Here;
                        Wish::GoOn { was_away: true }
                    }
                    _ => Wish::Nothing,
                }
            }
            Sign::Refused | Sign::Failed => {
                if self.row.is_empty() {
                    self.since = now;
                }
                if !self.row.contains(&id) {
                    self.row.push(id);
                }
                if self.row.len() >= self.doubt { self.ask() } else { Wish::Nothing }
            }
        }
    }

    /// The verdict of an address hangs on whether the server is here.
    pub(super) fn ask(&mut self) -> Wish {
        match (self.presence, self.witness) {
            (Presence::Here, Some(witness)) => {
                self.presence = Presence::Doubted;
                Wish::Ask(witness)
            }
            _ => Wish::Nothing,
        }
    }

    /// The witness was asked.
    pub(super) fn handle_witness(&mut self, now: Moment, id: AddressId, sign: Sign) -> Wish {
        match sign {
            Sign::Fine => {
                let was_away = matches!(self.presence, Presence::Away { .. });
                self.well_at = Some(now);
                self.presence = Presence::Here;
                self.row.clear();
                if !was_away {
                    self.doubt = (self.doubt * 2).min(LAST_DOUBT);
                }
                Wish::GoOn { was_away }
            }
            Sign::Refused => self.give_up(),
            Sign::Failed | Sign::Nothing => {
                let (since, asked) = match self.presence {
                    Presence::Away { since, asked } => (since, asked + 1),
                    _ => (if self.row.is_empty() { now } else { self.since }, 1),
                };
                let gap = BREATH.min(self.timeout / 4) * 2u32.pow(asked.min(7) - 1);
                let waited = now.since_start().saturating_sub(since.since_start());
                if asked > 2 && waited >= RESTART.max(self.timeout * 2) {
                    self.since = since;
                    return self.give_up();
                }
                self.presence = Presence::Away { since, asked };
                Wish::AskAt(now + gap.min(RESTART), id)
            }
        }
    }

    pub(super) fn give_up(&mut self) -> Wish {
        self.presence = Presence::Gone { since: self.since };
        Wish::GiveUp
    }

    /// The run goes on after it was stopped: the server gets another chance.
    pub(super) fn handle_resumed(&mut self) {
        self.presence = Presence::Here;
        self.row.clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SECOND: Duration = Duration::from_secs(1);

    fn id(number: usize) -> AddressId {
        AddressId::from_index(number)
    }

    fn at(seconds: u32) -> Moment {
        Moment::START + SECOND * seconds
    }

    /// A server whose witness is to be asked since second 4.
    fn doubted() -> Watch {
        let mut watch = Watch::new(SECOND * 20);
        watch.handle_well(id(0));
        for number in 1..4 {
            let wish = watch.handle_ended(at(3), at(3 + number), id(number as usize), Sign::Failed);
            assert_eq!(wish, Wish::Nothing);
        }
        assert_eq!(watch.handle_ended(at(3), at(7), id(4), Sign::Refused), Wish::Ask(id(0)));
        watch
    }

    #[test]
    fn several_addresses_in_a_row_call_for_the_witness() {
        let mut watch = doubted();
        assert_eq!(watch.handle_ended(at(3), at(8), id(5), Sign::Failed), Wish::Nothing, "once");
        let well = Wish::GoOn { was_away: false };
        assert_eq!(watch.handle_witness(at(9), id(0), Sign::Fine), well);
        assert!(!watch.is_troubled());
    }

    #[test]
    fn what_was_asked_before_the_trouble_says_nothing_of_it() {
        let mut watch = doubted();
        watch.handle_witness(at(9), id(0), Sign::Failed);
        assert_eq!(watch.handle_ended(at(3), at(10), id(8), Sign::Fine), Wish::Nothing);
        let back = Wish::GoOn { was_away: true };
        assert_eq!(watch.handle_ended(at(9), at(11), id(9), Sign::Fine), back);
        assert_eq!(watch.presence(), Presence::Here);
    }

    #[test]
    fn one_that_fails_again_and_again_is_one() {
        let mut watch = Watch::new(SECOND);
        watch.handle_well(id(0));
        for _ in 0..10 {
            assert_eq!(watch.handle_ended(at(0), at(1), id(1), Sign::Failed), Wish::Nothing);
        }
    }

    #[test]
    fn without_a_witness_nothing_can_be_said() {
        let mut watch = Watch::new(SECOND);
        for number in 0..20 {
            assert_eq!(watch.handle_ended(at(0), at(1), id(number), Sign::Failed), Wish::Nothing);
        }
    }

    #[test]
    fn a_server_that_fails_is_waited_for() {
        let mut watch = doubted();
        assert_eq!(
            watch.handle_witness(at(10), id(0), Sign::Failed),
            Wish::AskAt(at(10) + SECOND / 4, id(0))
        );
        assert_eq!(watch.presence(), Presence::Away { since: at(4), asked: 1 });
        let then = at(11) + SECOND / 2;
        assert_eq!(watch.handle_witness(at(11), id(0), Sign::Failed), Wish::AskAt(then, id(0)));
        let back = Wish::GoOn { was_away: true };
        assert_eq!(watch.handle_witness(at(13), id(0), Sign::Fine), back);
        assert_eq!(watch.presence(), Presence::Here);
    }

    #[test]
    fn a_server_that_stays_away_is_gone_and_one_that_refuses_is_at_once() {
        let mut watch = doubted();
        let mut now = at(10);
        let mut asked = 1;
        while let Wish::AskAt(moment, _) = watch.handle_witness(now, id(0), Sign::Failed) {
            (now, asked) = (moment, asked + 1);
        }
        assert_eq!(watch.presence(), Presence::Gone { since: at(4) });
        assert!((45..60).contains(&now.since_start().as_secs()), "{now:?}");
        assert!(asked < 12, "{asked}");
        let mut watch = doubted();
        assert_eq!(watch.handle_witness(at(10), id(0), Sign::Refused), Wish::GiveUp);
    }

    #[test]
    fn a_short_time_out_does_not_shorten_a_restart() {
        let mut watch = Watch::new(SECOND / 2);
        watch.handle_well(id(0));
        watch.ask();
        let mut now = at(1);
        while let Wish::AskAt(moment, _) = watch.handle_witness(now, id(0), Sign::Failed) {
            now = moment;
        }
        assert!(now >= at(31), "{now:?}");
    }

    #[test]
    fn endings_are_signs_of_the_server() {
        let status = |status| {
            Sign::of(&Ending::Answer(crate::evidence::Answer { status, ..Default::default() }))
        };
        assert_eq!([200, 301, 404, 410].map(status), [Sign::Fine; 4]);
        assert_eq!([403, 405].map(status), [Sign::Refused; 2]);
        assert_eq!([429, 500, 503].map(status), [Sign::Failed; 3]);
        assert_eq!([401, 418].map(status), [Sign::Nothing; 2]);
        assert_eq!(Sign::of(&Ending::Failure(Failure::Refused)), Sign::Failed);
        assert_eq!(Sign::of(&Ending::Failure(Failure::Timeout(Stage::Body))), Sign::Nothing);
        let nxdomain = Failure::Dns(DnsFailure::NoSuchName);
        assert_eq!(Sign::of(&Ending::Failure(nxdomain)), Sign::Nothing);
    }
}
