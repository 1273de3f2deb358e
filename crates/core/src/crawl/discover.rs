//! From the links of a page to addresses that are asked, or not, and why not.

use std::collections::VecDeque;

use url::Url;

use super::admission::Admission;
use super::entry::{Entry, State, Uses};
use super::{AddressId, Crawl, Event, Externals, Settings, Target};
use crate::address::{Reference, resolve, server_of};
use crate::memo::{BaseKeys, key};
use crate::network::is_loopback;
use crate::pace::Limits;
use crate::reading::Reading;
use crate::scope::Scope;
use crate::verdict::{Cause, Verdict};

impl Crawl {
    /// Takes the links of a page that was read.
    pub(super) fn take_links(&mut self, page: AddressId, reading: Reading) {
        let depth = self.entry(page).depth;
        let url = Url::parse(self.address(page)).expect("normal forms can be parsed");
        let base = reading.base().and_then(|written| url.join(written).ok());
        let base = base.unwrap_or(url);
        let keys = BaseKeys::new(&base);
        let mut targets = Vec::with_capacity(reading.links().len());
        let mut pages = Vec::new();
        for link in reading.links() {
            let target = self.target(&base, &keys, link.written, depth + 1);
            let uses = Uses::of(link.element, link.rel);
            if let Some(fragment) = &target.fragment
                && uses.visit
                && self.places.handle_wanted(target.id, fragment)
            {
                self.judge_places(target.id);
            }
            self.link_address(target.id);
            self.use_address(target.id, uses, depth + 1);
            if uses.visit && self.entry(target.id).scope == Scope::Internal {
                pages.push(target.id);
            }
            targets.push(target);
        }
        self.entry_mut(page).read = true;
        self.progress.pages += 1;
        self.events.push_back(Event::Read { id: page, reading, targets });
        if self.settings.depth.is_some() {
            self.leads_to.insert(page, pages.clone());
        }
        self.admit(|admission| admission.handle_read(page, pages));
    }

    /// What a reference names, by the memo where it can.
    fn target(&mut self, base: &Url, keys: &BaseKeys, written: &str, depth: u32) -> Target {
        let key = key(keys, written).filter(|_| !written.contains('#'));
        if let Some(id) = key.and_then(|key| self.memo.find(key)) {
            return Target { id, fragment: None };
        }
        let target = self.resolve(base, written, depth);
        if let Some(key) = key {
            self.memo.keep(key, target.id);
        }
        target
    }

    fn resolve(&mut self, base: &Url, written: &str, depth: u32) -> Target {
        match resolve(base, written) {
            Reference::Web { address, fragment } => {
                Target { id: self.hear(&address, depth, 0), fragment }
            }
            Reference::Other { address } => {
                let id = self.note(&address, Verdict::Skipped, Cause::OtherScheme);
                Target { id, fragment: None }
            }
            Reference::Malformed { written } => {
                let id = self.note(&written, Verdict::Broken, Cause::MalformedUrl);
                Target { id, fragment: None }
            }
        }
    }

    /// The id of an address; a new one is not asked before a link uses it.
    pub(super) fn hear(&mut self, url: &Url, depth: u32, chain: u32) -> AddressId {
        if let Some(index) = self.addresses.get_index_of(url.as_str()) {
            return AddressId::from_index(index);
        }
        let scope = self.start.scope(url);
        let own = scope == Scope::Internal;
        let limits = self.limits(url, own);
        let server = self.frontier.server(&server_of(url), own, limits);
        let id = self.add(
            url.as_str(),
            Entry {
                server: Some(server),
                scope,
                depth,
                chain,
                state: State::Unasked(Cause::ServiceLink),
                excluded: self.settings.excludes(url.as_str()),
                ..Entry::unknown()
            },
        );
        if self.start.bounds().is_some() {
            self.events.push_back(Event::Placed { id, scope: Some(scope) });
        }
        id
    }

    /// The id of something that is no web address: its verdict is plain at once.
    fn note(&mut self, text: &str, verdict: Verdict, cause: Cause) -> AddressId {
        if let Some(index) = self.addresses.get_index_of(text) {
            return AddressId::from_index(index);
        }
        let id = self.add(text, Entry { linked: true, ..Entry::unknown() });
        self.events.push_back(Event::Placed { id, scope: None });
        self.settle_unasked(id, verdict, cause);
        id
    }

