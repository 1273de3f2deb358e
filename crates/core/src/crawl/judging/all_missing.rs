//! Servers that respond 404 to everything, even to a request for their home page. Whether their
//! pages are missing, or the server hides them from us, cannot be told.
//!
//! A server that has sent anything else with success in this run serves us: its 404s count. For
//! others, once nothing else is left to do, the home page is requested, and then a nonexistent
//! test URL. Only if both are 404 as well, the verdicts of the server's missing URLs become
//! doubtful.

use std::collections::HashMap;

use crate::crawl::messages::{ServerId, UrlId};

pub(super) const NOT_FOUND: u16 = 404;

/// What is known about the 404s of all servers.
#[derive(Debug, Default)]
pub(super) struct AllMissing {
    servers: HashMap<ServerId, Server>,
    /// Servers that have sent nothing but 404 so far, each with its first missing URL.
    waiting: Vec<(ServerId, UrlId)>,
    /// The home pages and test URLs that were requested, by URL.
    requested: HashMap<UrlId, (ServerId, Step)>,
}

#[derive(Debug, Default)]
struct Server {
    state: State,
    /// Its missing URLs, as long as it is not known to serve anything.
    missing: Vec<UrlId>,
}

#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
enum State {
    /// Nothing but 404 so far.
    #[default]
    Unknown,
    /// Its home page and a test URL are requested, or wait to be.
    InQuestion,
    /// Its 404s count: it serves something, or responds to a test URL in another way.
    Counts,
    /// Everything is 404.
    AllMissing,
}

/// What is requested of a server in question.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Step {
    HomePage,
    TestUrl,
}

/// What follows from the verdict of such a URL.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Next {
    Nothing,
    /// A test URL is requested that is like this missing one.
    TestUrl(ServerId, UrlId),
    /// Everything of the server is missing, such as these URLs.
    AllMissing(Vec<UrlId>),
}

impl AllMissing {
    /// A server responded well. Returns the URLs whose 404s count now.
    pub(super) fn handle_well(&mut self, server: ServerId) -> Vec<UrlId> {
        let known = self.servers.entry(server).or_default();
        let before = std::mem::replace(&mut known.state, State::Counts);
        let missing = std::mem::take(&mut known.missing);
        if before == State::AllMissing { missing } else { Vec::new() }
    }

    /// A URL is missing. Returns whether everything else of its server is missing too.
    pub(super) fn handle_missing(&mut self, server: ServerId, id: UrlId) -> bool {
        let known = self.servers.entry(server).or_default();
        if known.state != State::Counts {
            known.missing.push(id);
        }
        if known.state == State::Unknown {
            known.state = State::InQuestion;
            self.waiting.push((server, id));
        }
        known.state == State::AllMissing
    }

    /// Takes the servers whose home page is to be requested, each with a missing URL.
    pub(super) fn take_waiting(&mut self) -> Vec<(ServerId, UrlId)> {
        let waiting = std::mem::take(&mut self.waiting);
        let in_question = |server| self.servers[&server].state == State::InQuestion;
        waiting.into_iter().filter(|(server, _)| in_question(*server)).collect()
    }

    /// Whether the home page of any server is to be requested.
    pub(super) fn has_waiting(&self) -> bool {
        !self.waiting.is_empty()
    }

    /// Takes one of them.
    pub(super) fn take_one(&mut self, is_it: impl Fn(UrlId) -> bool) -> Option<(ServerId, UrlId)> {
        let at = self.waiting.iter().position(|(_, missing)| is_it(*missing))?;
        Some(self.waiting.swap_remove(at))
    }

    /// A home page or test URL is requested.
    pub(super) fn handle_requested(&mut self, id: UrlId, server: ServerId, step: Step) {
        self.requested.insert(id, (server, step));
    }

    /// A URL has its status: what follows if it is a home page or test URL.
    pub(super) fn handle_judged(&mut self, id: UrlId, status: Option<u16>) -> Next {
        let Some((server, step)) = self.requested.remove(&id) else { return Next::Nothing };
        let Some(known) = self.servers.get_mut(&server) else { return Next::Nothing };
        if known.state != State::InQuestion {
            return Next::Nothing;
        }
        match (step, known.missing.first()) {
            (Step::HomePage, Some(missing)) if status == Some(NOT_FOUND) => {
                Next::TestUrl(server, *missing)
            }
            (Step::TestUrl, Some(_)) if status == Some(NOT_FOUND) => {
                known.state = State::AllMissing;
                Next::AllMissing(known.missing.clone())
            }
            _ => {
                known.state = State::Counts;
                known.missing = Vec::new();
                Next::Nothing
            }
        }
    }
}
