//! What looks like more and leads nowhere: addresses without end, and pages that
//! scripts draw.

use super::entry::{Entry, State};
use super::{AddressId, Crawl, Note};
use crate::extract::reading::{Link, Reading, Sketch};
use crate::url::scope::Scope;
use crate::verdict::Cause;

impl Crawl {
    /// A page that leads nowhere and has scripts may be drawn by them: the start is,
    /// and so are pages that are all the same.
    pub(super) fn watch_for_shells(&mut self, page: AddressId, reading: &Reading) {
        let leads_on = |link: Link<'_>| {
            matches!(link.element.name(), "a" | "area" | "iframe" | "frame")
                || link.rel == Some("refresh")
        };
        if !reading.scripted || reading.links().any(leads_on) {
            return;
        }
        if self.start.reached() == Some(page) {
            self.has_shells = true;
            self.note(page, Note::DrawnByScript);
        }
        let hash = reading.hash();
        match self.shells.get(&hash) {
            None => {
                self.shells.insert(hash, page);
            }
            Some(&first) if first != page => {
                self.has_shells = true;
                self.note(first, Note::DrawnByScript);
                self.note(page, Note::DrawnByScript);
            }
            Some(_) => {}
        }
    }

    /// Pages that were read, and that no link leads to: only a sitemap or a list names them.
    /// Where not all links were seen, nobody knows.
    pub(super) fn tell_unreached(&mut self) {
        let limited = self.settings.depth.is_some() || self.settings.max_pages.is_some();
        let all_seen = !limited && self.halt.is_none() && !self.has_shells;
        if !all_seen || self.start.reached().is_none() {
            return;
        }
        for index in 0..self.entries.len() {
            let entry = &self.entries[index];
            if let State::Settled(judged) = entry.state
                && entry.reached
            {
                self.entry_mut(judged.last).reached = true;
            }
        }
        for index in 0..self.entries.len() {
            let entry = &self.entries[index];
            if entry.read && !entry.reached && entry.scope == Scope::Internal {
                self.note(AddressId::from_index(index), Note::Unreached);
            }
        }
    }

    pub(super) fn watch_for_traps(
        &mut self,
        page: AddressId,
        sketch: Option<Sketch>,
        first_new: usize,
    ) {
        let Crawl { traps, addresses, .. } = self;
        let new = addresses[first_new..].iter().map(|address| &**address);
        let Some(stop) = traps.handle_read(&addresses[page.index()], sketch, new) else { return };
        self.note(page, Note::Trap(stop));
        // What waits of the family is not asked any more.
        for index in 0..self.entries.len() {
            let id = AddressId::from_index(index);
            let Entry { state, scope, .. } = *self.entry(id);
            let waits = matches!(state, State::Queued | State::Held) && scope == Scope::Internal;
            if waits && self.is_trapped(id) {
                let entry = self.entry_mut(id);
                entry.ticket += 1;
                entry.state = State::Unasked(Cause::Trap);
                self.progress.known -= 1;
                self.admit(|admission| admission.handle_no_page(id, Vec::new()));
            }
        }
    }

    /// Whether an address belongs to what never ends. What a rule takes back does not.
    pub(super) fn is_trapped(&self, id: AddressId) -> bool {
        let Entry { scope, uses, .. } = *self.entry(id);
        let address = self.address(id);
        scope == Scope::Internal
            && uses.visit()
            && self.traps.holds(address)
            && !self.settings.includes(address)
    }

    /// Tells of an address that is left out, if it is the first of its kind.
    pub(super) fn tell_of_trap(&mut self, id: AddressId) {
        let Crawl { traps, addresses, .. } = self;
        if let Some(stop) = traps.handle_held(&addresses[id.index()]) {
            self.note(id, Note::Trap(stop));
        }
    }
}