    fn add(&mut self, text: &str, entry: Entry) -> AddressId {
        let (index, _) = self.addresses.insert_full(text.into());
        self.entries.push(entry);
        let id = AddressId::from_index(index);
        self.events.push_back(Event::Heard { id, address: text.to_owned() });
        id
    }

    /// A link names an address, which may have been only a hop so far.
    fn link_address(&mut self, id: AddressId) {
        let entry = self.entry_mut(id);
        if !std::mem::replace(&mut entry.linked, true)
            && let State::Settled(mut judged) = entry.state
        {
            judged.linked = true;
            entry.state = State::Settled(judged);
            self.events.push_back(Event::Judged { id, judged });
        }
    }

    /// A link uses an address: it may have to be asked now, or to be read after all.
    pub(super) fn use_address(&mut self, id: AddressId, uses: Uses, depth: u32) {
        let entry = &mut self.entries[id.index()];
        let nearer = depth < entry.depth;
        let uses = entry.uses.and(uses);
        if entry.uses == uses && !nearer {
            return;
        }
        entry.uses = uses;
        entry.depth = entry.depth.min(depth);
        match entry.state {
            State::Unasked(_) => self.want(id),
            State::Follows(next) => self.use_address(next, uses, depth),
            State::Settled(judged) => {
                if let Some(next) = judged.next {
                    self.use_address(next, uses, depth);
                } else {
                    self.read_after_all(id);
                }
            }
            State::Queued | State::InFlight | State::Later | State::Unconfirmed => {}
        }
        if nearer && self.settings.depth.is_some() {
            for child in self.leads_to.get(&id).cloned().unwrap_or_default() {
                self.use_address(child, Uses::NONE, depth + 1);
            }
        }
    }

    /// Queues an address unless something keeps it from being asked.
    pub(super) fn want(&mut self, id: AddressId) {
        match self.hindrance(id) {
            Some(cause) => self.entry_mut(id).state = State::Unasked(cause),
            None => {
                self.progress.known += 1;
                self.queue(id, false, false);
            }
        }
    }

    fn hindrance(&self, id: AddressId) -> Option<Cause> {
        let entry = self.entry(id);
        let external = entry.scope == Scope::External;
        if !entry.uses.more_than_service {
            Some(Cause::ServiceLink)
        } else if entry.excluded {
            Some(Cause::Excluded)
        } else if external && self.settings.externals == Externals::Note {
            Some(Cause::External)
        } else if self.admission.is_some() && !external && entry.uses.visit {
            // Admission lets it in, when its turn comes and there is room.
            Some(Cause::Limit)
        } else {
            None
        }
    }

    /// A page that was asked, but not read, is to be read now: it is asked once more.
    fn read_after_all(&mut self, id: AddressId) {
        let entry = self.entry(id);
        let readable = entry.html && !entry.read && entry.uses.visit;
        if readable && entry.scope == Scope::Internal && self.is_within_depth(entry.depth) {
            self.entry_mut(id).by_get = true;
            self.progress.done -= 1;
            self.queue(id, false, false);
        }
    }

    pub(super) fn is_within_depth(&self, depth: u32) -> bool {
        self.settings.depth.is_none_or(|most| depth <= most)
    }

    /// Tells the admission of something and queues the pages that it lets in.
    pub(super) fn admit(&mut self, tell: impl FnOnce(&mut Admission) -> Vec<AddressId>) {
        let Some(admission) = &mut self.admission else { return };
        let mut let_in = VecDeque::from(tell(admission));
        while let Some(id) = let_in.pop_front() {
            match self.entry(id).state {
                State::Unasked(Cause::Limit) => {
                    self.progress.known += 1;
                    self.queue(id, false, false);
                }
                // Asked before, as a picture say, or left out: no page to wait for.
                State::Unasked(_) | State::Settled(_) => {
                    if let Some(admission) = &mut self.admission {
                        let_in.extend(admission.handle_no_page(id, Vec::new()));
                    }
                }
                _ => {}
            }
        }
    }

    /// How fast the server of an address may be asked.
    pub(super) fn limits(&self, url: &Url, own: bool) -> Limits {
        let Settings { per_host, interval, .. } = self.settings;
        if own {
            Limits::own(per_host, is_loopback(url), interval)
        } else {
            Limits::other(per_host, interval)
        }
    }
}
