//! A chain of redirects with its cookies.

use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};

use url::Url;

use super::jar::Jar;
use crate::Moment;
use crate::evidence::ResponseHead;
use crate::url::reference::{Reference, resolve};
use crate::verdict::ChainFault;

/// A chain that is being followed.
#[derive(Debug)]
pub(super) struct Chain {
    /// The hop that is requested next.
    at: Url,
    jar: Jar,
    /// How many redirects led to the first hop.
    before: u32,
    hops: u32,
    seen: HashSet<u64>,
}

impl Chain {
    /// A chain that begins at a URL to which this many redirects have led.
    pub(super) fn new(at: Url, before: u32) -> Chain {
        let mut chain = Chain { at, jar: Jar::default(), before, hops: 0, seen: HashSet::new() };
        chain.is_seen();
        chain
    }

    pub(super) fn at(&self) -> &Url {
        &self.at
    }

    /// How many redirects were followed from its first hop.
    pub(super) fn hops(&self) -> u32 {
        self.hops
    }

    /// How many redirects led here in all, also before its first hop.
    pub(super) fn hops_in_all(&self) -> u32 {
        self.before.saturating_add(self.hops)
    }

    pub(super) fn url(&self) -> &str {
        self.at.as_str()
    }

    /// The `Cookie` header for the next hop.
    pub(super) fn cookies(&self, now: Moment) -> Option<String> {
        self.jar.header(now, &self.at)
    }

    /// Whether the same URL was requested with the same cookies before.
    fn is_seen(&mut self) -> bool {
        let mut hash = DefaultHasher::new();
        self.at.as_str().hash(&mut hash);
        self.jar.hash(&mut hash);
        !self.seen.insert(hash.finish())
    }

    /// A hop redirects: whether, and why, the chain ends there.
    pub(super) fn handle_redirect(
        &mut self,
        now: Moment,
        answer: &ResponseHead,
        most: u32,
    ) -> Result<(), ChainFault> {
        self.jar.handle_response(now, &self.at, &answer.cookies);
        let location = answer.location.as_deref().filter(|location| !location.trim().is_empty());
        let Some(Reference::Web { url, .. }) = location.map(|to| resolve(&self.at, to)) else {
            return Err(ChainFault::None);
        };
        self.at = url;
        self.hops += 1;
        if self.hops_in_all() > most {
            Err(ChainFault::TooMany)
        } else if self.is_seen() {
            Err(ChainFault::Loop)
        } else {
            Ok(())
        }
    }
}
