//! From the final outcome of a URL to its verdict, and to the verdicts that follow from it.

use std::ops::Range;

use super::Judging;
use super::judge::{by_route, context, judge_at, judged};
use super::redirects::over_http;
use crate::crawl::board::Board;
use crate::crawl::discovery::{Discovery, note_wrong_type, watch_for_wrong_type};
use crate::crawl::messages::{BodyUse, Event, Judged, Note, UrlId};
use crate::crawl::settings::Fragments;
use crate::crawl::shared::SharedState;
use crate::crawl::urls::{Phase, TypeCheck};
use crate::evidence::{AttemptOutcome, ResponseHead};
use crate::extract::reading::{Format, Reading};
use crate::url::scope::Scope;
use crate::verdict::{Cause, JudgeContext, Judgement, Route, Verdict};

impl Judging {
    /// This outcome is final: decides what it means.
    pub(in crate::crawl) fn conclude(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
        reading: Option<Reading>,
    ) {
        if let AttemptOutcome::Response(answer) = outcome
            && answer.is_redirect()
        {
            return self.conclude_redirect(shared, discovery, id, outcome, answer);
        }
        if let Some(next) = over_http(&mut shared.board, id, outcome) {
            let answer = ResponseHead { status: 307, ..ResponseHead::default() };
            return self.follow(shared, discovery, id, &answer, next, false);
        }
        if self.confirmations.handle_outcome(&mut shared.board, id, outcome) {
            return discovery.handle_delayed(shared, id);
        }
        let board = &mut shared.board;
        let expected = board.settings.expects(board.urls.text(id)).is_some();
        if !expected
            && !board.entry(id).roles.only_form()
            && shared.health.await_canary(board, id, outcome)
        {
            return discovery.handle_delayed(shared, id);
        }
        if let AttemptOutcome::Response(answer) = outcome {
            shared.board.entry_mut(id).last.handle_answer(answer);
            if discovery.lacks_reading(shared, id) {
                return shared.enqueue_to_read(id);
            }
            self.learn_from(shared, discovery, id, answer);
        }
        let was_read = self.take_page(shared, discovery, id, outcome, reading);
        if !was_read && discovery.not_parsed(shared, id).is_some() {
            shared.board.entry_mut(id).last.body = BodyUse::Drop;
        }
        if !was_read && shared.board.entry(id).scope == Scope::Internal {
            discovery.handle_no_page(shared, id, Vec::new());
        }
        let all_missing = self.is_all_missing(&shared.board, id, outcome);
        let context = JudgeContext { all_missing, ..context(&shared.board, id) };
        self.finalize_outcome(shared, discovery, id, outcome, context);
        watch_for_wrong_type(&mut shared.board, id);
    }

    /// What a good response shows about its server and about other URLs.
    fn learn_from(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        answer: &ResponseHead,
    ) {
        let entry = shared.board.entry(id);
        let Some(server) = entry.server.filter(|_| answer.is_success()) else { return };
        self.handle_serving(shared, discovery, server);
        let entry = shared.board.entry(id);
        let says_missing = answer.signs.says_missing.is_some() && !entry.roles.is_test_url();
        let is_page = entry.attempts.by_get && entry.roles.visit();
        if is_page && !answer.signs.challenge && !answer.challenge {
            shared.health.handle_well(server, id);
        }
        if let Some(likeness) = answer.signs.likeness.filter(|_| !says_missing && answer.is_html())
        {
            self.compare_with_missing(shared, discovery, id, likeness);
        }
    }

    /// This outcome is final.
    pub(in crate::crawl) fn finalize_outcome(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
        context: JudgeContext,
    ) {
        // A form may well be refused without its fields: only a missing or failing target counts.
        let refused = matches!(outcome.status(), Some(400..=403 | 405..=409 | 411..=499));
        let only_form = shared.board.entry(id).roles.only_form();
        let judgement = if only_form && refused && context.expected.is_none() {
            Judgement { verdict: Verdict::Sound, cause: None }
        } else {
            judge_at(&shared.board, id, outcome, Route::Direct, context)
        };
        self.finalize_as(shared, discovery, id, judgement, outcome.status());
    }

    /// A server that serves other requests refused a URL: the refusal counts.
    pub(in crate::crawl) fn finalize_refused(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
    ) {
        let context = JudgeContext { well_again: true, ..context(&shared.board, id) };
        self.finalize_outcome(shared, discovery, id, outcome, context);
    }

    /// A doubtful verdict that says nothing about the URL itself.
    pub(in crate::crawl) fn defer(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        cause: Cause,
    ) {
        let status = shared.board.entry(id).judged().and_then(|judged| judged.status);
        self.finalize_as(shared, discovery, id, Judgement::doubtful(cause), status);
    }

    /// The final verdict on a URL that does not redirect.
    fn finalize_as(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        judgement: Judgement,
        status: Option<u16>,
    ) {
        let entry = shared.board.entry(id);
        let is_unread = entry.scope == Scope::Internal && !entry.page.read;
        if is_unread && judgement.verdict == Verdict::Doubtful {
            discovery.handle_no_page(shared, id, Vec::new());
        }
        self.finalize(shared, discovery, id, judged(id, judgement, status));
    }

