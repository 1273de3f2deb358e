//! From the last word on a URL to its verdict, and to the verdicts that follow from it.

use super::Judging;
use super::judge::{by_way_of, clues, judge_at, judged};
use crate::crawl::board::Board;
use crate::crawl::discovery::{Discovery, note_wrong_type, watch_for_wrong_type};
use crate::crawl::ground::Ground;
use crate::crawl::messages::{BodyWish, Event, Judged, Note, UrlId};
use crate::crawl::settings::Fragments;
use crate::crawl::urls::{Phase, TypeCheck};
use crate::evidence::{Answer, Ending};
use crate::extract::reading::{Format, Reading};
use crate::url::scope::Scope;
use crate::verdict::{Cause, Clues, Judgement, Verdict, Way};

impl Judging {
    /// This outcome stands: what it means.
    pub(in crate::crawl) fn conclude(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        ending: &Ending,
        reading: Option<Reading>,
    ) {
        if let Ending::Answer(answer) = ending
            && answer.is_redirect()
        {
            return self.conclude_redirect(ground, discovery, id, ending, answer);
        }
        if self.confirmations.handle_outcome(&mut ground.board, id, ending) {
            return discovery.handle_delayed(ground, id);
        }
        let board = &mut ground.board;
        let expected = board.settings.expects(board.urls.text(id)).is_some();
        if !expected
            && !board.entry(id).roles.only_form()
            && ground.health.await_canary(board, id, ending)
        {
            return discovery.handle_delayed(ground, id);
        }
        if let Ending::Answer(answer) = ending {
            ground.board.entry_mut(id).last.handle_answer(answer);
            if discovery.lacks_reading(ground, id) {
                return ground.enqueue_to_read(id);
            }
            self.learn_from(ground, discovery, id, answer);
        }
        let was_read = self.take_page(ground, discovery, id, ending, reading);
        if !was_read && discovery.not_read(ground, id).is_some() {
            ground.board.entry_mut(id).last.body = BodyWish::Drop;
        }
        if !was_read && ground.board.entry(id).scope == Scope::Internal {
            discovery.handle_no_page(ground, id, Vec::new());
        }
        let clues = clues(&ground.board, id);
        self.settle_ending(ground, discovery, id, ending, clues);
        watch_for_wrong_type(&mut ground.board, id);
    }

    /// What a good response says of its server and of others.
    fn learn_from(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        answer: &Answer,
    ) {
        let entry = ground.board.entry(id);
        let Some(server) = entry.server.filter(|_| answer.is_success()) else { return };
        let says_missing = answer.signs.says_missing.is_some() && !entry.roles.made_up();
        let is_page = entry.attempts.by_get && entry.roles.visit();
        if is_page && !answer.signs.challenge && !answer.challenge {
            ground.health.handle_well(server, id);
        }
        if let Some(likeness) = answer.signs.likeness.filter(|_| !says_missing && answer.is_html())
        {
            self.compare_with_missing(ground, discovery, id, likeness);
        }
    }

    /// This outcome is the last word on a URL.
    pub(in crate::crawl) fn settle_ending(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        ending: &Ending,
        clues: Clues,
    ) {
        // A form without what a visitor would fill in may well be refused: only what is
        // missing or fails counts.
        let refused = matches!(ending.status(), Some(400..=403 | 405..=409 | 411..=499));
        let only_form = ground.board.entry(id).roles.only_form();
        let judgement = if only_form && refused && clues.expected.is_none() {
            Judgement { verdict: Verdict::Sound, cause: None }
        } else {
            judge_at(&ground.board, id, ending, Way::Direct, clues)
        };
        self.settle_as(ground, discovery, id, judgement, ending.status());
    }

    /// A URL was refused by a server that responds to others: that stands.
    pub(in crate::crawl) fn settle_refused(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        ending: &Ending,
    ) {
        let clues = Clues { well_again: true, ..clues(&ground.board, id) };
        self.settle_ending(ground, discovery, id, ending, clues);
    }

    /// A doubtful verdict that says nothing of the URL itself.
    pub(in crate::crawl) fn withhold(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        cause: Cause,
    ) {
        let status = ground.board.entry(id).judged().and_then(|judged| judged.status);
        self.settle_as(ground, discovery, id, Judgement::doubtful(cause), status);
    }

    /// The last word on a URL that does not redirect.
    fn settle_as(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        judgement: Judgement,
        status: Option<u16>,
    ) {
        let entry = ground.board.entry(id);
        let is_unread = entry.scope == Scope::Internal && !entry.page.read;
        if is_unread && judgement.verdict == Verdict::Doubtful {
            discovery.handle_no_page(ground, id, Vec::new());
        }
        self.settle(ground, discovery, id, judged(id, judgement, status));
    }

