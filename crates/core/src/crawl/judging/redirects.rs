//! From hop to hop: where a redirect leads, and whose verdict follows from whose.

use url::Url;

use super::Judging;
use super::judge::{by_route, judge_at, judged};
use crate::crawl::board::Board;
use crate::crawl::discovery::{Discovery, request_anchors_of};
use crate::crawl::messages::{Judged, UrlId};
use crate::crawl::requests::Order;
use crate::crawl::shared::SharedState;
use crate::crawl::urls::Phase;
use crate::evidence::{AttemptOutcome, Failure, ResponseHead, Stage, TlsFailure};
use crate::url::reference::{Reference, resolve};
use crate::url::scope::Scope;
use crate::verdict::{Cause, ChainFault, JudgeContext, Judgement, Route, Verdict};

impl Judging {
    pub(super) fn conclude_redirect(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
        answer: &ResponseHead,
    ) {
        let board = &mut shared.board;
        board.entry_mut(id).redirect.sets_cookie = !answer.cookies.is_empty();
        let Some((next, own_fragment)) = location(board, id, answer) else {
            return self.conclude_bad_redirect(shared, discovery, id, outcome, ChainFault::None);
        };
        if board.urls.leads_back(id, next) {
            if cycle_sets_cookie(board, id, next) {
                board.entry_mut(id).redirect.sets_cookie = true;
            }
            return self.conclude_bad_redirect(shared, discovery, id, outcome, ChainFault::Loop);
        }
        if board.entry(id).chain >= board.settings.hops {
            return self.conclude_bad_redirect(shared, discovery, id, outcome, ChainFault::TooMany);
        }
        if board.entry(id).roles.robots() && shared.robots.is_held(board, next) {
            // It leads to a page, and that page is its robots.txt: there are no rules.
            let sound = Judgement { verdict: Verdict::Sound, cause: Some(Cause::Redirected) };
            let judged = judged(id, sound, outcome.status());
            return self.finalize(shared, discovery, id, judged);
        }
        self.follow(shared, discovery, id, answer, next, own_fragment);
    }

    /// A redirect leads nowhere, into a loop, or through too many hops.
    fn conclude_bad_redirect(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
        hops: ChainFault,
    ) {
        let context = JudgeContext { hops, ..JudgeContext::default() };
        let judgement = judge_at(&shared.board, id, outcome, Route::Direct, context);
        let judged = judged(id, judgement, outcome.status());
        if self.may_need_cookies(&shared.board, id, &judged) {
            self.begin_chain(&mut shared.board, id);
        } else {
            self.finalize(shared, discovery, id, judged);
        }
    }

    /// Whether a loop of the start may end with the cookies that its hops set.
    pub(super) fn may_cookies_end_loop(&self, board: &Board, id: UrlId, next: UrlId) -> bool {
        board.urls.leads_back(id, next)
            && cycle_sets_cookie(board, id, next)
            && !board.entry(id).redirect.with_cookies
    }

    /// The verdict of `id` follows from that of `next`.
    pub(super) fn follow(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        answer: &ResponseHead,
        next: UrlId,
        own_fragment: bool,
    ) {
        let board = &mut shared.board;
        let entry = board.entry_mut(id);
        entry.redirect.permanent = answer.is_permanent_redirect();
        entry.redirect.own_fragment = own_fragment;
        let (roles, depth, anchors_requested) =
            (entry.roles.by_redirect(), entry.depth, entry.anchors_requested);
        board.urls.set_follows(id, next);
        // With GET all the way, as this one was.
        board.entry_mut(next).attempts.by_get = true;
        if anchors_requested {
            request_anchors_of(board, next);
        }
        if board.urls.bounds().is_none() {
            // Before the bounds are known, nothing keeps the start's hops from being requested.
            let entry = board.entry_mut(next);
            entry.roles = entry.roles.and(roles);
            if matches!(entry.phase(), Phase::Unrequested(_)) {
                board.enqueue(next, Order::First);
            }
        } else {
            let was_waiting = matches!(board.entry(next).phase(), Phase::Queued(_));
            discovery.use_url(shared, next, roles, depth);
            if !was_waiting {
                hasten_hop(&mut shared.board, next);
            }
            let to = match shared.board.entry(next).scope {
                Scope::Internal => vec![next],
                Scope::External => Vec::new(),
            };
            discovery.handle_no_page(shared, id, to);
        }
        if let Some(settled) = shared.board.entry(next).judged() {
            self.finalize_follower(shared, discovery, id, next, &settled);
        }
    }

    pub(super) fn finalize_follower(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        next: UrlId,
        settled: &Judged,
    ) {
        let judged = by_route(&shared.board, id, next, settled);
        if self.may_need_cookies(&shared.board, id, &judged) {
            self.begin_chain(&mut shared.board, id);
        } else {
            self.finalize(shared, discovery, id, judged);
        }
    }
}

/// Whether a hop of a loop sets a cookie, with which it may not be a loop.
fn cycle_sets_cookie(board: &Board, id: UrlId, next: UrlId) -> bool {
    let mut at = next;
    while at != id {
        if board.entry(at).redirect.sets_cookie {
            return true;
        }
        match board.entry(at).phase() {
            Phase::Follows(on) => at = on,
            _ => return false,
        }
    }
    board.entry(id).redirect.sets_cookie
}

/// The URL that a redirect leads to, and whether `Location` has a fragment.
pub(super) fn location(
    board: &mut Board,
    id: UrlId,
    answer: &ResponseHead,
) -> Option<(UrlId, bool)> {
    let base = Url::parse(board.urls.text(id)).ok()?;
    let location = answer.location.as_deref().filter(|l| !l.trim().is_empty())?;
    let Reference::Web { url, fragment } = resolve(&base, location) else { return None };
    let (depth, chain) = (board.entry(id).depth, board.entry(id).chain);
    Some((board.intern(&url, depth, chain + 1), fragment.is_some()))
}

/// For a host of a list that was written without a scheme and does not respond over https: its URL
/// over http, which browsers try next.
pub(super) fn over_http(board: &mut Board, id: UrlId, outcome: &AttemptOutcome) -> Option<UrlId> {
    let AttemptOutcome::Failure(failure) = outcome else { return None };
    // A bad certificate is a fault of the server: browsers stop there.
    let has_no_https = matches!(
        failure,
        Failure::Refused
            | Failure::Reset
            | Failure::Timeout(Stage::Connect | Stage::Tls)
            | Failure::Tls(TlsFailure::NotTls | TlsFailure::Other(_))
    );
    let entry = board.entry(id);
    if entry.bare != Some(true) || !has_no_https {
        return None;
    }
    let (depth, chain) = (entry.depth, entry.chain);
    let rest = board.urls.text(id).strip_prefix("https://")?;
    let url = Url::parse(&format!("http://{rest}")).ok()?;
    Some(board.intern(&url, depth, chain + 1))
}

/// The next hop of a chain is requested at once, as a browser would.
fn hasten_hop(board: &mut Board, next: UrlId) {
    let entry = board.entry(next);
    let waits = matches!(entry.phase(), Phase::Queued(_)) && entry.scope == Scope::External;
    let Some(server) = entry.server.filter(|_| waits) else { return };
    board.hasten(next);
    board.requests.grant(server);
}