    /// Not only forms name a URL whose refusal was excused for a form.
    pub(in crate::crawl) fn rejudge(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
    ) {
        let Some(settled) = shared.board.entry(id).judged() else { return };
        let refused = settled.status.filter(|status| (400..500).contains(status));
        if let (Verdict::Sound, Some(status)) = (settled.verdict, refused) {
            self.finalize_status(shared, discovery, id, status);
        }
    }

    /// New evidence has turned up about a URL that responded well.
    pub(super) fn judge_again(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
    ) {
        let Some(Judged { verdict, cause, next: None, status: Some(status), .. }) =
            shared.board.entry(id).judged()
        else {
            return;
        };
        if verdict == Verdict::Sound || cause == Some(Cause::Soft404) {
            self.finalize_status(shared, discovery, id, status);
        }
    }

    /// Gives a URL its verdict by its status alone, with what is known now.
    fn finalize_status(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        status: u16,
    ) {
        let outcome = AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() });
        let context = context(&shared.board, id);
        self.finalize_outcome(shared, discovery, id, &outcome, context);
    }

    /// Takes the contents of an internal page. Returns whether it was a page and its links were
    /// extracted.
    pub(super) fn take_page(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        outcome: &AttemptOutcome,
        reading: Option<Reading>,
    ) -> bool {
        let AttemptOutcome::Response(answer) = outcome else { return false };
        let is_read = |reading: &Reading| answer.is_success() && !reading.title_only;
        let Some(reading) = reading.filter(is_read) else { return false };
        let entry = shared.board.entry(id);
        let (roles, internal) = (entry.roles, entry.scope == Scope::Internal);
        let for_anchors = internal || entry.anchors_requested;
        let is_page = reading.format.is_page();
        let to_follow = match reading.format {
            Format::Html | Format::Xhtml => {
                internal && roles.visit() && discovery.not_parsed(shared, id).is_none()
            }
            Format::Css | Format::Manifest => {
                internal && discovery.not_parsed(shared, id).is_none()
            }
            // XML that is no feed.
            Format::Feed if reading.faulty && reading.links().len() == 0 => false,
            Format::Feed => internal && discovery.not_parsed(shared, id).is_none(),
            Format::Sitemap | Format::List => true,
            Format::Robots => {
                shared.robots.handle_reading(id, &reading);
                true
            }
        };
        let checks_anchors = shared.board.settings.fragments != Fragments::None;
        if is_page && for_anchors && !reading.cut && checks_anchors {
            discovery.fragments.handle_page(id, reading.anchors().clone());
        }
        if to_follow {
            discovery.handle_reading(shared, id, reading, answer.upgrades);
        }
        to_follow && is_page
    }

    /// Gives a URL its verdict, and the URLs that redirect to it theirs.
    pub(super) fn finalize(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        judged: Judged,
    ) {
        self.set_judged(shared, discovery, id, judged);
        let mut settled = vec![id];
        while let Some(next) = settled.pop() {
            let Some(judged) = shared.board.entry(next).judged() else { continue };
            for follower in shared.board.urls.followers_of(next) {
                let own_host = by_route(&shared.board, follower, next, &judged);
                if self.may_need_cookies(&shared.board, follower, &own_host) {
                    self.begin_chain(&mut shared.board, follower);
                } else {
                    self.set_judged(shared, discovery, follower, own_host);
                    settled.push(follower);
                }
            }
        }
    }

    fn set_judged(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        id: UrlId,
        judged: Judged,
    ) {
        let entry = shared.board.entry(id);
        let is_page = judged.verdict == Verdict::Sound
            && entry.scope == Scope::Internal
            && entry.last.html
            && entry.roles.visit();
        let not_parsed = discovery.not_parsed(shared, id).filter(|_| is_page);
        let linked = entry.is_linked();
        let judged = Judged { not_parsed, linked, ..judged };
        let board = &mut shared.board;
        board.urls.set_phase(id, Phase::Settled(judged));
        board.report(Event::Judged { id, judged });
        discovery.fragments.judge(board, id);
        if judged.last != id && board.entry(judged.last).type_check == TypeCheck::Wrong {
            note_wrong_type(board, id);
        }
        self.handle_missing_judged(shared, discovery, id, &judged);
        self.handle_step_judged(shared, discovery, id, &judged);
        shared.robots.handle_judged(&mut shared.board, id, &judged);
        note_missing_sitemap(&mut shared.board, id, &judged);
    }

    /// The crawl has ended: gives those of these URLs that were never to be requested their
    /// verdict. Returns where to go on, if there are more.
    pub(in crate::crawl) fn finalize_unrequested(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        range: Range<usize>,
    ) -> Option<usize> {
        for id in shared.board.urls.ids().skip(range.start).take(range.len()) {
            if let Phase::Unrequested(cause) = shared.board.entry(id).phase() {
                let judged = Judged::without_hops(id, Verdict::Skipped, Some(cause), None);
                self.finalize(shared, discovery, id, judged);
            }
        }
        (range.end < shared.board.urls.len()).then_some(range.end)
    }
}

/// Reports a sitemap that was named and does not exist.
fn note_missing_sitemap(board: &mut Board, id: UrlId, judged: &Judged) {
    let missing = !matches!(judged.verdict, Verdict::Sound | Verdict::Moved);
    if missing && board.settings.names_sitemap(board.urls.text(id)) {
        board.note(id, Note::SitemapMissing);
    }
}
