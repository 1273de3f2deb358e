//! Adds the user's headers to requests, where their origin allows it.

use std::collections::BTreeSet;
use std::sync::{Mutex, PoisonError};

use http::header::{self, HeaderMap, HeaderName, HeaderValue};
use rummage_core::url::credentials::{CredentialScope, origin_of};
use rummage_core::url::scope::Scope;
use url::Url;

/// No more origins than this are named to the user.
const MOST_ORIGINS: usize = 20;

/// Headers that the user gives, and where they are sent. Any of them may be a secret.
#[derive(Debug, Clone, Default)]
pub struct Credentials {
    /// The headers.
    pub headers: Vec<(HeaderName, HeaderValue)>,
    /// The origins that receive them.
    pub scope: CredentialScope,
}

/// Credentials in use.
pub(crate) struct Sender {
    credentials: Credentials,
    /// Origins of the site that were requested without credentials.
    withheld: Mutex<BTreeSet<String>>,
}

impl Sender {
    pub(crate) fn new(credentials: Credentials) -> Sender {
        Sender { credentials, withheld: Mutex::default() }
    }

    /// Adds the headers to those of a request for this URL.
    pub(crate) fn add_to(&self, headers: &mut HeaderMap, url: &Url, scope: Scope) {
        if self.is_withheld_from(url) {
            if scope == Scope::Internal {
                self.handle_withheld(url);
            }
            return;
        }
        for (name, value) in &self.credentials.headers {
            // The cookies of the chain and the user's go into one header.
            let own = headers.get(name).filter(|_| *name == header::COOKIE);
            let both = own.map(|own| [own.as_bytes(), b"; ", value.as_bytes()].concat());
            let value = match both {
                Some(both) => HeaderValue::from_bytes(&both).expect("both were valid values"),
                None => value.clone(),
            };
            headers.insert(name.clone(), value);
        }
    }

    /// Whether there are headers that are not sent to this URL.
    pub(crate) fn is_withheld_from(&self, url: &Url) -> bool {
        !self.credentials.headers.is_empty() && !self.credentials.scope.includes(url)
    }

    fn handle_withheld(&self, url: &Url) {
        let mut withheld = self.withheld.lock().unwrap_or_else(PoisonError::into_inner);
        if withheld.len() < MOST_ORIGINS {
            withheld.insert(origin_of(url));
        }
    }

    /// Origins of the site that were requested without credentials, sorted.
    pub(crate) fn withheld(&self) -> Vec<String> {
        let withheld = self.withheld.lock().unwrap_or_else(PoisonError::into_inner);
        withheld.iter().cloned().collect()
    }
}
