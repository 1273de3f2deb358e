//! The table of all URLs. See [`UrlTable`].

use std::collections::HashMap;

use url::Url;

use super::entry::{Entry, Phase};
use super::progress::{self, Share};
use super::texts::Texts;
use crate::crawl::messages::{Judged, RequestId, UrlId};
use crate::crawl::progress::Progress;
use crate::long_list::LongList;
use crate::url::scope::{Bounds, Scope};

/// Every URL that a crawl has discovered.
///
/// # Guarantees
///
/// - **One door.** Only [`set_phase`](UrlTable::set_phase) changes a phase; it hands out the
///   tickets of jobs and counts the progress.
/// - **One job.** Of all jobs and requests for a URL, only the last one [is
///   valid](UrlTable::holds).
#[derive(Debug, Default)]
pub(in crate::crawl) struct UrlTable {
    /// The number of a URL is its id.
    texts: Texts,
    entries: LongList<Entry>,
    /// URLs whose verdict follows from that of another, by that other.
    followers: HashMap<UrlId, Vec<UrlId>>,
    /// The bounds of the site and its start, once that has responded.
    bounds: Option<Bounds>,
    start: Option<UrlId>,
    /// The bounds around the start URL that is being tried.
    provisional: Option<Bounds>,
    progress: Progress,
    tickets: u32,
}

impl UrlTable {
    pub(in crate::crawl) fn len(&self) -> usize {
        self.entries.len()
    }

    pub(in crate::crawl) fn ids(&self) -> impl Iterator<Item = UrlId> + use<> {
        (0..self.entries.len()).map(UrlId::from_index)
    }

    /// The id of a URL, if it has been discovered.
    pub(in crate::crawl) fn find(&self, url: &str) -> Option<UrlId> {
        self.texts.find(url).map(UrlId::from_index)
    }

    /// Adds a new URL.
    pub(in crate::crawl) fn add(&mut self, url: &str, entry: Entry) -> UrlId {
        let index = self.texts.add(url);
        debug_assert_eq!(index, self.entries.len(), "the URL is new");
        self.entries.push(entry);
        UrlId::from_index(index)
    }

    /// The text of a URL.
    pub(in crate::crawl) fn text(&self, id: UrlId) -> &str {
        self.texts.get(id.index())
    }

    /// The texts of all URLs from this index on.
    pub(in crate::crawl) fn texts_from(&self, first: usize) -> impl Iterator<Item = &str> {
        self.texts.from(first)
    }

    /// A web URL, parsed.
    pub(in crate::crawl) fn parsed(&self, id: UrlId) -> Url {
        Url::parse(self.text(id)).expect("normal forms can be parsed")
    }

    /// The home page of a URL's server.
    pub(in crate::crawl) fn home_of(&self, id: UrlId) -> Option<Url> {
        Url::parse(self.text(id)).ok()?.join("/").ok()
    }

    pub(in crate::crawl) fn entry(&self, id: UrlId) -> &Entry {
        &self.entries[id.index()]
    }

    pub(in crate::crawl) fn entry_mut(&mut self, id: UrlId) -> &mut Entry {
        &mut self.entries[id.index()]
    }

    /// Sets the phase of a URL.
    pub(in crate::crawl) fn set_phase(&mut self, id: UrlId, phase: Phase) {
        let entry = &mut self.entries[id.index()];
        let before = Share::of(entry);
        entry.phase = match phase {
            Phase::Settled(judged) => Phase::Settled(Judged { linked: entry.linked, ..judged }),
            phase => phase,
        };
        progress::count(&mut self.progress, before, Share::of(entry));
    }

    /// A ticket for the next job.
    pub(in crate::crawl) fn take_ticket(&mut self) -> u32 {
        self.tickets = self.tickets.wrapping_add(1);
        self.tickets
    }

    /// Whether a URL waits for the job with this ticket.
    pub(in crate::crawl) fn holds(&self, id: UrlId, ticket: u32) -> bool {
        matches!(self.entry(id).phase, Phase::Queued(own_host) | Phase::Retry(own_host) if own_host == ticket)
    }

    /// Whether a URL waits for this request.
    pub(in crate::crawl) fn awaits(&self, id: UrlId, request: RequestId) -> bool {
        self.entry(id).phase == Phase::InFlight(Some(request))
    }

