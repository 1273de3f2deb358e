//! From replies to attempts: which count, which are made again and when, which end is
//! told of an address that failed each time.

use std::time::Duration;

use super::entry::State;
use super::refusals::Sign;
use super::watching::{asks_for_too_long, hangs};
use super::{AddressId, Crawl, Response, Told};
use crate::Moment;
use crate::crawl::frontier::{Job, ServerId, Turn};
use crate::evidence::{Attempt, DnsFailure, Ending, Failure, Method};
use crate::extract::reading::Reading;
use crate::url::scope::Scope;
use crate::verdict::Cause;

/// So many missing addresses of one server are confirmed; the rest stands by the sample.
const CONFIRMED_PER_SERVER: u32 = 50;

/// What failed under strain is asked again so soon: the pace is slower by then.
const BREATH: Duration = Duration::from_millis(500);

/// When an address is asked again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Next {
    /// Not.
    None,
    /// Not, since its server is silent to all.
    GiveUp,
    /// Then.
    At(Moment),
    /// Then, since its server asks for it: no failure of ours.
    WhenAsked(Moment),
}

impl Crawl {
    /// Takes a reply in, whether it came just now or in an earlier part of the run.
    pub(super) fn take_in(&mut self, now: Moment, id: AddressId, response: Response) {
        let Some(response) = self.take_in_chain(now, id, response) else { return };
        let Response { mut attempt, reading } = response;
        let Some(server) = self.entry(id).server else { return };
        let ending = attempt.ending.clone();
        let by_get = attempt.method == Method::Get;
        if !by_get && !self.is_believed(server, id, &ending) {
            self.entry_mut(id).by_get = true;
            self.tell_asked(id, attempt, None, true);
            return self.queue(id, false, true);
        }
        if by_get && !ending.may_pass() {
            self.compare_with_head(server, id, &ending);
        }
        if self.told != Told::Alone {
            self.watch_line(now, server, id, &ending);
            if !self.entry(id).uses.only_form() {
                self.watch(now, server, id, &attempt);
            }
        }
        attempt.strained |=
            self.told == Told::Now && self.is_due_to_strain(now, server, id, &ending);
        let next = self.next_attempt(now, server, id, &attempt);
        attempt.strained |= matches!(next, Next::WhenAsked(_));
        let entry = self.entry_mut(id);
        entry.by_get |= by_get;
        entry.confirmed |= std::mem::take(&mut entry.confirming);
        entry.asked_at = now.before(attempt.took);
        entry.hung = hangs(&ending);
        if attempt.strained {
            entry.strained += 1;
        } else {
            entry.tries += u32::from(by_get);
        }
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        let again = !matches!(next, Next::None);
        self.tell_asked(id, attempt, title, again);
        match next {
            Next::GiveUp => self.withhold(id, Cause::Timeout),
            Next::At(due) | Next::WhenAsked(due) => {
                self.failures.entry(id).or_default().push(ending.clone());
                let hangs = self.entry(id).hung && !self.frontier.pace(server).has_answered();
                self.frontier.set_on_trial(server, hangs);
                self.ask_later(due, id);
            }
            Next::None if self.is_gone(id) && Sign::of(&ending).is_bad() => {
                self.withhold_of_gone(id);
            }
            Next::None if self.start.is_current(id) => self.take_in_start(id, &ending, reading),
            Next::None => {
                self.handle_hung(server, &ending);
                let ending = self.most_frequent(id, ending);
                self.conclude(id, &ending, reading);
            }
        }
    }

    /// What is told of an address that failed each time: what was seen most often, and of
    /// equals the first. One strange moment is not the whole story.
    fn most_frequent(&mut self, id: AddressId, last: Ending) -> Ending {
        let Some(mut all) = self.failures.remove(&id).filter(|_| last.may_pass()) else {
            return last;
        };
        all.push(last);
        let count = |ending: &Ending| all.iter().filter(|other| *other == ending).count();
        let most = all.iter().rev().max_by_key(|ending| count(ending));
        most.expect("there is one at least").clone()
    }

    /// When an address is asked again after this attempt.
    fn next_attempt(
        &mut self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        attempt: &Attempt,
    ) -> Next {
        let ending = &attempt.ending;
        // While there is another start to try, no time is spent on this one.
        let hurried = self.start.is_current(id) && self.start.has_another();
        if hurried || asks_for_too_long(ending) || attempt.method == Method::Head {
            return Next::None;
        }
        if self.is_gone(id) {
            return Next::None;
        }
        if let Some(moment) = self.asked_to_wait(now, server, ending) {
            return Next::WhenAsked(moment);
        }
        if attempt.strained {
            return Next::At(now + BREATH.min(self.settings.retry.timeout / 4));
        }
        if self.is_hopeless(server, id, ending) {
            return Next::GiveUp;
        }
        match self.settings.retry.gap(self.entry(id).tries + 1, ending) {
            Some(gap) => Next::At(now + gap),
            None => Next::None,
        }
    }

    pub(super) fn ask_later(&mut self, due: Moment, id: AddressId) {
        let entry = self.entry_mut(id);
        entry.ticket += 1;
        entry.state = State::Later;
        let job = Job { address: id, ticket: entry.ticket, turn: Turn::Later };
        if let Some(server) = entry.server {
            self.frontier.push_at(due, server, job);
        }
        self.admit(|admission| admission.handle_delayed(id));
    }

    /// Whether an address about to be called missing, or refused by the site's own server,
    /// is to be asked once more, near the end.
    pub(super) fn wants_confirmation(&mut self, id: AddressId, ending: &Ending) -> bool {
        let own = self.entry(id).scope == Scope::Internal && !self.entry(id).uses.only_form();
        let missing = match ending {
            Ending::Answer(answer) => {
                matches!(answer.status, 404 | 410) || (own && matches!(answer.status, 403 | 405))
            }
            Ending::Failure(failure) => *failure == Failure::Dns(DnsFailure::NoSuchName),
        };
        let entry = self.entry(id);
        let (Some(server), false) = (entry.server, entry.confirmed) else { return false };
        // Nobody is told that robots.txt or the usual sitemap is missing.
        let uses = entry.uses;
        let matters = entry.linked || !(uses.robots() || uses.only_sitemap() || uses.made_up());
        if !matters || !missing || self.settings.retry.attempts < 2 {
            return false;
        }
        let count = self.confirmations.entry(server).or_default();
        *count += 1;
        *count <= CONFIRMED_PER_SERVER
    }
}
