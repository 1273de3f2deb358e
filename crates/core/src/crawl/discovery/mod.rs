//! From links to requests: which URLs are requested, and why the others are not.
//!
//! [`Discovery`] takes the links of a parsed page, gives their targets ids and roles, and queues
//! them unless something speaks against it.

mod admission;
mod anchor_sets;
mod copies;
pub(super) mod fragments;
mod link_faults;
mod links;
mod parts;
mod place;
mod sitemaps;
mod spa_shells;
mod start;
pub mod traps;
mod wrong_type;

use std::collections::{HashMap, VecDeque};

use admission::Admission;
use copies::Copies;
use fragments::FragmentIndex;
use parts::Parts;
use sitemaps::Sitemaps;
use spa_shells::SpaShells;
use start::Start;
use traps::Traps;
use url::Url;

use super::board::Board;
use super::effect::Effect;
use super::messages::{BodyUse, Judged, NotParsed, Note, StartProblem, UrlId};
use super::settings::{Externals, SitemapRule, acts};
use super::shared::SharedState;
use super::urls::{Entry, LastResponse, Phase, Roles};
use crate::evidence::AttemptOutcome;
use crate::extract::reading::Reading;
use crate::url::memo::Memo;
use crate::url::scope::Scope;
use crate::verdict::Cause;

/// From links to requests. See the [module](self).
#[derive(Debug)]
pub(super) struct Discovery {
    start: Start,
    /// Set when only so many pages may be read.
    admission: Option<Admission>,
    traps: Traps,
    copies: Copies,
    sitemaps: Sitemaps,
    shells: SpaShells,
    pub(super) fragments: FragmentIndex,
    /// What references were found to mean.
    memo: Memo,
    parts: Parts,
    /// Pages that each read page leads to; kept only where a limit of depth needs it.
    leads_to: HashMap<UrlId, Vec<UrlId>>,
    /// Further start URLs, until the first one is parsed.
    more_starts: Vec<Url>,
    /// Pages that are known to exist, each with all its URLs; the last one first.
    listed: Vec<Vec<Url>>,
}

impl Discovery {
    /// Starts with the first of these start URLs.
    pub(super) fn new(board: &mut Board, starts: Vec<Url>) -> Discovery {
        let mut listed = std::mem::take(&mut board.settings.listed);
        listed.reverse();
        let mut discovery = Discovery {
            start: Start::new(starts),
            admission: board.settings.max_pages.map(Admission::new),
            traps: Traps::default(),
            copies: Copies::default(),
            sitemaps: Sitemaps::default(),
            shells: SpaShells::default(),
            fragments: FragmentIndex::default(),
            memo: Memo::new(),
            parts: Parts::default(),
            leads_to: HashMap::new(),
            more_starts: std::mem::take(&mut board.settings.also),
            listed,
        };
        discovery.start.try_next(board);
        discovery
    }

    /// Whether a URL is the start URL that is being tried.
    pub(super) fn is_current_start(&self, board: &Board, id: UrlId) -> bool {
        self.start.is_current(board, id)
    }

    /// Whether there is another start URL to try.
    pub(super) fn has_another_start(&self) -> bool {
        self.start.has_another()
    }

    /// The start URL that is being tried redirects.
    pub(super) fn handle_start_hop(&mut self, to: UrlId) {
        self.start.handle_hop(to);
    }

    /// The start page cannot be crawled: tries the next start URL, or gives up.
    pub(super) fn handle_start_failed(&mut self, board: &mut Board, problem: StartProblem) {
        if !self.start.try_next(board) {
            board.say(Effect::FailStart(problem));
        }
    }

    /// The start page belongs to the site: it is parsed once the rules of robots.txt are known.
    pub(super) fn handle_start_reached(
        &mut self,
        shared: &mut SharedState,
        id: UrlId,
        outcome: &AttemptOutcome,
        reading: Option<Reading>,
    ) {
        self.start.handle_reached(&mut shared.board, id, outcome.clone(), reading);
        if let Some(admission) = &mut self.admission {
            admission.handle_start(id);
        }
        if !outcome.is_local() {
            shared.health.handle_start(id);
        }
        if !shared.robots.handle_start(&mut shared.board, id) {
            self.release_start(&mut shared.board);
        }
    }