    /// A link names a URL, which may have been only a redirect hop so far. Returns its verdict,
    /// if it has one and this changes it.
    pub(in crate::crawl) fn handle_linked(&mut self, id: UrlId) -> Option<Judged> {
        let entry = &mut self.entries[id.index()];
        if entry.linked {
            return None;
        }
        let before = Share::of(entry);
        entry.linked = true;
        let judged = entry.judged().map(|judged| Judged { linked: true, ..judged });
        if let Some(judged) = judged {
            entry.phase = Phase::Settled(judged);
        }
        progress::count(&mut self.progress, before, Share::of(entry));
        judged
    }

    /// The verdict of `id` follows from that of `next`.
    pub(in crate::crawl) fn set_follows(&mut self, id: UrlId, next: UrlId) {
        self.set_phase(id, Phase::Follows(next));
        self.followers.entry(next).or_default().push(id);
    }

    /// The URLs that redirect to this one, as far as is known.
    pub(in crate::crawl) fn followers_of(&self, id: UrlId) -> Vec<UrlId> {
        let known = self.followers.get(&id).map(Vec::as_slice).unwrap_or_default();
        let follows = |follower: &UrlId| self.entry(*follower).next_hop() == Some(id);
        known.iter().copied().filter(follows).collect()
    }

    /// Whether the redirects from `next` lead back to `id`.
    pub(in crate::crawl) fn leads_back(&self, id: UrlId, next: UrlId) -> bool {
        let mut at = next;
        while at != id {
            match self.entry(at).phase {
                Phase::Follows(on) => at = on,
                _ => return false,
            }
        }
        true
    }

    /// The end of the redirects of a URL, as far as is known.
    pub(in crate::crawl) fn end_of(&self, id: UrlId) -> UrlId {
        let mut at = id;
        while let Phase::Follows(next) = self.entry(at).phase {
            at = next;
        }
        at
    }

    /// An internal page was parsed.
    pub(in crate::crawl) fn handle_page_read(&mut self, id: UrlId) {
        self.entries[id.index()].page.read = true;
        self.progress.pages += 1;
    }

    /// A link is broken, though its URL is not.
    pub(in crate::crawl) fn count_broken_link(&mut self) {
        self.progress.broken += 1;
    }

    pub(in crate::crawl) fn progress(&self) -> Progress {
        self.progress
    }

    pub(in crate::crawl) fn bounds(&self) -> Option<&Bounds> {
        self.bounds.as_ref()
    }

    /// The start, once it has responded: the last hop of its redirects.
    pub(in crate::crawl) fn start(&self) -> Option<UrlId> {
        self.start
    }

    /// The scope of a URL, as far as is known.
    pub(in crate::crawl) fn scope_of(&self, url: &Url) -> Scope {
        let bounds = self.bounds.as_ref().or(self.provisional.as_ref());
        bounds.map_or(Scope::Internal, |bounds| bounds.scope(url))
    }

    /// Whether a URL is within the bounds to parse.
    pub(in crate::crawl) fn reads(&self, id: UrlId) -> bool {
        let Some(bounds) = &self.bounds else { return true };
        // Without prefixes, all of the site is.
        bounds.within().is_empty() || Url::parse(self.text(id)).is_ok_and(|url| bounds.reads(&url))
    }

    /// While a start URL is tried, what would belong to its site is internal.
    pub(in crate::crawl) fn set_provisional(&mut self, bounds: Bounds) {
        self.provisional = Some(bounds);
    }

    /// The start URL responded. Returns all web URLs with their scope, which is now final.
    pub(in crate::crawl) fn handle_start(
        &mut self,
        start: UrlId,
        bounds: Bounds,
    ) -> Vec<(UrlId, Url, Scope)> {
        let mut placed = Vec::new();
        for (text, id) in self.texts.from(0).zip(self.ids()) {
            let Ok(url) = Url::parse(text) else { continue };
            let scope = bounds.scope(&url);
            self.entries[id.index()].scope = scope;
            placed.push((id, url, scope));
        }
        self.bounds = Some(bounds);
        self.start = Some(start);
        placed
    }
}
