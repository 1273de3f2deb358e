//! Questions beside: an address with a verdict is asked once more, for another reason
//! than its own verdict.

use std::collections::{HashMap, VecDeque};

use super::{AddressId, BodyWish, Crawl, Event, Kind, Reply};
use crate::Moment;
use crate::frontier::{Job, ServerId, Turn};
use crate::outcome::{Attempt, Ending};
use crate::reading::Reading;
use crate::verdict::Cause;

/// Why an address is asked beside.
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

/// What is asked beside, and why; the first of each address is the one under way.
#[derive(Debug, Default)]
pub(super) struct Beside(HashMap<AddressId, VecDeque<Reason>>);

impl Beside {
    pub(super) fn reason(&self, id: AddressId) -> Option<Reason> {
        self.0.get(&id)?.front().copied()
    }

    fn take(&mut self, id: AddressId) -> Option<Reason> {
        let reasons = self.0.get_mut(&id)?;
        let reason = reasons.pop_front();
        if reasons.is_empty() {
            self.0.remove(&id);
        }
        reason
    }
}

impl Reason {
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
        self.beside.0.entry(id).or_default().push_back(reason);
        let job = Job { address: id, ticket: 0, turn: Turn::Beside };
        match at {
            Some(moment) => self.frontier.push_at(moment, server, job),
            None => self.frontier.push(server, job),
        }
    }

    /// Takes in the reply to a question beside. Gives it back when it is none.
    pub(super) fn take_in_beside(&mut self, now: Moment, reply: Reply) -> Option<Reply> {
        let id = reply.id;
        let Some(reason) = self.beside.take(id) else { return Some(reply) };
        let Reply { attempt, reading, .. } = reply;
        let ending = attempt.ending.clone();
        self.tell_of(id, attempt);
        match reason {
            Reason::Server(server) => self.handle_witness(now, server, id, &ending),
            Reason::Line => self.handle_line_witness(now, id, &ending),
            Reason::Type(_) => self.handle_type(id, &ending),
            Reason::Places => self.handle_places(id, &ending, reading.as_ref()),
        }
        None
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
