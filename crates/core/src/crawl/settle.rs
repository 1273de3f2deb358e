//! From replies to verdicts: who is asked again, who follows whom, what is said.

use url::Url;

use super::entry::{Entry, State};
use super::{AddressId, Crawl, Event, Judged, Note, Place, Reply, SitemapRule, StartProblem};
use crate::Moment;
use crate::address::{Reference, resolve};
use crate::frontier::Job;
use crate::outcome::{Answer, DnsFailure, Ending, Failure, Method};
use crate::reading::{Format, Reading};
use crate::scope::Scope;
use crate::verdict::{Cause, Judgement, Verdict, Way, judge};

/// So many missing addresses of one server are confirmed; the rest stands by the sample.
const CONFIRMED_PER_SERVER: u32 = 50;

impl Crawl {
    /// Takes a reply in, whether it came just now or in an earlier part of the run.
    pub(super) fn take_in(&mut self, now: Moment, reply: Reply) {
        let Reply { id, attempt, reading } = reply;
        let ending = attempt.ending.clone();
        let by_get = attempt.method == Method::Get;
        let entry = self.entry_mut(id);
        entry.tries += u32::from(by_get);
        entry.by_get |= by_get;
        entry.confirmed |= std::mem::take(&mut entry.confirming);
        let gap = self.gap(id, by_get, &ending);
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        let again = gap.is_some() || (!by_get && !is_direct_success(&ending));
        self.events.push_back(Event::Asked { id, attempt, title, again });
        if !by_get && !is_direct_success(&ending) {
            self.entry_mut(id).by_get = true;
            self.queue(id, false, true);
        } else if let Some(gap) = gap {
            self.ask_later(now + gap, id);
        } else if self.start.is_current(id) {
            self.take_in_start(id, &ending, reading);
        } else {
            self.conclude(id, &ending, reading);
        }
    }

    fn gap(&self, id: AddressId, by_get: bool, ending: &Ending) -> Option<std::time::Duration> {
        // While there is another start to try, no time is spent on this one.
        let hurried = self.start.is_current(id) && self.start.has_another();
        let tries = self.entry(id).tries;
        by_get.then(|| self.settings.retry.gap(tries, ending)).flatten().filter(|_| !hurried)
    }

    fn ask_later(&mut self, due: Moment, id: AddressId) {
        let entry = self.entry_mut(id);
        entry.ticket += 1;
        entry.state = State::Later;
        let job = Job { address: id, ticket: entry.ticket, later: true };
        if let Some(server) = entry.server {
            self.frontier.push_at(due, server, job);
        }
        self.admit(|admission| admission.handle_delayed(id));
    }

