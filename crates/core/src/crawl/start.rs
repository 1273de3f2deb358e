//! What is special about the first address: it decides where the site is.

use url::Url;

use super::{AddressId, Crawl, Event, State, Uses};
use crate::evidence::Ending;
use crate::extract::reading::Reading;
use crate::url::scope::{Bounds, Scope};
use crate::verdict::Cause;

/// The starts to try, and what came of them.
#[derive(Debug)]
pub(super) struct Start {
    candidates: std::vec::IntoIter<Url>,
    /// The candidate that is being tried, or the next hop of its redirects.
    current: Option<AddressId>,
    /// The bounds around the candidate, as if it did not redirect: what belongs to
    /// the site until that is known.
    provisional: Option<Bounds>,
    bounds: Option<Bounds>,
    /// Where the start's redirects ended.
    reached: Option<AddressId>,
    /// What was seen there, until the rules for robots are known.
    held: Option<(AddressId, Ending, Option<Reading>)>,
    problem: Option<StartProblem>,
}

/// Why a start could not be crawled.
#[derive(Debug, Clone, PartialEq, Eq)]
#[expect(clippy::large_enum_variant, reason = "there is one of them")]
pub enum StartProblem {
    /// It gave no page: the last address tried, and how that ended.
    NoPage {
        /// The address.
        address: String,
        /// What was seen.
        ending: Ending,
    },
    /// It answered with something that holds no links.
    NotHtml {
        /// The address.
        address: String,
        /// The media type of the answer.
        media_type: Option<String>,
    },
    /// Its redirects end nowhere.
    Redirects {
        /// The address where they were given up.
        address: String,
    },
    /// robots.txt asks robots not to read it.
    RobotsForbid {
        /// The start.
        address: String,
    },
    /// robots.txt could not be had, so that nobody knows what may be read.
    RobotsUnknown {
        /// The address of robots.txt.
        address: String,
    },
}

impl Start {
    pub(super) fn new(starts: Vec<Url>) -> Start {
        assert!(!starts.is_empty(), "a crawl needs a start");
        Start {
            candidates: starts.into_iter(),
            current: None,
            provisional: None,
            bounds: None,
            reached: None,
            held: None,
            problem: None,
        }
    }

    pub(super) fn bounds(&self) -> Option<&Bounds> {
        self.bounds.as_ref()
    }

    /// On which side of the bounds an address lies, as far as is known.
    pub(super) fn scope(&self, url: &Url) -> Scope {
        let bounds = self.bounds.as_ref().or(self.provisional.as_ref());
        bounds.map_or(Scope::Internal, |bounds| bounds.scope(url))
    }

    /// Whether what lies there is to be read, as far as the bounds say.
    pub(super) fn reads(&self, address: &str) -> bool {
        let Some(bounds) = &self.bounds else { return true };
        // Without prefixes all of the site is.
        bounds.within().is_empty() || Url::parse(address).is_ok_and(|url| bounds.reads(&url))
    }

    pub(super) fn problem(&self) -> Option<&StartProblem> {
        self.problem.as_ref()
    }

    pub(super) fn has_another(&self) -> bool {
        self.candidates.len() > 0
    }

    pub(super) fn is_current(&self, id: AddressId) -> bool {
        self.bounds.is_none() && self.current == Some(id)
    }

    /// The start, once it was reached.
    pub(super) fn reached(&self) -> Option<AddressId> {
        self.reached
    }

    /// The start, while it waits for the rules for robots.
    pub(super) fn held(&self) -> Option<AddressId> {
        self.held.as_ref().map(|(id, ..)| *id)
    }

    pub(super) fn release(&mut self) -> Option<(AddressId, Ending, Option<Reading>)> {
        self.held.take()
    }

    pub(super) fn handle_hop(&mut self, to: AddressId) {
        self.current = Some(to);
    }
}

impl Crawl {
    /// Tries the next candidate. Gives false when there is none.
    pub(super) fn try_next_start(&mut self) -> bool {
        let Some(mut url) = self.start.candidates.next() else { return false };
        url.set_fragment(None);
        self.start.provisional = Some(Bounds::around(&url, &self.settings.within));
        let id = self.hear(&url, 0, 0);
        self.start.current = Some(id);
        let uses = self.entry(id).uses;
        self.entry_mut(id).uses = uses.and(Uses::VISIT);
        self.progress.known += 1;
        self.queue(id, false, false);
        true
    }