    /// More than a form names a URL whose refusal only a form could meet.
    pub(in crate::crawl) fn judge_anew(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
    ) {
        let Some(settled) = ground.board.entry(id).judged() else { return };
        let refused = settled.status.filter(|status| (400..500).contains(status));
        if let (Verdict::Sound, Some(status)) = (settled.verdict, refused) {
            self.settle_status(ground, discovery, id, status);
        }
    }

    /// Something has turned up about a URL that responded well.
    pub(super) fn judge_again(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
    ) {
        let Some(Judged { verdict, cause, next: None, status: Some(status), .. }) =
            ground.board.entry(id).judged()
        else {
            return;
        };
        if verdict == Verdict::Sound || cause == Some(Cause::Soft404) {
            self.settle_status(ground, discovery, id, status);
        }
    }

    /// Settles a URL by its status alone, with what is known of it by now.
    fn settle_status(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        status: u16,
    ) {
        let ending = Ending::Answer(Answer { status, ..Answer::default() });
        let clues = clues(&ground.board, id);
        self.settle_ending(ground, discovery, id, &ending, clues);
    }

    /// Takes what was read, where it is the site's. Gives whether it was a page and its links
    /// were taken.
    pub(super) fn take_page(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        ending: &Ending,
        reading: Option<Reading>,
    ) -> bool {
        let Ending::Answer(answer) = ending else { return false };
        let is_read = |reading: &Reading| answer.is_success() && !reading.title_only;
        let Some(reading) = reading.filter(is_read) else { return false };
        let entry = ground.board.entry(id);
        let (roles, internal) = (entry.roles, entry.scope == Scope::Internal);
        let for_anchors = internal || entry.anchors_wanted;
        let is_page = reading.format.is_page();
        let to_follow = match reading.format {
            Format::Html | Format::Xhtml => {
                internal && roles.visit() && discovery.not_read(ground, id).is_none()
            }
            Format::Css => internal && discovery.not_read(ground, id).is_none(),
            Format::Sitemap | Format::List => true,
            Format::Robots => {
                ground.robots.handle_reading(id, &reading);
                true
            }
        };
        let checks_anchors = ground.board.settings.fragments != Fragments::None;
        if is_page && for_anchors && !reading.cut && checks_anchors {
            discovery.fragments.handle_page(id, reading.places().clone());
        }
        if to_follow {
            discovery.handle_reading(ground, id, reading, answer.upgrades);
        }
        to_follow && is_page
    }

    /// A URL has its verdict, and so have those that lead to it.
    pub(super) fn settle(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        judged: Judged,
    ) {
        self.set_judged(ground, discovery, id, judged);
        let mut settled = vec![id];
        while let Some(next) = settled.pop() {
            let Some(judged) = ground.board.entry(next).judged() else { continue };
            for follower in ground.board.urls.followers_of(next) {
                let own = by_way_of(&ground.board, follower, next, &judged);
                if self.may_need_cookies(&ground.board, follower, &own) {
                    self.begin_chain(&mut ground.board, follower);
                } else {
                    self.set_judged(ground, discovery, follower, own);
                    settled.push(follower);
                }
            }
        }
    }

    fn set_judged(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        id: UrlId,
        judged: Judged,
    ) {
        let entry = ground.board.entry(id);
        let is_page = judged.verdict == Verdict::Sound
            && entry.scope == Scope::Internal
            && entry.last.html
            && entry.roles.visit();
        let not_read = discovery.not_read(ground, id).filter(|_| is_page);
        let linked = entry.is_linked();
        let judged = Judged { not_read, linked, ..judged };
        let board = &mut ground.board;
        board.urls.set_phase(id, Phase::Settled(judged));
        board.report(Event::Judged { id, judged });
        discovery.fragments.judge(board, id);
        if judged.last != id && board.entry(judged.last).type_check == TypeCheck::Wrong {
            note_wrong_type(board, id);
        }
        self.handle_missing_judged(ground, discovery, id, &judged);
        ground.robots.handle_judged(&mut ground.board, id, &judged);
        note_missing_sitemap(&mut ground.board, id, &judged);
    }

    /// What was never to be requested has its verdict, now that the crawl has ended.
    pub(in crate::crawl) fn settle_unrequested(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
    ) {
        for id in ground.board.urls.ids() {
            if let Phase::Unrequested(cause) = ground.board.entry(id).phase() {
                let judged = Judged::without_hops(id, Verdict::Skipped, Some(cause), None);
                self.settle(ground, discovery, id, judged);
            }
        }
    }
}

/// A sitemap that was named on purpose and is not there.
fn note_missing_sitemap(board: &mut Board, id: UrlId, judged: &Judged) {
    let missing = !matches!(judged.verdict, Verdict::Sound | Verdict::Moved);
    if missing && board.settings.names_sitemap(board.urls.text(id)) {
        board.note(id, Note::SitemapMissing);
    }
}
