//! The start URL, which decides where the site is.

use url::Url;

use crate::crawl::board::Board;
use crate::crawl::messages::{Event, UrlId};
use crate::crawl::requests::Order;
use crate::crawl::urls::{Phase, Roles};
use crate::evidence::AttemptOutcome;
use crate::extract::reading::Reading;
use crate::url::scope::{Bounds, Scope};
use crate::verdict::Cause;

/// The start URLs to try, and what was observed of them.
#[derive(Debug)]
pub(super) struct Start {
    candidates: std::vec::IntoIter<Url>,
    /// The start URL that is being tried, or the next hop of its redirects.
    current: Option<UrlId>,
    /// What was observed of the start page, until the rules of robots.txt are known.
    held: Option<(UrlId, AttemptOutcome, Option<Reading>)>,
}

impl Start {
    pub(super) fn new(starts: Vec<Url>) -> Start {
        assert!(!starts.is_empty(), "a crawl needs a start");
        Start { candidates: starts.into_iter(), current: None, held: None }
    }

    pub(super) fn has_another(&self) -> bool {
        self.candidates.len() > 0
    }

    /// Whether a URL is the start URL that is being tried.
    pub(super) fn is_current(&self, board: &Board, id: UrlId) -> bool {
        board.urls.bounds().is_none() && self.current == Some(id)
    }

    /// The start URL redirects.
    pub(super) fn handle_hop(&mut self, to: UrlId) {
        self.current = Some(to);
    }

    /// Tries the next start URL. Returns false if there is none.
    pub(super) fn try_next(&mut self, board: &mut Board) -> bool {
        if let Some(failed) = self.current {
            // The next one may redirect to this one, which is then requested once more.
            board.entry_mut(failed).attempts.count = 0;
            board.urls.set_phase(failed, Phase::Unrequested(Cause::NotAsked));
        }
        let Some(mut url) = self.candidates.next() else { return false };
        url.set_fragment(None);
        board.urls.set_provisional(Bounds::around(&url, &board.settings.within));
        let id = board.intern(&url, 0, 0);
        self.current = Some(id);
        let entry = board.entry_mut(id);
        entry.roles = entry.roles.and(Roles::VISIT);
        board.enqueue(id, Order::Last);
        true
    }

    /// A start URL responded with a page: the site is where that is. What was observed waits for
    /// [`release`](Start::release).
    pub(super) fn handle_reached(
        &mut self,
        board: &mut Board,
        id: UrlId,
        outcome: AttemptOutcome,
        reading: Option<Reading>,
    ) {
        self.held = Some((id, outcome, reading));
        let bounds = Bounds::around(&board.urls.parsed(id), &board.settings.within);
        for (id, url, scope) in board.urls.handle_start(id, bounds) {
            board.report(Event::Ranked { id, scope: Some(scope) });
            if let Some(server) = board.entry(id).server {
                let own_host = scope == Scope::Internal;
                let limits = board.limits(&url, own_host);
                board.requests.set_own(server, own_host, limits);
            }
        }
        let page = &mut board.entry_mut(id).page;
        (page.always_read, page.reached) = (true, true);
    }

    /// Takes what was observed of the start page.
    pub(super) fn release(&mut self) -> Option<(UrlId, AttemptOutcome, Option<Reading>)> {
        self.held.take()
    }
}
