//! From the last word on an address to what is said of it.

use url::Url;

use super::entry::{Entry, State};
use super::{AddressId, BodyWish, Crawl, Event, Fragments, Judged, Note, Place, SitemapRule};
use crate::evidence::{Answer, Ending};
use crate::extract::reading::{Format, Reading};
use crate::url::network::is_loopback;
use crate::url::scope::Scope;
use crate::verdict::{Asked, Cause, Clues, Judgement, Verdict, Way, judge};

impl Crawl {
    /// This ending stands: what it means.
    pub(super) fn conclude(&mut self, id: AddressId, ending: &Ending, reading: Option<Reading>) {
        if let Ending::Answer(answer) = ending
            && answer.is_redirect()
        {
            return self.conclude_redirect(id, ending, answer);
        }
        if self.wants_confirmation(id, ending) {
            self.entry_mut(id).state = State::Unconfirmed;
            self.unconfirmed.push(id);
            return self.admit(|admission| admission.handle_delayed(id));
        }
        let expected = self.settings.expects(self.address(id)).is_some();
        if !expected && !self.entry(id).uses.only_form() && self.waits_for_witness(id, ending) {
            return;
        }
        if let Ending::Answer(answer) = ending {
            let (is_success, is_css) = (answer.is_success(), answer.is_css());
            let entry = self.entry_mut(id);
            entry.success = is_success;
            entry.html = answer.is_html() && is_success;
            entry.css = is_css && is_success;
            if self.lacks_reading(id) {
                return self.request_to_read(id);
            }
            self.learn_from(id, answer);
        }
        let was_read = self.take_page(id, ending, reading);
        if !was_read && self.not_read(id).is_some() {
            self.entry_mut(id).asked_body = BodyWish::Drop;
        }
        if !was_read && self.entry(id).scope == Scope::Internal {
            self.admit(|admission| admission.handle_no_page(id, Vec::new()));
        }
        self.settle_ending(id, ending, self.clues(id));
        self.watch_for_wrong_type(id);
    }

    /// What a good answer says of its server and of others.
    fn learn_from(&mut self, id: AddressId, answer: &Answer) {
        let entry = self.entry(id);
        let Some(server) = entry.server.filter(|_| answer.is_success()) else { return };
        if entry.by_get && entry.uses.visit() && !answer.signs.challenge && !answer.challenge {
            self.may_witness(server, id);
        }
        let says_missing = answer.signs.says_missing.is_some() && !self.entry(id).uses.made_up();
        if let Some(likeness) = answer.signs.likeness.filter(|_| !says_missing && answer.is_html())
        {
            self.compare_with_made_up(id, likeness);
        }
    }

    /// This ending is the last word on an address.
    pub(super) fn settle_ending(&mut self, id: AddressId, ending: &Ending, clues: Clues) {
        let entry = self.entry(id);
        // A form without what a visitor would fill in may well be refused: only what is
        // missing or fails counts.
        let refused = matches!(ending.status(), Some(400..=403 | 405..=409 | 411..=499));
        let judgement = if entry.uses.only_form() && refused && clues.expected.is_none() {
            Judgement { verdict: Verdict::Sound, cause: None }
        } else {
            self.judge_at(id, ending, Way::Direct, clues)
        };
        self.settle_as(id, judgement, ending.status());
    }

    /// The last word on an address that does not redirect.
    pub(super) fn settle_as(&mut self, id: AddressId, judgement: Judgement, status: Option<u16>) {
        let Entry { scope, read, .. } = *self.entry(id);
        if scope == Scope::Internal && judgement.verdict == Verdict::Doubtful && !read {
            self.admit(|admission| admission.handle_no_page(id, Vec::new()));
        }
        self.settle(id, judged(id, judgement, status));
    }

    /// What is said of an ending that was seen at this address.
    pub(super) fn judge_at(
        &self,
        id: AddressId,
        ending: &Ending,
        way: Way,
        clues: Clues,
    ) -> Judgement {
        let (address, scope) = (self.address(id), self.entry(id).scope);
        judge(&Asked { address, ending, way, scope, clues })
    }

    /// What is known of an address beside its answer.
    pub(super) fn clues(&self, id: AddressId) -> Clues {
        let entry = self.entry(id);
        let near = || Url::parse(self.address(id)).is_ok_and(|url| is_loopback(&url));
        Clues {
            like_made_up: entry.like_made_up,
            proxied: self.settings.proxied && !near(),
            expected: self.settings.expects(self.address(id)),
            ..Clues::default()
        }
    }

    /// More than a form names an address that only a form could be refused by.
    pub(super) fn judge_anew(&mut self, id: AddressId, settled: &Judged) {
        let refused = settled.status.filter(|status| (400..500).contains(status));
        if let (Verdict::Sound, Some(status)) = (settled.verdict, refused) {
            let ending = Ending::Answer(Answer { status, ..Answer::default() });
            self.settle_ending(id, &ending, self.clues(id));
        }
    }

    /// Something has turned up about an address that answered well.
    pub(super) fn judge_again(&mut self, id: AddressId) {
        let State::Settled(Judged { verdict, cause, next: None, status: Some(status), .. }) =
            self.entry(id).state
        else {
            return;
        };
        if verdict == Verdict::Sound || cause == Some(Cause::Soft404) {
            let ending = Ending::Answer(Answer { status, ..Answer::default() });
            self.settle_ending(id, &ending, self.clues(id));
        }
    }

