//! Chains of redirects that need their cookies: walked once more, from the first hop,
//! each hop with what those before it have set.
//!
//! Cookies live for one chain, are sent back to the host that set them alone
//! (RFC 6265 §5.4, without `Domain`), and are forgotten at its end. A chain is walked
//! so only where without cookies it goes round in a circle or ends badly.

use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};

use url::Url;

use super::entry::State;
use super::{AddressId, Crawl, Judged, Response};
use crate::Moment;
use crate::evidence::{Answer, Ending, SetCookie};
use crate::extract::reading::Reading;
use crate::url::reference::{Reference, resolve};
use crate::verdict::{Cause, Clues, Hops, Verdict, Way};

/// More cookies than this no chain needs.
const MOST_COOKIES: usize = 50;

/// One chain that is being walked.
#[derive(Debug)]
pub(super) struct Chain {
    /// The hop that is asked next.
    at: Url,
    /// Host and cookie.
    jar: Vec<(String, SetCookie)>,
    hops: u32,
    seen: HashSet<u64>,
}

impl Chain {
    fn new(at: Url) -> Chain {
        Chain { at, jar: Vec::new(), hops: 0, seen: HashSet::new() }
    }

    pub(super) fn address(&self) -> &str {
        self.at.as_str()
    }

    /// The `Cookie` field for the next hop.
    pub(super) fn cookies(&self) -> Option<String> {
        let host = self.at.host_str().unwrap_or_default();
        let own = self.jar.iter().filter(|(of, _)| of == host);
        let pairs: Vec<String> =
            own.map(|(_, cookie)| format!("{}={}", cookie.name, cookie.value)).collect();
        (!pairs.is_empty()).then(|| pairs.join("; "))
    }

    fn keep(&mut self, cookies: &[SetCookie]) {
        let host = self.at.host_str().unwrap_or_default().to_owned();
        for cookie in cookies {
            self.jar.retain(|(of, known)| *of != host || known.name != cookie.name);
            if !cookie.expired && self.jar.len() < MOST_COOKIES {
                self.jar.push((host.clone(), cookie.clone()));
            }
        }
    }

    /// Whether the same address was asked with the same cookies before.
    fn is_seen(&mut self) -> bool {
        let mut hash = DefaultHasher::new();
        self.at.as_str().hash(&mut hash);
        for (host, cookie) in &self.jar {
            (host, &cookie.name, cookie.hash).hash(&mut hash);
        }
        !self.seen.insert(hash.finish())
    }
}

impl Crawl {
    /// Whether a chain may end otherwise with the cookies that its hops set.
    pub(super) fn may_need_cookies(&self, id: AddressId, judged: &Judged) -> bool {
        let ends_badly = match judged.verdict {
            Verdict::Broken | Verdict::Doubtful => {
                judged.cause == Some(Cause::RedirectLoop) || judged.status.is_some()
            }
            Verdict::Sound | Verdict::Moved | Verdict::Skipped => false,
        };
        ends_badly && !self.entry(id).with_cookies && self.sets_cookie_on_the_way(id)
    }

    fn sets_cookie_on_the_way(&self, id: AddressId) -> bool {
        let mut at = id;
        for _ in 0..=self.settings.hops {
            if self.entry(at).sets_cookie {
                return true;
            }
            at = match self.entry(at).state {
                State::Follows(next) => next,
                State::Settled(Judged { next: Some(next), .. }) => next,
                _ => return false,
            };
        }
        false
    }

    /// Walks a chain from its first hop, with cookies.
    pub(super) fn begin_chain(&mut self, id: AddressId) {
        let url = Url::parse(self.address(id)).expect("normal forms can be parsed");
        let mut chain = Chain::new(url);
        chain.is_seen();
        self.chains.insert(id, chain);
        let entry = self.entry_mut(id);
        entry.with_cookies = true;
        entry.by_get = true;
        entry.tries = 0;
        if matches!(entry.state, State::Settled(_)) {
            self.progress.done -= 1;
        }
        self.queue(id, false, true);
    }

