//! Chains of redirects that need cookies: followed once more, from the first hop, each hop with
//! the cookies that those before it have set.
//!
//! Cookies live for one chain, follow RFC 6265, and are discarded at its end. A chain is followed
//! this way only if it loops or ends badly without cookies. Its hops count from the URL that a
//! link names, however often a hop begins a chain of its own: no server can make a chain longer
//! than the limit.

use super::Judging;
use super::chain::Chain;
use super::judge::{context, judge_at, judged};
use crate::Moment;
use crate::crawl::board::Board;
use crate::crawl::discovery::Discovery;
use crate::crawl::messages::{Judged, Request, Response, StartProblem, UrlId};
use crate::crawl::requests::Order;
use crate::crawl::shared::SharedState;
use crate::evidence::AttemptOutcome;
use crate::extract::reading::Reading;
use crate::url::scope::Scope;
use crate::verdict::{Cause, ChainFault, JudgeContext, Route, Verdict};

impl Judging {
    /// Whether redirects may end differently with the cookies that their hops set.
    pub(super) fn may_need_cookies(&self, board: &Board, id: UrlId, judged: &Judged) -> bool {
        let ends_badly = match judged.verdict {
            Verdict::Broken | Verdict::Doubtful => {
                judged.cause == Some(Cause::RedirectLoop) || judged.status.is_some()
            }
            Verdict::Sound | Verdict::Moved | Verdict::Skipped => false,
        };
        let entry = board.entry(id);
        // The URL that a link names is followed again, not each of its hops.
        let is_hop = !entry.is_linked() && entry.chain > 0;
        let is_too_long = is_hop && judged.cause == Some(Cause::RedirectLimit);
        ends_badly
            && !entry.redirect.with_cookies
            && !is_too_long
            && sets_cookie_on_the_way(board, id)
    }

    /// Follows redirects once more from their first hop, with cookies.
    pub(super) fn begin_chain(&mut self, board: &mut Board, id: UrlId) {
        let entry = board.entry(id);
        let before = if entry.is_linked() { 0 } else { entry.chain };
        self.chains.insert(id, Chain::new(board.urls.parsed(id), before));
        let entry = board.entry_mut(id);
        entry.redirect.with_cookies = true;
        entry.attempts.by_get = true;
        entry.attempts.count = 0;
        board.enqueue(id, Order::First);
    }

    /// Chains that were being followed when the run was stopped start again: their cookies were
    /// not kept.
    pub(in crate::crawl) fn begin_chains_anew(&mut self, board: &mut Board) {
        let ids: Vec<UrlId> = self.chains.keys().copied().collect();
        for id in ids {
            self.begin_chain(board, id);
        }
    }

    /// For a URL that is followed with cookies: what to request in its place.
    pub(in crate::crawl) fn prepare(
        &self,
        board: &Board,
        now: Moment,
        id: UrlId,
        request: &mut Request,
    ) {
        let Some(chain) = self.chains.get(&id) else { return };
        chain.url().clone_into(&mut request.url);
        request.cookies = chain.cookies(now);
        request.scope = board.urls.scope_of(chain.at());
    }

    /// The response of a hop has arrived.
    pub(super) fn handle_chain(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        now: Moment,
        id: UrlId,
        response: Response,
    ) {
        let Some(mut chain) = self.chains.remove(&id) else { return };
        let board = &mut shared.board;
        let own_host = chain.url() == board.urls.text(id);
        let Response { mut attempt, reading } = response;
        attempt.hop = (!own_host).then(|| chain.url().to_owned());
        let outcome = attempt.outcome.clone();
        let attempts = &mut board.entry_mut(id).attempts;
        attempts.count += 1;
        let gap = board.settings.retry.gap(board.entry(id).attempts.count, &outcome);
        let goes_on = matches!(&outcome, AttemptOutcome::Response(answer) if answer.is_redirect());
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        board.report_attempt(id, attempt, title, gap.is_some() || goes_on);
        if let Some(gap) = gap {
            self.chains.insert(id, chain);
            board.retry_at(id, now + gap);
            return discovery.handle_delayed(shared, id);
        }
        let AttemptOutcome::Response(answer) = &outcome else {
            return self.end_chain(
                shared,
                discovery,
                id,
                &chain,
                (&outcome, ChainFault::None),
                reading,
            );
        };
        if !answer.is_redirect() {
            return self.end_chain(
                shared,
                discovery,
                id,
                &chain,
                (&outcome, ChainFault::None),
                reading,
            );
        }
        match chain.handle_redirect(now, answer, board.settings.hops) {
            Ok(()) => {
                self.chains.insert(id, chain);
                board.entry_mut(id).attempts.count = 0;
                board.enqueue(id, Order::First);
            }
            Err(hops) => self.end_chain(shared, discovery, id, &chain, (&outcome, hops), None),
        }
    }

    fn end_chain(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        chain: &Chain,
        (outcome, hops): (&AttemptOutcome, ChainFault),
        reading: Option<Reading>,
    ) {
        let board = &mut shared.board;
        let last = board.intern(chain.at(), u32::MAX, chain.hops_in_all());
        let is_redirect =
            matches!(outcome, AttemptOutcome::Response(answer) if answer.is_redirect());
        if discovery.is_current_start(board, id) {
            if is_redirect {
                let url = chain.url().to_owned();
                let problem = StartProblem::Redirects { url };
                return discovery.handle_start_failed(board, problem);
            }
            if last != id {
                // The site is where the chain ends; the verdict of the first URL follows from
                // that.
                discovery.handle_start_hop(last);
                board.urls.set_follows(id, last);
                let roles = board.entry(id).roles;
                let entry = board.entry_mut(last);
                entry.roles = entry.roles.and(roles);
                entry.depth = 0;
                entry.redirect.with_cookies = true;
            }
            return self.handle_start_outcome(shared, discovery, last, outcome, reading);
        }
        if let AttemptOutcome::Response(answer) = outcome
            && last == id
        {
            board.entry_mut(id).last.handle_answer(answer);
        }
        let was_read = last == id && self.take_page(shared, discovery, id, outcome, reading);
        if !was_read && shared.board.entry(id).scope == Scope::Internal {
            discovery.handle_no_page(shared, id, Vec::new());
        }
        let route = if chain.hops() > 0 { Route::Temporary } else { Route::Direct };
        let context = JudgeContext { hops, ..context(&shared.board, id) };
        let judgement = judge_at(&shared.board, last, outcome, route, context);
        let mut judged = judged(id, judgement, outcome.status());
        (judged.last, judged.hops) = (last, chain.hops());
        self.finalize(shared, discovery, id, judged);
        // A chain that was too long, or a loop, leads nowhere.
        if last != id && hops == ChainFault::None {
            let entry = shared.board.entry(id);
            let (roles, depth) = (entry.roles.by_redirect(), entry.depth);
            discovery.use_url(shared, last, roles, depth);
        }
    }
}

fn sets_cookie_on_the_way(board: &Board, id: UrlId) -> bool {
    let mut at = id;
    for _ in 0..=board.settings.hops {
        if board.entry(at).redirect.sets_cookie {
            return true;
        }
        let Some(next) = board.entry(at).next_hop() else { return false };
        at = next;
    }
    false
}
