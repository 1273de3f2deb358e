//! Questions beside: an address with a verdict is asked once more, for another reason
//! than its own verdict.

use std::collections::BTreeMap;

use super::{AddressId, BodyWish, Crawl, Event, Kind, Response};
use crate::Moment;
use crate::crawl::frontier::{Job, ServerId, Turn};
use crate::evidence::{Attempt, Ending, Purpose};
use crate::extract::reading::Reading;
use crate::verdict::Cause;

/// Why a side request is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Reason {
    /// It answered before: is its server still here?
    Server(ServerId),
    /// It answered before: is the line still up?
    Line,
    /// It is a page: is it one too when something else is asked for?
    Type(Kind),
    /// Which places has it that fragments may name?
    Places,
}

/// The side requests that wait or are in flight, by their number: it is the ticket of their
/// job.
#[derive(Debug, Default)]
pub(super) struct Beside {
    pending: BTreeMap<u32, (AddressId, Reason)>,
    made: u32,
}

impl Beside {
    fn add(&mut self, id: AddressId, reason: Reason) -> u32 {
        self.made += 1;
        self.pending.insert(self.made, (id, reason));
        self.made
    }

    pub(super) fn reason(&self, number: u32) -> Option<Reason> {
        self.pending.get(&number).map(|(_, reason)| *reason)
    }

    pub(super) fn take(&mut self, number: u32) -> Option<Reason> {
        self.pending.remove(&number).map(|(_, reason)| reason)
    }

    /// The number of the oldest side request for this purpose that waits for a URL.
    pub(super) fn waiting(&self, id: AddressId, purpose: Purpose) -> Option<u32> {
        let fits = |(of, reason): &(AddressId, Reason)| *of == id && reason.purpose() == purpose;
        self.pending.iter().find(|(_, pending)| fits(pending)).map(|(number, _)| *number)
    }
}

impl Reason {
    pub(super) fn purpose(self) -> Purpose {
        match self {
            Reason::Server(_) => Purpose::Server,
            Reason::Line => Purpose::Network,
            Reason::Type(_) => Purpose::Type,
            Reason::Places => Purpose::Anchors,
        }
    }

    pub(super) fn body(self) -> BodyWish {
        match self {
            Reason::Places => BodyWish::Places,
            Reason::Server(_) | Reason::Line | Reason::Type(_) => BodyWish::Drop,
        }
    }

    pub(super) fn kind(self) -> Kind {
        match self {
            Reason::Type(kind) => kind,
            Reason::Server(_) | Reason::Line | Reason::Places => Kind::Page,
        }
    }
}

impl Crawl {
    /// Asks an address beside, at once or at that moment.
    pub(super) fn ask_beside(&mut self, id: AddressId, reason: Reason, at: Option<Moment>) {
        let Some(server) = self.entry(id).server else { return };
        let ticket = self.beside.add(id, reason);
        let job = Job { address: id, ticket, turn: Turn::Beside };
        match at {
            Some(moment) => self.frontier.push_at(moment, server, job),
            None => self.frontier.push(server, job),
        }
    }

    /// Takes in the response to a side request.
    pub(super) fn take_in_beside(
        &mut self,
        now: Moment,
        id: AddressId,
        reason: Reason,
        response: Response,
    ) {
        let Response { mut attempt, reading } = response;
        attempt.purpose = reason.purpose();
        let ending = attempt.ending.clone();
        self.tell_of(id, attempt);
        match reason {
            Reason::Server(server) => self.handle_witness(now, server, id, &ending),
            Reason::Line => self.handle_line_witness(now, id, &ending),
            Reason::Type(_) => self.handle_type(id, &ending),
            Reason::Places => self.handle_places(id, &ending, reading.as_ref()),
        }
    }

    fn tell_of(&mut self, id: AddressId, attempt: Attempt) {
        self.tell_asked(id, attempt, None, false);
    }

    /// Something else than a page was asked for.
    fn handle_type(&mut self, id: AddressId, ending: &Ending) {
        if let Ending::Answer(answer) = ending
            && answer.is_success()
            && answer.is_html()
        {
            self.note_wrong_type(id);
        }
    }

    /// It is a page whatever is asked for: links that want something else are told so,
    /// those that lead here by redirects as well.
    pub(super) fn note_wrong_type(&mut self, id: AddressId) {
        let mut wrong = vec![id];
        while let Some(id) = wrong.pop() {
            self.entry_mut(id).wrong_type = true;
            if self.entry(id).uses.wants_directly() {
                let cause = Cause::WrongType;
                self.events.push_back(Event::LinkFault { target: id, page: id, cause });
            }
            wrong.extend(self.followers_of(id));
        }
    }

    /// An address is a page. Where something else is wanted of it, it is asked for that.
    pub(super) fn watch_for_wrong_type(&mut self, id: AddressId) {
        let entry = self.entry(id);
        let Some(kind) = entry.uses.wanted().filter(|_| entry.html) else { return };
        let is_known = entry.wrong_type || (entry.asked_as == kind && !entry.type_asked);
        if is_known {
            self.note_wrong_type(id);
        } else if !entry.type_asked {
            self.entry_mut(id).type_asked = true;
            self.ask_beside(id, Reason::Type(kind), None);
        }
    }

    fn handle_places(&mut self, id: AddressId, ending: &Ending, reading: Option<&Reading>) {
        let is_whole = matches!(ending, Ending::Answer(answer) if !answer.truncated);
        let Some(reading) = reading.filter(|reading| is_whole && !reading.cut) else { return };
        self.places.handle_page(id, reading.places().clone());
        let mut ends_here = vec![id];
        while let Some(at) = ends_here.pop() {
            self.judge_places(at);
            ends_here.extend(self.followers_of(at));
        }
    }
}
