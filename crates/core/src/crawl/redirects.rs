//! From hop to hop: where a redirect leads, whose verdict follows from whose.

use url::Url;

use super::entry::{Entry, State};
use super::settle::judged;
use super::{AddressId, Crawl, Judged};
use crate::evidence::landing::sent;
use crate::evidence::{Answer, Ending};
use crate::url::reference::{Reference, resolve};
use crate::url::scope::Scope;
use crate::verdict::{Cause, Clues, Hops, Judgement, Verdict, Way};

impl Crawl {
    pub(super) fn conclude_redirect(&mut self, id: AddressId, ending: &Ending, answer: &Answer) {
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

    pub(super) fn may_start_need_cookies(&mut self, id: AddressId, answer: &Answer) -> bool {
        self.entry_mut(id).sets_cookie = !answer.cookies.is_empty();
        let cycle = match self.location(id, answer) {
            Some((next, _)) => self.leads_back(id, next) && self.cycle_sets_cookie(id, next),
            None => false,
        };
        cycle && !self.entry(id).with_cookies
    }

    /// The address that a redirect leads to, and whether `Location` has a fragment.
    pub(super) fn location(&mut self, id: AddressId, answer: &Answer) -> Option<(AddressId, bool)> {
        let base = Url::parse(self.address(id)).ok()?;
        let location = answer.location.as_deref().filter(|l| !l.trim().is_empty())?;
        let Reference::Web { address, fragment } = resolve(&base, location) else { return None };
        let (depth, chain) = (self.entry(id).depth, self.entry(id).chain);
        Some((self.hear(&address, depth, chain + 1), fragment.is_some()))
    }

    /// Whether the way from there comes back here.
    pub(super) fn leads_back(&self, id: AddressId, next: AddressId) -> bool {
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
    pub(super) fn follow(
        &mut self,
        id: AddressId,
        answer: &Answer,
        next: AddressId,
        own_fragment: bool,
    ) {
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

    /// The addresses that redirect to this one, as far as is known by now.
    pub(super) fn followers_of(&self, id: AddressId) -> Vec<AddressId> {
        let known = self.followers.get(&id).map(Vec::as_slice).unwrap_or_default();
        let follows = |follower: &AddressId| match self.entry(*follower).state {
            State::Follows(next) | State::Settled(Judged { next: Some(next), .. }) => next == id,
            _ => false,
        };
        known.iter().copied().filter(follows).collect()
    }

    pub(super) fn settle_follower(&mut self, id: AddressId, next: AddressId, settled: &Judged) {
        let judged = self.by_way_of(id, next, settled);
        if self.may_need_cookies(id, &judged) {
            self.begin_chain(id);
        } else {
            self.settle(id, judged);
        }
    }

    /// The verdict of an address that redirects to one with a verdict.
    pub(super) fn by_way_of(&self, id: AddressId, next: AddressId, settled: &Judged) -> Judged {
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
}
