//! From replies to verdicts: who is asked again, who follows whom, what is said.

use std::time::Duration;

use url::Url;

use super::entry::{Entry, State};
use super::refusals::Sign;
use super::watching::asks_for_too_long;
use super::{
    AddressId, Crawl, Event, Fragments, Judged, Note, Place, Reply, SitemapRule, StartProblem,
};
use crate::Moment;
use crate::address::{Reference, resolve};
use crate::frontier::{Job, ServerId, Turn};
use crate::network::is_loopback;
use crate::outcome::{Answer, Attempt, DnsFailure, Ending, Failure, Method};
use crate::reading::{Format, Reading};
use crate::scope::Scope;
use crate::sent::sent;
use crate::verdict::{Asked, Cause, Clues, Hops, Judgement, Verdict, Way, judge};

/// So many missing addresses of one server are confirmed; the rest stands by the sample.
const CONFIRMED_PER_SERVER: u32 = 50;

/// What failed under strain is asked again so soon: the pace is slower by then.
const BREATH: Duration = Duration::from_secs(1);

impl Crawl {
    /// Takes a reply in, whether it came just now or in an earlier part of the run.
    pub(super) fn take_in(&mut self, now: Moment, reply: Reply) {
        let Some(reply) = self.take_in_beside(now, reply) else { return };
        let Some(reply) = self.take_in_chain(now, reply) else { return };
        let Reply { id, mut attempt, reading } = reply;
        let Some(server) = self.entry(id).server else { return };
        let ending = attempt.ending.clone();
        let by_get = attempt.method == Method::Get;
        if !by_get && !self.is_believed(server, id, &ending) {
            self.entry_mut(id).by_get = true;
            self.events.push_back(Event::Asked { id, attempt, title: None, again: true });
            return self.queue(id, false, true);
        }
        if by_get && !ending.may_pass() {
            self.compare_with_head(server, id, &ending);
        }
        self.watch_line(now, server, id, &ending);
        if !self.entry(id).uses.only_form() {
            self.watch(now, server, id, &attempt);
        }
        attempt.strained |= !self.replaying && self.is_due_to_strain(now, server, id, &ending);
        let next = self.next_attempt(now, server, id, &attempt);
        attempt.strained |= matches!(next, Next::WhenAsked(_));
        let entry = self.entry_mut(id);
        entry.by_get |= by_get;
        entry.confirmed |= std::mem::take(&mut entry.confirming);
        entry.asked_at = now.before(attempt.took);
        entry.hung = super::watching::hangs(&ending);
        if attempt.strained {
            entry.strained += 1;
        } else {
            entry.tries += u32::from(by_get);
        }
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        let again = !matches!(next, Next::None);
        self.events.push_back(Event::Asked { id, attempt, title, again });
        match next {
            Next::GiveUp => self.withhold(id, Cause::Timeout),
            Next::At(due) | Next::WhenAsked(due) => {
                self.failures.entry(id).or_default().push(ending.clone());
                let hangs = self.entry(id).hung && !self.frontier.pace(server).has_answered();
                self.frontier.set_on_trial(server, hangs);
                self.ask_later(due, id);
            }
            Next::None if self.is_gone(id) && Sign::of(&ending).is_bad() => {
                self.withhold_of_gone(id);
            }
            Next::None if self.start.is_current(id) => self.take_in_start(id, &ending, reading),
            Next::None => {
                self.handle_hung(server, &ending);
                let ending = self.most_frequent(id, ending);
                self.conclude(id, &ending, reading);
            }
        }
    }

    /// What is told of an address that failed each time: what was seen most often, and of
    /// equals the first. One strange moment is not the whole story.
    fn most_frequent(&mut self, id: AddressId, last: Ending) -> Ending {
        let Some(mut all) = self.failures.remove(&id).filter(|_| last.may_pass()) else {
            return last;
        };
        all.push(last);
        let count = |ending: &Ending| all.iter().filter(|other| *other == ending).count();
        let most = all.iter().rev().max_by_key(|ending| count(ending));
        most.expect("there is one at least").clone()
    }

    /// When an address is asked again after this attempt.
    fn next_attempt(
        &mut self,
        now: Moment,
        server: ServerId,
        id: AddressId,
        attempt: &Attempt,
    ) -> Next {
        let ending = &attempt.ending;
        // While there is another start to try, no time is spent on this one.
        let hurried = self.start.is_current(id) && self.start.has_another();
        if hurried || asks_for_too_long(ending) || attempt.method == Method::Head {
            return Next::None;
        }
        if self.is_gone(id) {
            return Next::None;
        }
        if let Some(moment) = self.asked_to_wait(now, server, ending) {
            return Next::WhenAsked(moment);
        }
        if attempt.strained {
            return Next::At(now + BREATH.min(self.settings.retry.timeout / 4));
        }
        if self.is_hopeless(server, id, ending) {
            return Next::GiveUp;
        }
        match self.settings.retry.gap(self.entry(id).tries + 1, ending) {
            Some(gap) => Next::At(now + gap),
            None => Next::None,
        }
    }