    /// Takes what was read, where it is the site's. Gives whether it was a page and
    /// its links were taken.
    pub(super) fn take_page(
        &mut self,
        id: AddressId,
        ending: &Ending,
        reading: Option<Reading>,
    ) -> bool {
        let Ending::Answer(Answer { upgrades, .. }) = *ending else { return false };
        let is_read = |reading: &Reading| is_success(ending) && !reading.title_only;
        let Some(reading) = reading.filter(is_read) else { return false };
        let Entry { uses, scope, .. } = *self.entry(id);
        let is_page = reading.format.is_page();
        let to_follow = match reading.format {
            Format::Html | Format::Xhtml => {
                scope == Scope::Internal && uses.visit() && self.not_read(id).is_none()
            }
            Format::Css => scope == Scope::Internal && self.not_read(id).is_none(),
            Format::Sitemap | Format::List => true,
            Format::Robots => {
                self.take_rules(id, &reading);
                true
            }
        };
        let for_places = scope == Scope::Internal || self.entry(id).places_wanted;
        if is_page && for_places && !reading.cut && self.settings.fragments != Fragments::None {
            self.places.handle_page(id, reading.places().clone());
        }
        if to_follow {
            self.take_links(id, reading, upgrades);
        }
        to_follow && is_page
    }

    /// An address has its verdict, and so have those that lead to it.
    pub(super) fn settle(&mut self, id: AddressId, judged: Judged) {
        self.set_judged(id, judged);
        let mut settled = vec![id];
        while let Some(next) = settled.pop() {
            let State::Settled(judged) = self.entry(next).state else { continue };
            for follower in self.followers_of(next) {
                let own = self.by_way_of(follower, next, &judged);
                if self.may_need_cookies(follower, &own) {
                    self.begin_chain(follower);
                } else {
                    self.set_judged(follower, own);
                    settled.push(follower);
                }
            }
        }
    }

    fn set_judged(&mut self, id: AddressId, mut judged: Judged) {
        let entry = self.entry(id);
        judged.linked = entry.linked;
        let is_page = judged.verdict == Verdict::Sound
            && entry.scope == Scope::Internal
            && entry.html
            && entry.uses.visit();
        judged.not_read = self.not_read(id).filter(|_| is_page);
        let before = match self.entry(id).state {
            State::Settled(before) => Some(before.verdict),
            _ => None,
        };
        self.entry_mut(id).state = State::Settled(judged);
        // What was not asked, for want of a server or by a rule, is not work done.
        let asked = self.entry(id).server.is_some() && judged.verdict != Verdict::Skipped;
        self.progress.done += u64::from(asked && before.is_none());
        // Nobody's link is broken where an address was made up.
        let counts = judged.linked;
        let broken = |verdict| i64::from(counts && verdict == Verdict::Broken);
        let change = broken(judged.verdict) - before.map_or(0, broken);
        self.progress.broken = self.progress.broken.saturating_add_signed(change);
        self.events.push_back(Event::Judged { id, judged });
        self.judge_places(id);
        if self.entry(judged.last).wrong_type && judged.last != id {
            self.note_wrong_type(id);
        }
        self.handle_made_up(id, &judged);
        if self.permits.is_robots(id) {
            self.handle_robots(id, &judged);
        }
        self.note_missing_sitemap(id, &judged);
    }

    /// A sitemap that was named on purpose and is not there.
    fn note_missing_sitemap(&mut self, id: AddressId, judged: &Judged) {
        let missing = !matches!(judged.verdict, Verdict::Sound | Verdict::Moved);
        if missing && self.is_named_sitemap(id) {
            self.note(id, Note::SitemapMissing);
        }
    }

    /// Whether the settings name this very sitemap.
    pub(super) fn is_named_sitemap(&self, id: AddressId) -> bool {
        match &self.settings.sitemap {
            SitemapRule::At(url) => url.as_str() == self.address(id),
            SitemapRule::Auto | SitemapRule::None | SitemapRule::Named => false,
        }
    }

    /// Judges the fragments of an address, once it is known where it ends.
    pub(super) fn judge_places(&mut self, id: AddressId) {
        let State::Settled(judged) = self.entry(id).state else { return };
        if !matches!(judged.verdict, Verdict::Sound | Verdict::Moved) {
            return;
        }
        let mut at = id;
        while let State::Settled(Judged { next: Some(next), .. }) = self.entry(at).state {
            if self.entry(at).own_fragment {
                return;
            }
            at = next;
        }
        for (fragment, place) in self.places.poll_missing(id, judged.last) {
            self.progress.broken += u64::from(place == Place::Missing);
            self.events.push_back(Event::NoPlace { id, fragment, place });
        }
    }
}

fn is_success(ending: &Ending) -> bool {
    matches!(ending, Ending::Answer(answer) if answer.is_success())
}

pub(super) fn judged(id: AddressId, judgement: Judgement, status: Option<u16>) -> Judged {
    let Judgement { verdict, cause } = judgement;
    Judged { linked: false, ..Judged::without_hops(id, verdict, cause, status) }
}
