//! What all machines of a crawl share: settings, URLs, requests, and the queues of events and
//! effects.

use std::collections::VecDeque;

use url::Url;

use super::effect::Effect;
use super::messages::{Event, Note, UrlId};
use super::requests::Order;
use super::requests::Requests;
use super::requests::pace::Limits;
use super::requests::side_requests::Reason;
use super::settings::Settings;
use super::urls::{Entry, Phase, Roles, UrlTable};
use crate::Moment;
use crate::evidence::Attempt;
use crate::url::network::is_loopback;
use crate::url::reference::server_of;
use crate::url::scope::Scope;
use crate::verdict::Cause;

/// Where a reply comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum ReplySource {
    /// From a server, just now.
    Now,
    /// From an earlier part of the run, or from the run that is rechecked; these come in their
    /// order.
    Replay,
    /// From an earlier run: it is independent of others, and says nothing about servers now.
    Recall,
}

/// What the machines share. See the [module](self).
#[derive(Debug)]
pub(super) struct Board {
    pub(super) settings: Settings,
    pub(super) urls: UrlTable,
    pub(super) requests: Requests,
    pub(super) source: ReplySource,
    events: VecDeque<Event>,
    effects: VecDeque<Effect>,
}

impl Board {
    pub(super) fn new(settings: Settings, requests: Requests) -> Board {
        Board {
            settings,
            urls: UrlTable::default(),
            requests,
            source: ReplySource::Now,
            events: VecDeque::new(),
            effects: VecDeque::new(),
        }
    }

    pub(super) fn entry(&self, id: UrlId) -> &Entry {
        self.urls.entry(id)
    }

    pub(super) fn entry_mut(&mut self, id: UrlId) -> &mut Entry {
        self.urls.entry_mut(id)
    }

    /// Reports an event to the caller of the crawl.
    pub(super) fn report(&mut self, event: Event) {
        self.events.push_back(event);
    }

    pub(super) fn last_event(&self) -> Option<&Event> {
        self.events.back()
    }

    pub(super) fn poll_event(&mut self) -> Option<Event> {
        self.events.pop_front()
    }

    /// Reports a note for the user.
    pub(super) fn note(&mut self, id: UrlId, note: Note) {
        self.report(Event::Noted { id, note });
    }

    /// Reports one request for a URL.
    pub(super) fn report_attempt(
        &mut self,
        id: UrlId,
        attempt: Attempt,
        title: Option<String>,
        again: bool,
    ) {
        let recalled = self.source != ReplySource::Now;
        self.report(Event::Requested { id, attempt: Box::new(attempt), title, again, recalled });
    }

    /// Sends an effect to a machine above.
    pub(super) fn say(&mut self, effect: Effect) {
        self.effects.push_back(effect);
    }

    pub(super) fn take_effect(&mut self) -> Option<Effect> {
        self.effects.pop_front()
    }

    /// The id of a web URL; a new one is not requested before it has a role.
    pub(super) fn intern(&mut self, url: &Url, depth: u32, chain: u32) -> UrlId {
        if let Some(id) = self.urls.find(url.as_str()) {
            return id;
        }
        let scope = self.urls.scope_of(url);
        let own_host = scope == Scope::Internal;
        let limits = self.limits(url, own_host);
        let server = self.requests.server(&server_of(url), own_host, limits);
        let excluded = self.settings.excludes(url.as_str());
        let mut entry = Entry::unknown();
        (entry.server, entry.scope) = (Some(server), scope);
        (entry.depth, entry.chain, entry.excluded) = (depth, chain, excluded);
        let id = self.urls.add(url.as_str(), entry);
        self.report(Event::Discovered { id, url: url.as_str().to_owned() });
        if self.urls.bounds().is_some() {
            self.report(Event::Ranked { id, scope: Some(scope) });
        }
        id
    }

    /// The id of anything else that a link names, and whether it is new.
    pub(super) fn intern_other(&mut self, text: &str) -> (UrlId, bool) {
        if let Some(id) = self.urls.find(text) {
            return (id, false);
        }
        let id = self.urls.add(text, Entry::unknown());
        self.urls.handle_linked(id);
        self.report(Event::Discovered { id, url: text.to_owned() });
        self.report(Event::Ranked { id, scope: None });
        (id, true)
    }

    /// Has discovery give a role to a URL that no link names.
    pub(super) fn use_unlinked(&mut self, url: &Url, roles: Roles) -> UrlId {
        let id = self.intern(url, u32::MAX, 0);
        self.say(Effect::Use { id, roles, first: false });
        id
    }

    /// How fast the server of a URL may be requested.
    pub(super) fn limits(&self, url: &Url, own_host: bool) -> Limits {
        let Settings { per_host, interval, gentle, .. } = self.settings;
        if gentle {
            Limits::gentle(interval)
        } else if own_host {
            Limits::own_host(per_host, is_loopback(url), interval)
        } else {
            Limits::other(per_host, interval)
        }
    }

    pub(super) fn enqueue(&mut self, id: UrlId, order: Order) {
        self.requests.enqueue(&mut self.urls, id, order);
    }

    pub(super) fn hasten(&mut self, id: UrlId) {
        self.requests.hasten(&mut self.urls, id);
    }

    pub(super) fn retry_at(&mut self, id: UrlId, due: Moment) {
        self.requests.retry_at(&mut self.urls, id, due);
    }

    pub(super) fn enqueue_side(&mut self, id: UrlId, reason: Reason, at: Option<Moment>) {
        self.requests.enqueue_side(&self.urls, id, reason, at);
    }

    /// A URL is not requested, for this cause.
    pub(super) fn set_unrequested(&mut self, id: UrlId, cause: Cause) {
        self.urls.set_phase(id, Phase::Unrequested(cause));
    }

    /// Whether as many URLs are known as the settings allow. Lists are as long as the user wants.
    pub(super) fn is_full(&self) -> bool {
        self.urls.len() >= self.settings.max_urls && !self.settings.lists
    }

    /// Nothing is in flight, and nothing waits.
    pub(super) fn is_idle(&self) -> bool {
        self.requests.is_idle(&self.urls)
    }
}
