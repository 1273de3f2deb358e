//! A chain of redirects with its cookies.

use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};

use url::Url;

use crate::evidence::{ResponseHead, SetCookie};
use crate::url::reference::{Reference, resolve};
use crate::verdict::ChainFault;

/// No chain needs more cookies than this.
const MOST_COOKIES: usize = 50;

/// A chain that is being followed.
#[derive(Debug)]
pub(super) struct Chain {
    /// The hop that is requested next.
    at: Url,
    /// Hosts and cookies.
    jar: Vec<(String, SetCookie)>,
    hops: u32,
    url: HashSet<u64>,
}

impl Chain {
    pub(super) fn new(at: Url) -> Chain {
        Chain { at, jar: Vec::new(), hops: 0, url: HashSet::new() }
    }

    pub(super) fn at(&self) -> &Url {
        &self.at
    }

    /// How many redirects were followed.
    pub(super) fn hops(&self) -> u32 {
        self.hops
    }

    pub(super) fn url(&self) -> &str {
        self.at.as_str()
    }

    /// The `Cookie` header for the next hop.
    pub(super) fn cookies(&self) -> Option<String> {
        let host = self.at.host_str().unwrap_or_default();
        let own_host = self.jar.iter().filter(|(of, _)| of == host);
        let pairs: Vec<String> =
            own_host.map(|(_, cookie)| format!("{}={}", cookie.name, cookie.value)).collect();
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

    /// Whether the same URL was requested with the same cookies before.
    pub(super) fn is_seen(&mut self) -> bool {
        let mut hash = DefaultHasher::new();
        self.at.as_str().hash(&mut hash);
        for (host, cookie) in &self.jar {
            (host, &cookie.name, cookie.hash).hash(&mut hash);
        }
        !self.url.insert(hash.finish())
    }

    /// A hop redirects: whether, and why, the chain ends there.
    pub(super) fn handle_redirect(
        &mut self,
        answer: &ResponseHead,
        most: u32,
    ) -> Result<(), ChainFault> {
        self.keep(&answer.cookies);
        let location = answer.location.as_deref().filter(|location| !location.trim().is_empty());
        let Some(Reference::Web { url, .. }) = location.map(|to| resolve(&self.at, to)) else {
            return Err(ChainFault::None);
        };
        self.at = url;
        self.hops += 1;
        if self.hops > most {
            Err(ChainFault::TooMany)
        } else if self.is_seen() {
            Err(ChainFault::Loop)
        } else {
            Ok(())
        }
    }
}