    /// Nothing keeps the start page from being parsed.
    pub(super) fn release_start(&mut self, board: &mut Board) {
        if let Some((id, outcome, reading)) = self.start.release() {
            let reading = reading.map(Box::new);
            board.say(Effect::ConcludeStart { id, outcome, reading });
            board.say(Effect::BeginMoreStarts);
        }
    }

    /// Starts what is to be crawled apart from the first start URL.
    pub(super) fn begin_more_starts(&mut self, shared: &mut SharedState) {
        let mut begun = Vec::new();
        for url in std::mem::take(&mut self.more_starts) {
            let id = self.begin_at(shared, url, 0);
            let page = &mut shared.board.entry_mut(id).page;
            (page.always_read, page.reached) = (true, true);
            begun.push(id);
        }
        if !begun.is_empty() {
            self.admit(shared, |admission| admission.handle_list(begun));
        }
    }

    /// Once everything that links lead to is parsed: queues the next page that no link leads to.
    /// Returns whether there was one.
    pub(super) fn begin_listed(&mut self, shared: &mut SharedState) -> bool {
        if shared.board.urls.bounds().is_none() || !shared.board.is_idle() {
            return false;
        }
        while let Some(urls) = self.listed.pop() {
            let board = &shared.board;
            let is_known = |url: &Url| {
                board.urls.find(url.as_str()).is_some_and(|id| board.entry(id).roles.visit())
            };
            if urls.iter().any(is_known) {
                continue;
            }
            let Some(url) = urls.into_iter().next() else { continue };
            let id = self.begin_at(shared, url, u32::MAX);
            self.admit(shared, |admission| admission.handle_list(vec![id]));
            return true;
        }
        false
    }

    fn begin_at(&mut self, shared: &mut SharedState, mut url: Url, depth: u32) -> UrlId {
        url.set_fragment(None);
        let id = shared.board.intern(&url, depth, 0);
        self.use_url(shared, id, Roles::VISIT, depth);
        id
    }

    /// A link gives a URL a role: it may have to be requested now, or to be parsed after all.
    pub(super) fn use_url(
        &mut self,
        shared: &mut SharedState,
        id: UrlId,
        roles: Roles,
        depth: u32,
    ) {
        let entry = shared.board.entry_mut(id);
        let nearer = depth < entry.depth;
        let roles = entry.roles.and(roles);
        if entry.roles == roles && !nearer {
            return;
        }
        entry.roles = roles;
        entry.depth = entry.depth.min(depth);
        match entry.phase() {
            Phase::Unrequested(_) => self.enqueue_if_allowed(shared, id),
            Phase::Follows(next) => self.use_url(shared, next, roles.by_redirect(), depth),
            Phase::Settled(Judged { next: Some(next), .. }) => {
                self.use_url(shared, next, roles.by_redirect(), depth);
            }
            Phase::Settled(_) => {
                shared.board.say(Effect::Rejudge { id });
                if self.lacks_reading(shared, id) {
                    shared.enqueue_to_read(id);
                }
                wrong_type::watch(&mut shared.board, id);
            }
            // It was only to be checked; now it is to be parsed.
            Phase::Queued(_) => {
                shared.robots.hold(&mut shared.board, id);
            }
            Phase::Held
            | Phase::InFlight(_)
            | Phase::Retry(_)
            | Phase::Unconfirmed
            | Phase::Refused => {}
        }
        if nearer && shared.board.settings.depth.is_some() {
            for child in self.leads_to.get(&id).cloned().unwrap_or_default() {
                self.use_url(shared, child, Roles::NONE, depth + 1);
            }
        }
    }

    /// Queues a URL unless something keeps it from being requested.
    fn enqueue_if_allowed(&mut self, shared: &mut SharedState, id: UrlId) {
        match self.skip_reason(&shared.board, id) {
            Some(cause) => {
                shared.board.set_unrequested(id, cause);
                if cause == Cause::Trap {
                    self.report_trap(&mut shared.board, id);
                }
            }
            None => self.begin(shared, id),
        }
    }