    fn take_in_start(&mut self, id: AddressId, ending: &Ending, reading: Option<Reading>) {
        let address = self.address(id).to_owned();
        match ending {
            Ending::Answer(answer) if answer.is_redirect() => {
                match self
                    .location(id, answer)
                    .filter(|_| self.entry(id).chain < self.settings.hops)
                {
                    Some((next, own_fragment)) if !self.leads_back(id, next) => {
                        self.start.handle_hop(next);
                        self.follow(id, answer, next, own_fragment);
                    }
                    _ => self.handle_start_failed(StartProblem::Redirects { address }),
                }
            }
            Ending::Answer(answer) if (200..300).contains(&answer.status) => {
                if answer.is_html() {
                    self.take_start(id, ending, reading);
                } else {
                    let media_type = answer.media_type.clone();
                    self.handle_start_failed(StartProblem::NotHtml { address, media_type });
                }
            }
            _ => {
                let ending = ending.clone();
                self.handle_start_failed(StartProblem::NoPage { address, ending });
            }
        }
    }

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
        if let Ending::Answer(answer) = ending {
            self.entry_mut(id).html = answer.is_html();
        }
        let was_read = self.take_page(id, reading);
        if !was_read && self.entry(id).scope == Scope::Internal {
            self.admit(|admission| admission.handle_no_page(id, Vec::new()));
        }
        let judgement = self.judge(id, ending);
        self.settle(id, judged(id, judgement, ending.status()));
    }

    /// What an ending says of an address. A form without what a visitor would fill in
    /// may well be refused: only what is missing or fails counts.
    fn judge(&self, id: AddressId, ending: &Ending) -> Judgement {
        let entry = self.entry(id);
        let refused = matches!(ending.status(), Some(400..=403 | 405..=409 | 411..=499));
        if entry.uses.only_form() && refused {
            return Judgement { verdict: Verdict::Sound, cause: None };
        }
        judge(ending, Way::Direct, entry.scope)
    }

    /// More than a form names an address that only a form could be refused by.
    pub(super) fn judge_anew(&mut self, id: AddressId, settled: &Judged) {
        let refused = settled.status.filter(|status| (400..500).contains(status));
        if let (Verdict::Sound, Some(status)) = (settled.verdict, refused) {
            let ending = Ending::Answer(Answer { status, ..Answer::default() });
            let judgement = self.judge(id, &ending);
            self.settle(id, judged(id, judgement, Some(status)));
        }
    }

    /// Takes what was read, where it is the site's. Gives whether it was a page and
    /// its links were taken.
    fn take_page(&mut self, id: AddressId, reading: Option<Reading>) -> bool {
        let Some(reading) = reading else { return false };
        let Entry { uses, scope, .. } = *self.entry(id);
        let is_page = reading.format.is_page();
        let to_follow = match reading.format {
            Format::Html | Format::Xhtml => {
                scope == Scope::Internal && uses.visit() && self.not_read(id).is_none()
            }
            Format::Css => scope == Scope::Internal && self.not_read(id).is_none(),
            Format::Sitemap => true,
            Format::Robots => {
                self.take_rules(id, &reading);
                true
            }
        };
        if is_page && scope == Scope::Internal && !reading.cut {
            self.places.handle_page(id, reading.places().clone());
        }
        if to_follow {
            self.take_links(id, reading);
        }
        to_follow && is_page
    }

    fn conclude_redirect(&mut self, id: AddressId, ending: &Ending, answer: &Answer) {
        let broken = |cause| judged(id, Judgement::broken(cause), ending.status());
        let Some((next, own_fragment)) = self.location(id, answer) else {
            return self.settle(id, broken(Cause::BadRedirect));
        };
        if self.leads_back(id, next) {
            return self.settle(id, broken(Cause::RedirectLoop));
        }
        if self.entry(id).chain >= self.settings.hops {
            return self.settle(id, broken(Cause::RedirectLimit));
        }
        if self.entry(id).uses.robots() && self.waits_for_rules(next) {
            // It leads to a page, and that page waits for it: there are no rules.
            let sound = Judgement { verdict: Verdict::Sound, cause: Some(Cause::Redirected) };
            return self.settle(id, judged(id, sound, ending.status()));
        }
        self.follow(id, answer, next, own_fragment);
    }

    /// The address that a redirect leads to, and whether `Location` has a fragment.
    fn location(&mut self, id: AddressId, answer: &Answer) -> Option<(AddressId, bool)> {
        let base = Url::parse(self.address(id)).ok()?;
        let location = answer.location.as_deref().filter(|l| !l.trim().is_empty())?;
        let Reference::Web { address, fragment } = resolve(&base, location) else { return None };
        let (depth, chain) = (self.entry(id).depth, self.entry(id).chain);
        Some((self.hear(&address, depth, chain + 1), fragment.is_some()))
    }

    /// Whether the way from there comes back here.
    fn leads_back(&self, id: AddressId, next: AddressId) -> bool {
        let mut at = next;
        while at != id {
            match self.entry(at).state {
                State::Follows(on) => at = on,
                _ => return false,
            }
        }
        true
    }

    /// The verdict of `id` follows from that of `next`.
    fn follow(&mut self, id: AddressId, answer: &Answer, next: AddressId, own_fragment: bool) {
        let permanent = answer.is_permanent_redirect();
        let entry = self.entry_mut(id);
        entry.permanent = permanent;
        entry.own_fragment = own_fragment;
        entry.state = State::Follows(next);
        let (uses, depth) = (entry.uses, entry.depth);
        // By GET all the way, as this one was asked.
        self.entry_mut(next).by_get = true;
        let may_replace = self.admission.is_some() && self.start.bounds().is_some();
        if self.start.bounds().is_none() {
            // Before the bounds are known, nothing keeps the start's hops from being asked.
            let next_entry = self.entry_mut(next);
            next_entry.uses = next_entry.uses.and(uses);
            if matches!(next_entry.state, State::Unasked(_)) {
                self.progress.known += 1;
                self.queue(next, false, true);
            }
        } else {
            self.use_address(next, uses, depth);
        }
        if may_replace {
            let leads_to = match self.entry(next).scope {
                Scope::Internal => vec![next],
                Scope::External => Vec::new(),
            };
            self.admit(|admission| admission.handle_no_page(id, leads_to));
        }
        match self.entry(next).state {
            State::Settled(settled) => self.settle_follower(id, next, &settled),
            _ => self.followers.entry(next).or_default().push(id),
        }
    }

    /// An address has its verdict, and so have those that lead to it.
    pub(super) fn settle(&mut self, id: AddressId, judged: Judged) {
        self.set_judged(id, judged);
        let mut settled = vec![id];
        while let Some(next) = settled.pop() {
            let State::Settled(judged) = self.entry(next).state else { continue };
            for follower in self.followers.remove(&next).unwrap_or_default() {
                if self.entry(follower).state == State::Follows(next) {
                    let own = self.by_way_of(follower, next, &judged);
                    self.set_judged(follower, own);
                    settled.push(follower);
                }
            }
        }
    }

    fn settle_follower(&mut self, id: AddressId, next: AddressId, settled: &Judged) {
        let judged = self.by_way_of(id, next, settled);
        self.settle(id, judged);
    }

    /// The verdict of an address that redirects to one with a verdict.
    fn by_way_of(&self, id: AddressId, next: AddressId, settled: &Judged) -> Judged {
        let permanent = self.entry(id).permanent;
        let mut judged = Judged { next: Some(next), hops: settled.hops + 1, ..*settled };
        judged.moved_to = None;
        if judged.hops > self.settings.hops {
            let judgement = Judgement::broken(Cause::RedirectLimit);
            (judged.verdict, judged.cause) = (judgement.verdict, judgement.cause);
        } else if matches!(settled.verdict, Verdict::Sound | Verdict::Moved) {
            (judged.verdict, judged.cause) = if permanent {
                judged.moved_to = settled.moved_to.or(Some(next));
                (Verdict::Moved, Some(Cause::MovedPermanently))
            } else {
                (Verdict::Sound, Some(Cause::Redirected))
            };
        }
        judged
    }

    fn set_judged(&mut self, id: AddressId, mut judged: Judged) {
        let entry = self.entry(id);
        judged.linked = entry.linked;
        let is_page = judged.verdict == Verdict::Sound
            && entry.scope == Scope::Internal
            && entry.html
            && entry.uses.visit();
        judged.not_read = self.not_read(id).filter(|_| is_page);
        let was_broken = match self.entry(id).state {
            State::Settled(before) => before.verdict == Verdict::Broken,
            _ => false,
        };
        self.entry_mut(id).state = State::Settled(judged);
        // What was not asked, for want of a server or by a rule, is not work done.
        let asked = self.entry(id).server.is_some() && judged.verdict != Verdict::Skipped;
        self.progress.done += u64::from(asked);
        if judged.verdict == Verdict::Broken && !was_broken {
            self.progress.broken += 1;
        }
        self.events.push_back(Event::Judged { id, judged });
        self.judge_places(id);
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
            SitemapRule::Auto | SitemapRule::None => false,
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

    /// Whether an address about to be called missing is to be asked once more, near the end.
    fn wants_confirmation(&mut self, id: AddressId, ending: &Ending) -> bool {
        let missing = match ending {
            Ending::Answer(answer) => matches!(answer.status, 404 | 410),
            Ending::Failure(failure) => *failure == Failure::Dns(DnsFailure::NoSuchName),
        };
        let entry = self.entry(id);
        let (Some(server), false) = (entry.server, entry.confirmed) else { return false };
        // Nobody is told that robots.txt or the usual sitemap is missing.
        let matters = entry.linked || !(entry.uses.robots() || entry.uses.only_sitemap());
        if !matters || !missing || self.settings.retry.attempts < 2 {
            return false;
        }
        let count = self.confirmations.entry(server).or_default();
        *count += 1;
        *count <= CONFIRMED_PER_SERVER
    }
}

fn is_direct_success(ending: &Ending) -> bool {
    ending.status().is_some_and(|status| (200..300).contains(&status))
}

fn judged(id: AddressId, judgement: Judgement, status: Option<u16>) -> Judged {
    Judged {
        verdict: judgement.verdict,
        cause: judgement.cause,
        status,
        next: None,
        last: id,
        hops: 0,
        moved_to: None,
        not_read: None,
        linked: false,
    }
}