    /// Chains that were being walked when the run was stopped begin anew: what their
    /// cookies held was not kept.
    pub(super) fn begin_chains_anew(&mut self) {
        let ids: Vec<AddressId> = self.chains.keys().copied().collect();
        for id in ids {
            self.begin_chain(id);
        }
    }

    /// Takes in the reply of a hop of a chain with cookies. Gives it back when it is none.
    pub(super) fn take_in_chain(
        &mut self,
        now: Moment,
        id: AddressId,
        response: Response,
    ) -> Option<Response> {
        let Some(mut chain) = self.chains.remove(&id) else { return Some(response) };
        let own = chain.address() == self.address(id);
        let Response { mut attempt, reading } = response;
        attempt.hop = (!own).then(|| chain.address().to_owned());
        let ending = attempt.ending.clone();
        self.entry_mut(id).tries += 1;
        let gap = self.settings.retry.gap(self.entry(id).tries, &ending);
        let goes_on = matches!(&ending, Ending::Answer(answer) if answer.is_redirect());
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        let again = gap.is_some() || goes_on;
        self.tell_asked(id, attempt, title, again);
        if let Some(gap) = gap {
            self.chains.insert(id, chain);
            self.ask_later(now + gap, id);
            return None;
        }
        if let Ending::Answer(answer) = &ending
            && answer.is_redirect()
        {
            match self.next_hop(&mut chain, answer) {
                Ok(()) => {
                    self.chains.insert(id, chain);
                    self.entry_mut(id).tries = 0;
                    self.queue(id, false, true);
                }
                Err(hops) => self.end_chain(id, &chain, &ending, hops, None),
            }
            return None;
        }
        self.end_chain(id, &chain, &ending, Hops::Fine, reading);
        None
    }

    fn next_hop(&mut self, chain: &mut Chain, answer: &Answer) -> Result<(), Hops> {
        chain.keep(&answer.cookies);
        let location = answer.location.as_deref().filter(|location| !location.trim().is_empty());
        let Some(Reference::Web { address, .. }) = location.map(|to| resolve(&chain.at, to)) else {
            return Err(Hops::Fine);
        };
        chain.at = address;
        chain.hops += 1;
        if chain.hops > self.settings.hops {
            Err(Hops::TooMany)
        } else if chain.is_seen() {
            Err(Hops::Loop)
        } else {
            Ok(())
        }
    }

    fn end_chain(
        &mut self,
        id: AddressId,
        chain: &Chain,
        ending: &Ending,
        hops: Hops,
        reading: Option<Reading>,
    ) {
        let last = self.hear(&chain.at, u32::MAX, chain.hops);
        let is_start = self.start.is_current(id);
        if is_start && !matches!(ending, Ending::Answer(answer) if answer.is_redirect()) {
            if last == id {
                return self.take_in_start(id, ending, reading);
            }
            // The site is where the chain ends; its first address follows from that.
            self.start.handle_hop(last);
            self.entry_mut(id).state = State::Follows(last);
            self.followers.entry(last).or_default().push(id);
            let uses = self.entry(id).uses;
            let entry = self.entry_mut(last);
            entry.uses = entry.uses.and(uses);
            entry.depth = 0;
            entry.with_cookies = true;
            return self.take_in_start(last, ending, reading);
        }
        if is_start {
            let address = chain.address().to_owned();
            return self.handle_start_failed(super::StartProblem::Redirects { address });
        }
        if let Ending::Answer(answer) = ending {
            self.entry_mut(id).html = answer.is_html() && last == id;
        }
        let was_read = last == id && self.take_page(id, ending, reading);
        if !was_read && self.entry(id).scope == crate::url::scope::Scope::Internal {
            self.admit(|admission| admission.handle_no_page(id, Vec::new()));
        }
        let way = if chain.hops > 0 { Way::Temporary } else { Way::Direct };
        let clues = Clues { hops, ..self.clues(id) };
        let judgement = self.judge_at(last, ending, way, clues);
        let mut judged = super::settle::judged(id, judgement, ending.status());
        (judged.last, judged.hops) = (last, chain.hops);
        self.settle(id, judged);
        if last != id {
            let (uses, depth) = (self.entry(id).uses, self.entry(id).depth);
            self.use_address(last, uses.by_redirect(), depth);
        }
    }
}