    /// Queues a URL, or holds it until the rules of robots.txt are known.
    fn begin(&mut self, shared: &mut SharedState, id: UrlId) {
        if shared.health.is_gone(&shared.board, id) {
            return shared.health.defer_urls_of_gone(&mut shared.board, id);
        }
        let Entry { roles, scope, .. } = *shared.board.entry(id);
        if roles.visit() && scope == Scope::Internal {
            self.traps.handle_discovered(shared.board.urls.text(id));
        }
        shared.enqueue(id);
    }

    fn skip_reason(&self, board: &Board, id: UrlId) -> Option<Cause> {
        let Entry { roles, scope, excluded, .. } = *board.entry(id);
        let settings = &board.settings;
        let external = scope == Scope::External;
        let no_sitemaps = settings.sitemap == SitemapRule::None;
        if roles.robots() {
            // Nothing can be parsed before it, wherever it has moved to.
            None
        } else if !roles.any() {
            Some(if roles.left_out() { Cause::Excluded } else { Cause::ServiceLink })
        } else if excluded || (no_sitemaps && roles.only_sitemap()) {
            Some(Cause::Excluded)
        } else if external && settings.externals == Externals::Note {
            Some(Cause::External)
        } else if settings.has_credentials && acts(board.urls.text(id)) {
            Some(Cause::Acts)
        } else if self.is_trapped(board, id) {
            Some(Cause::Trap)
        } else if !external && roles.visit() && board.is_full() {
            Some(Cause::UrlLimit)
        } else if self.admission.is_some() && !external && roles.visit() {
            // Admission queues it when its turn comes and there is room.
            Some(Cause::Limit)
        } else {
            None
        }
    }

    /// What the body of a URL's response is used for.
    pub(super) fn body_use(&self, shared: &SharedState, id: UrlId) -> BodyUse {
        let SharedState { board, robots, .. } = shared;
        let Entry { roles, scope, anchors_requested, .. } = *board.entry(id);
        // A URL that robots.txt redirects to may also be a page.
        if robots.is_robots(id) || (roles.robots() && !roles.visit()) {
            return BodyUse::Robots;
        }
        match scope {
            Scope::Internal if !robots.allows(board, id) => BodyUse::Drop,
            _ if roles.sitemap() => BodyUse::Sitemap,
            Scope::Internal if roles.visit() => BodyUse::Page,
            Scope::Internal if roles.stylesheet() => BodyUse::Stylesheet,
            Scope::Internal if roles.manifest() => BodyUse::Manifest,
            _ if roles.is_test_url() => BodyUse::Title,
            Scope::External if roles.visit() && anchors_requested => BodyUse::Anchors,
            // The site will be where the start's redirects end.
            Scope::External if roles.visit() && board.urls.bounds().is_none() => BodyUse::Page,
            Scope::External if roles.visit() => BodyUse::Title,
            Scope::External | Scope::Internal => BodyUse::Drop,
        }
    }

    /// Whether the text of a page matters, because it may belong to an endless URL pattern.
    pub(super) fn needs_sketch(&self, board: &Board, id: UrlId) -> bool {
        self.traps.needs_sketch(board.urls.text(id))
    }

    /// Whether more of a URL that responded well is to be parsed than its request was for,
    /// because links with other uses have turned up since.
    pub(super) fn lacks_reading(&self, shared: &SharedState, id: UrlId) -> bool {
        let entry = shared.board.entry(id);
        let LastResponse { success, html, css, body: wanted, .. } = entry.last;
        match self.body_use(shared, id) {
            BodyUse::Drop | BodyUse::Robots => false,
            BodyUse::Title => html && wanted == BodyUse::Drop,
            BodyUse::Anchors => html && !matches!(wanted, BodyUse::Anchors | BodyUse::Page),
            BodyUse::Sitemap => success && wanted != BodyUse::Sitemap,
            BodyUse::Manifest => success && wanted != BodyUse::Manifest,
            BodyUse::Stylesheet => css && !matches!(wanted, BodyUse::Stylesheet | BodyUse::Page),
            BodyUse::Page => {
                let unread =
                    if css { wanted != BodyUse::Stylesheet } else { html && !entry.page.read };
                unread && wanted != BodyUse::Page && self.not_parsed(shared, id).is_none()
            }
        }
    }

