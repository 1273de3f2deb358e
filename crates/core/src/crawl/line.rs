//! Whether the line is down: told apart from broken by asking again a host that had
//! answered.
//!
//! When servers that have nothing to do with each other fail one after the other, and
//! none answers meanwhile, one that answered before is asked again. Only when that
//! fails too, as often as any failure is asked, is the line taken to be down.

use std::collections::BTreeSet;

use super::beside::Reason;
use super::entry::State;
use super::{AddressId, Crawl, Halt, Note};
use crate::Moment;
use crate::crawl::frontier::ServerId;
use crate::evidence::{DnsFailure, Ending, Failure, Stage};
use crate::verdict::Cause;

/// So many servers fail in a row before the line is doubted; twice as many each time
/// that it was well.
const FIRST_DOUBT: usize = 6;

/// When the site's own server is gone, and so many in all fail, it is the line.
const SUSPECT: usize = 4;

/// The line. See the [module](self).
#[derive(Debug)]
pub(super) struct Line {
    failing: BTreeSet<ServerId>,
    /// What was asked of them.
    failed: Vec<AddressId>,
    since: Moment,
    doubt: usize,
    /// The question is under way; so many times it has failed.
    asked: Option<u32>,
    witness: Option<AddressId>,
}

impl Default for Line {
    fn default() -> Line {
        let (failing, failed) = (BTreeSet::new(), Vec::new());
        Line {
            failing,
            failed,
            since: Moment::START,
            doubt: FIRST_DOUBT,
            asked: None,
            witness: None,
        }
    }
}

impl Line {
    fn handle_answer(&mut self) {
        self.failing.clear();
        self.failed.clear();
    }

    /// Gives whether the line is to be doubted.
    fn handle_failure(&mut self, now: Moment, server: ServerId, id: AddressId) -> bool {
        if self.failing.is_empty() {
            self.since = now;
        }
        self.failing.insert(server);
        self.failed.push(id);
        self.failing.len() >= self.doubt && self.asked.is_none()
    }
}

/// Whether a failure may be that of the line.
fn is_of_line(ending: &Ending) -> bool {
    match ending {
        Ending::Answer(_) => false,
        Ending::Failure(failure) => matches!(
            failure,
            Failure::Unreachable
                | Failure::Timeout(Stage::Connect)
                | Failure::Dns(DnsFailure::Silence | DnsFailure::ServerFailure(_))
        ),
    }
}

impl Crawl {
    /// Watches the line by one ending.
    pub(super) fn watch_line(
        &mut self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        ending: &Ending,
    ) {
        if let Ending::Answer(answer) = ending {
            self.line.handle_answer();
            if answer.is_success() {
                self.line.witness = Some(id);
            }
        } else if is_of_line(ending) && self.line.handle_failure(now, server, id) {
            let Some(witness) = self.line.witness.or(self.start.reached()) else { return };
            self.line.asked = Some(0);
            self.ask_beside(witness, Reason::Line, None);
        }
    }

    pub(super) fn handle_line_witness(&mut self, now: Moment, id: AddressId, ending: &Ending) {
        let Some(times) = self.line.asked else { return };
        if !is_of_line(ending) {
            self.line.asked = None;
            self.line.doubt *= 2;
            return self.line.handle_answer();
        }
        let times = times + 1;
        match self.settings.retry.gap(times, ending) {
            Some(gap) => {
                self.line.asked = Some(times);
                self.ask_beside(id, Reason::Line, Some(now + gap));
            }
            None => self.handle_offline(self.line.since),
        }
    }

    /// Whether other servers fail as well, and none answers meanwhile.
    pub(super) fn line_is_suspect(&self) -> bool {
        self.line.failing.len() >= SUSPECT
    }

    /// Nothing is asked any more, and what failed of late is withheld.
    pub(super) fn handle_offline(&mut self, since: Moment) {
        let since = since.min(self.line.since);
        let Some(witness) = self.line.witness.or(self.start.reached()) else { return };
        let mut rest = std::mem::take(&mut self.line.failed);
        for index in 0..self.entries.len() {
            let state = self.entries[index].state;
            if state.waits() || state == State::InFlight {
                rest.push(AddressId::from_index(index));
            }
        }
        rest.sort_unstable();
        rest.dedup();
        self.halt = Some(Halt::Offline);
        for &id in &rest {
            self.entry_mut(id).ticket += 1;
            self.withhold(id, Cause::Offline);
        }
        self.withheld.extend(rest);
        self.note(witness, Note::Offline { since });
        self.finish();
    }

    pub(super) fn forgive_line(&mut self) {
        let witness = self.line.witness;
        self.line = Line { witness, ..Line::default() };
    }
}