    /// The start has answered with a page: the site is where it stands.
    pub(super) fn handle_start_reached(&mut self, id: AddressId) {
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        let bounds = Bounds::around(&url, &self.settings.within);
        for index in 0..self.entries.len() {
            let id = AddressId::from_index(index);
            let Ok(url) = Url::parse(self.address(id)) else { continue };
            let scope = bounds.scope(&url);
            self.entry_mut(id).scope = scope;
            self.events.push_back(Event::Placed { id, scope: Some(scope) });
            if let Some(server) = self.entry(id).server {
                let own = scope == Scope::Internal;
                let limits = self.limits(&url, own);
                self.frontier.set_own(server, own, limits);
            }
        }
        if let Some(admission) = &mut self.admission {
            admission.handle_start(id);
        }
        let entry = self.entry_mut(id);
        (entry.always_read, entry.reached) = (true, true);
        self.start.bounds = Some(bounds);
        self.start.reached = Some(id);
    }

    /// The start is a page of the site: it is read once the rules for robots are known.
    pub(super) fn take_start(&mut self, id: AddressId, ending: &Ending, reading: Option<Reading>) {
        self.handle_start_reached(id);
        self.start.held = Some((id, ending.clone(), reading));
        let waits = self.begin_permits(id);
        if !waits && let Some((id, ending, reading)) = self.start.release() {
            self.proceed_from_start(id, &ending, reading);
        }
    }

    /// Nothing keeps the start from being read.
    pub(super) fn proceed_from_start(
        &mut self,
        id: AddressId,
        ending: &Ending,
        reading: Option<Reading>,
    ) {
        if let Some(bounds) = self.start.bounds.clone() {
            self.events.push_back(Event::Bounded { start: id, bounds });
        }
        self.conclude(id, ending, reading);
        self.take_more_starts();
    }

    /// What is to be walked beside what the start leads to.
    fn take_more_starts(&mut self) {
        let mut begun = Vec::new();
        for url in std::mem::take(&mut self.settings.also) {
            let id = self.begin_at(url, 0);
            let entry = self.entry_mut(id);
            (entry.always_read, entry.reached) = (true, true);
            begun.push(id);
        }
        if !begun.is_empty() {
            self.admit(|admission| admission.handle_list(begun));
        }
    }

    /// Once all that links lead to is read: the next page that none leads to. Gives whether
    /// there was one.
    pub(super) fn begin_listed(&mut self) -> bool {
        if self.start.bounds.is_none() || !self.is_idle() {
            return false;
        }
        while let Some(addresses) = self.settings.listed.pop() {
            let is_known = |url: &Url| match self.addresses.get_index_of(url.as_str()) {
                Some(index) => self.entries[index].uses.visit(),
                None => false,
            };
            if addresses.iter().any(is_known) {
                continue;
            }
            let Some(url) = addresses.into_iter().next() else { continue };
            let id = self.begin_at(url, u32::MAX);
            self.admit(|admission| admission.handle_list(vec![id]));
            return true;
        }
        false
    }

    fn begin_at(&mut self, mut url: Url, depth: u32) -> AddressId {
        url.set_fragment(None);
        let id = self.hear(&url, depth, 0);
        self.use_address(id, Uses::VISIT, depth);
        id
    }

    /// The start cannot be crawled: tries the next one, or gives up.
    pub(super) fn handle_start_failed(&mut self, problem: StartProblem) {
        // The next one may well redirect to it: then it is requested once more.
        if let Some(failed) = self.start.current {
            let entry = self.entry_mut(failed);
            (entry.state, entry.tries) = (State::Unasked(Cause::NotAsked), 0);
        }
        if !self.try_next_start() {
            self.fail_start(problem);
        }
    }

    /// There is nothing to crawl.
    pub(super) fn fail_start(&mut self, problem: StartProblem) {
        self.start.problem = Some(problem);
        self.finished = true;
        for entry in &mut self.entries {
            if matches!(entry.state, State::Queued | State::Later) {
                entry.ticket += 1;
            }
        }
    }

    pub(super) fn take_in_start(
        &mut self,
        id: AddressId,
        ending: &Ending,
        reading: Option<Reading>,
    ) {
        let address = self.address(id).to_owned();
        match ending {
            Ending::Answer(answer) if answer.is_redirect() => {
                match self
                    .location(id, answer)
                    .filter(|_| self.entry(id).chain < self.settings.hops)
                {
                    Some((next, own_fragment)) if !self.leads_back(id, next) => {
                        self.start.handle_hop(next);
                        self.follow(id, answer, next, own_fragment);
                    }
                    Some(_) | None if self.may_start_need_cookies(id, answer) => {
                        self.begin_chain(id)
                    }
                    _ => self.handle_start_failed(StartProblem::Redirects { address }),
                }
            }
            Ending::Answer(answer) if (200..300).contains(&answer.status) => {
                let is_list = self.settings.lists && reading.is_some();
                if answer.is_html() || is_list {
                    self.take_start(id, ending, reading);
                } else {
                    let media_type = answer.media_type.clone();
                    self.handle_start_failed(StartProblem::NotHtml { address, media_type });
                }
            }
            _ => {
                let ending = ending.clone();
                self.handle_start_failed(StartProblem::NoPage { address, ending });
            }
        }
    }
}