    /// Why an internal URL is not to be parsed, if it is not.
    pub(super) fn not_parsed(&self, shared: &SharedState, id: UrlId) -> Option<NotParsed> {
        let SharedState { board, robots, .. } = shared;
        let entry = board.entry(id);
        if !robots.allows(board, id) {
            Some(NotParsed::Robots)
        } else if entry.page.always_read {
            None
        } else if !board.urls.reads(id) {
            Some(NotParsed::Within)
        } else if board.settings.depth.is_some_and(|most| entry.depth > most) {
            Some(NotParsed::Depth)
        } else {
            None
        }
    }

    /// A URL will be retried: others do not wait for it.
    pub(super) fn handle_delayed(&mut self, shared: &mut SharedState, id: UrlId) {
        self.admit(shared, |admission| admission.handle_delayed(id));
    }

    /// A URL turned out not to be a page, or redirects to these.
    pub(super) fn handle_no_page(&mut self, shared: &mut SharedState, id: UrlId, to: Vec<UrlId>) {
        self.admit(shared, |admission| admission.handle_no_page(id, to));
    }

    /// Passes an event to the admission, and queues the pages that it admits.
    fn admit(&mut self, shared: &mut SharedState, tell: impl FnOnce(&mut Admission) -> Vec<UrlId>) {
        let Some(admission) = &mut self.admission else { return };
        let mut let_in = VecDeque::from(tell(admission));
        while let Some(id) = let_in.pop_front() {
            let is_no_page = match shared.board.entry(id).phase() {
                Phase::Unrequested(Cause::Limit) if self.is_trapped(&shared.board, id) => {
                    shared.board.set_unrequested(id, Cause::Trap);
                    self.report_trap(&mut shared.board, id);
                    true
                }
                Phase::Unrequested(Cause::Limit) => {
                    self.begin(shared, id);
                    false
                }
                // Requested before, as an image for example, or excluded: no page to wait for.
                Phase::Unrequested(_) | Phase::Settled(_) => true,
                _ => false,
            };
            if let Some(admission) = self.admission.as_mut().filter(|_| is_no_page) {
                let_in.extend(admission.handle_no_page(id, Vec::new()));
            }
        }
    }

    /// Whether a URL belongs to an endless pattern and is not re-included by a rule.
    fn is_trapped(&self, board: &Board, id: UrlId) -> bool {
        let Entry { scope, roles, .. } = *board.entry(id);
        let text = board.urls.text(id);
        scope == Scope::Internal
            && roles.visit()
            && self.traps.holds(text)
            && !board.settings.includes(text)
    }

    /// Reports a URL that is not requested, if it is the first of its pattern.
    fn report_trap(&mut self, board: &mut Board, id: UrlId) {
        if let Some(stop) = self.traps.handle_held(board.urls.text(id)) {
            board.note(id, Note::Trap(stop));
        }
    }

    /// A side request has shown the anchors of an external page.
    pub(super) fn handle_anchors(
        &mut self,
        board: &mut Board,
        id: UrlId,
        outcome: &AttemptOutcome,
        reading: Option<&Reading>,
    ) {
        let is_whole = matches!(outcome, AttemptOutcome::Response(answer) if !answer.truncated);
        let Some(reading) = reading.filter(|reading| is_whole && !reading.cut) else { return };
        self.fragments.handle_page(id, reading.anchors().clone());
        self.fragments.judge_followers(board, id);
    }

    /// The crawl has ended: reports pages that only a sitemap or a list names, and no link leads
    /// to. If not all links were found, that is not known.
    pub(super) fn report_unreached(&self, board: &mut Board) {
        let limited = board.settings.depth.is_some() || board.settings.max_pages.is_some();
        if limited || board.is_full() || self.shells.is_any() || board.urls.start().is_none() {
            return;
        }
        for id in board.urls.ids() {
            let entry = board.entry(id);
            if let Some(judged) = entry.judged()
                && entry.page.reached
            {
                board.entry_mut(judged.last).page.reached = true;
            }
        }
        for id in board.urls.ids() {
            let entry = board.entry(id);
            if entry.page.read && !entry.page.reached && entry.scope == Scope::Internal {
                board.note(id, Note::Unreached);
            }
        }
    }
}

pub(super) use links::request_anchors_of;
pub(super) use wrong_type::{
    handle_checked as handle_type_checked, note as note_wrong_type, watch as watch_for_wrong_type,
};