    pub(super) fn ask_later(&mut self, due: Moment, id: AddressId) {
        let entry = self.entry_mut(id);
        entry.ticket += 1;
        entry.state = State::Later;
        let job = Job { address: id, ticket: entry.ticket, turn: Turn::Later };
        if let Some(server) = entry.server {
            self.frontier.push_at(due, server, job);
        }
        self.admit(|admission| admission.handle_delayed(id));
    }

    pub(super) fn take_in_start(
        &mut self,
        id: AddressId,
        ending: &Ending,
        reading: Option<Reading>,
    ) {
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
                    Some(_) | None if self.may_start_need_cookies(id, answer) => {
                        self.begin_chain(id)
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
        let expected = self.settings.expects(self.address(id)).is_some();
        if !expected && !self.entry(id).uses.only_form() && self.waits_for_witness(id, ending) {
            return;
        }
        if let Ending::Answer(answer) = ending {
            self.entry_mut(id).html = answer.is_html() && answer.is_success();
            self.learn_from(id, answer);
        }
        let was_read = self.take_page(id, ending, reading);
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
        if self.entry(id).scope == Scope::Internal && judgement.verdict == Verdict::Doubtful {
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
        let State::Settled(Judged {
            verdict: Verdict::Sound,
            next: None,
            status: Some(status),
            ..
        }) = self.entry(id).state
        else {
            return;
        };
        let ending = Ending::Answer(Answer { status, ..Answer::default() });
        self.settle_ending(id, &ending, self.clues(id));
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
        let Some(reading) = reading.filter(|_| is_success(ending)) else { return false };
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
        let for_places = scope == Scope::Internal || self.entry(id).places_wanted;
        if is_page && for_places && !reading.cut && self.settings.fragments != Fragments::None {
            self.places.handle_page(id, reading.places().clone());
        }
        if to_follow {
            self.take_links(id, reading, upgrades);
        }
        to_follow && is_page
    }

    fn conclude_redirect(&mut self, id: AddressId, ending: &Ending, answer: &Answer) {
        self.entry_mut(id).sets_cookie = !answer.cookies.is_empty();
        let broken = |crawl: &mut Crawl, hops| {
            let clues = Clues { hops, ..Clues::default() };
            let judgement = crawl.judge_at(id, ending, Way::Direct, clues);
            let judged = judged(id, judgement, ending.status());
            if crawl.may_need_cookies(id, &judged) {
                crawl.begin_chain(id);
            } else {
                crawl.settle(id, judged);
            }
        };
        let Some((next, own_fragment)) = self.location(id, answer) else {
            return broken(self, Hops::Fine);
        };
        if self.leads_back(id, next) {
            if self.cycle_sets_cookie(id, next) {
                self.entry_mut(id).sets_cookie = true;
            }
            return broken(self, Hops::Loop);
        }
        if self.entry(id).chain >= self.settings.hops {
            return broken(self, Hops::TooMany);
        }
        if self.entry(id).uses.robots() && self.waits_for_rules(next) {
            // It leads to a page, and that page waits for it: there are no rules.
            let sound = Judgement { verdict: Verdict::Sound, cause: Some(Cause::Redirected) };
            return self.settle(id, judged(id, sound, ending.status()));
        }
        self.follow(id, answer, next, own_fragment);
    }

    /// Whether some hop of a circle sets a cookie: with it, it may be none.
    fn cycle_sets_cookie(&self, id: AddressId, next: AddressId) -> bool {
        let mut at = next;
        while at != id {
            if self.entry(at).sets_cookie {
                return true;
            }
            match self.entry(at).state {
                State::Follows(on) => at = on,
                _ => return false,
            }
        }
        self.entry(id).sets_cookie
    }

    fn may_start_need_cookies(&mut self, id: AddressId, answer: &Answer) -> bool {
        self.entry_mut(id).sets_cookie = !answer.cookies.is_empty();
        let cycle = match self.location(id, answer) {
            Some((next, _)) => self.leads_back(id, next) && self.cycle_sets_cookie(id, next),
            None => false,
        };
        cycle && !self.entry(id).with_cookies
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
        if self.entry(id).places_wanted {
            self.want_places_of(next);
        }
        let uses = uses.by_redirect();
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
            let was_waiting = self.entry(next).state == State::Queued;
            self.use_address(next, uses, depth);
            if !was_waiting {
                self.hasten_hop(next);
            }
        }
        if may_replace {
            let leads_to = match self.entry(next).scope {
                Scope::Internal => vec![next],
                Scope::External => Vec::new(),
            };
            self.admit(|admission| admission.handle_no_page(id, leads_to));
        }
        self.followers.entry(next).or_default().push(id);
        if let State::Settled(settled) = self.entry(next).state {
            self.settle_follower(id, next, &settled);
        }
    }

    /// The next hop of a chain is asked at once, as a browser would.
    fn hasten_hop(&mut self, next: AddressId) {
        let Entry { state: State::Queued, scope: Scope::External, server: Some(server), .. } =
            *self.entry(next)
        else {
            return;
        };
        self.hasten(next);
        self.frontier.grant(server);
    }

    /// An address has its verdict, and so have those that lead to it.
    pub(super) fn settle(&mut self, id: AddressId, judged: Judged) {
        self.set_judged(id, judged);
        let mut settled = vec![id];
        while let Some(next) = settled.pop() {
            let State::Settled(judged) = self.entry(next).state else { continue };
            for follower in self.followers.get(&next).cloned().unwrap_or_default() {
                let follows = match self.entry(follower).state {
                    State::Follows(at) | State::Settled(Judged { next: Some(at), .. }) => {
                        at == next
                    }
                    _ => false,
                };
                if !follows {
                    continue;
                }
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

    fn settle_follower(&mut self, id: AddressId, next: AddressId, settled: &Judged) {
        let judged = self.by_way_of(id, next, settled);
        if self.may_need_cookies(id, &judged) {
            self.begin_chain(id);
        } else {
            self.settle(id, judged);
        }
    }

    /// The verdict of an address that redirects to one with a verdict.
    fn by_way_of(&self, id: AddressId, next: AddressId, settled: &Judged) -> Judged {
        let permanent = self.entry(id).permanent;
        let mut judged = Judged { next: Some(next), hops: settled.hops + 1, ..*settled };
        judged.moved_to = None;
        if judged.hops > self.settings.hops {
            let judgement = Judgement::broken(Cause::RedirectLimit);
            (judged.verdict, judged.cause) = (judgement.verdict, judgement.cause);
        } else if let Some(elsewhere) = self.sent_elsewhere(id, settled) {
            (judged.verdict, judged.cause) = (elsewhere.verdict, elsewhere.cause);
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

    /// What is said where redirects end well, and not where the link wanted to go.
    fn sent_elsewhere(&self, id: AddressId, settled: &Judged) -> Option<Judgement> {
        let uses = self.entry(id).uses;
        if !matches!(settled.verdict, Verdict::Sound | Verdict::Moved) || !uses.visit() {
            return None;
        }
        let from = Url::parse(self.address(id)).ok()?;
        let to = Url::parse(self.address(settled.last)).ok()?;
        let sent = Some(sent(&from, &to, uses.says_home(), uses.says_login())?);
        let ending = Ending::Answer(Answer { status: settled.status?, ..Answer::default() });
        Some(self.judge_at(
            settled.last,
            &ending,
            Way::Temporary,
            Clues { sent, ..Clues::default() },
        ))
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

    /// Whether an address about to be called missing, or refused by the site's own server,
    /// is to be asked once more, near the end.
    fn wants_confirmation(&mut self, id: AddressId, ending: &Ending) -> bool {
        let own = self.entry(id).scope == Scope::Internal && !self.entry(id).uses.only_form();
        let missing = match ending {
            Ending::Answer(answer) => {
                matches!(answer.status, 404 | 410) || (own && matches!(answer.status, 403 | 405))
            }
            Ending::Failure(failure) => *failure == Failure::Dns(DnsFailure::NoSuchName),
        };
        let entry = self.entry(id);
        let (Some(server), false) = (entry.server, entry.confirmed) else { return false };
        // Nobody is told that robots.txt or the usual sitemap is missing.
        let uses = entry.uses;
        let matters = entry.linked || !(uses.robots() || uses.only_sitemap() || uses.made_up());
        if !matters || !missing || self.settings.retry.attempts < 2 {
            return false;
        }
        let count = self.confirmations.entry(server).or_default();
        *count += 1;
        *count <= CONFIRMED_PER_SERVER
    }
}

fn is_success(ending: &Ending) -> bool {
    matches!(ending, Ending::Answer(answer) if answer.is_success())
}

/// When an address is asked again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Next {
    /// Not.
    None,
    /// Not, since its server is silent to all.
    GiveUp,
    /// Then.
    At(Moment),
    /// Then, since its server asks for it: no failure of ours.
    WhenAsked(Moment),
}

pub(super) fn judged(id: AddressId, judgement: Judgement, status: Option<u16>) -> Judged {
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
