//! What makers look at, and where their candidates go.

use std::collections::BTreeMap;

use url::Url;

use crate::mend::folded::Parts;
use crate::mend::known::{Id, KnownUrls};
use crate::mend::{Candidate, Fault, Reason};
use crate::verdict::Cause;

/// What a maker looks at: a URL that parses, without its fragment, and the fault it is from.
pub(super) struct Look<'a> {
    pub(super) url: &'a Url,
    pub(super) parts: Parts,
    pub(super) fault: &'a Fault,
    pub(super) known: &'a KnownUrls,
    /// URLs that nothing links to are worth a try.
    pub(super) guesses: bool,
}

/// Collects candidates: of equal ones, the most plausible.
pub(super) struct Found<'a> {
    pub(super) known: &'a KnownUrls,
    /// The fault's own URL, which is no candidate.
    pub(super) own: &'a str,
    /// How much less plausible than by itself.
    pub(super) discount: u8,
    /// The reason that counts if there is one already.
    pub(super) first: Option<Reason>,
    pub(super) by_url: BTreeMap<String, Candidate>,
}

impl Found<'_> {
    /// Offers a known URL.
    pub(super) fn offer_known(&mut self, id: Id, reason: Reason, score: u8) {
        let url = self.known.url(id).to_owned();
        self.offer(url, reason, score);
    }

    /// Offers a URL that may work.
    pub(super) fn offer(&mut self, url: String, reason: Reason, score: u8) {
        if url == self.own {
            return;
        }
        let is_known = self.known.contains(&url);
        let reason = self.first.unwrap_or(reason);
        let score = score.saturating_sub(self.discount);
        let candidate = Candidate { to: url, reason, score, is_known };
        match self.by_url.get_mut(&candidate.to) {
            Some(best) if best.score >= score => {}
            Some(best) => *best = candidate,
            None => {
                self.by_url.insert(candidate.to.clone(), candidate);
            }
        }
    }
}

/// Causes of a moment or of the server: the URL may be right, so that only its form is in
/// question.
pub(super) fn may_pass(cause: Option<Cause>) -> bool {
    cause.is_some_and(|cause| {
        matches!(
            cause,
            Cause::ServerError
                | Cause::Timeout
                | Cause::Busy
                | Cause::ConnectionReset
                | Cause::Truncated
        )
    })
}
