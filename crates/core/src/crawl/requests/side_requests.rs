//! Side requests: requests for a URL for other reasons than its own verdict.

use std::collections::BTreeMap;

use crate::crawl::messages::{BodyUse, Kind, ServerId, UrlId};
use crate::evidence::Purpose;

/// Why a side request is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) enum Reason {
    /// It responded before: is its server still available?
    Server(ServerId),
    /// It responded before: is the network still up?
    Network,
    /// Its name was resolved before: is it still?
    Names,
    /// It is a page: is it one even with a browser's `Accept` header for another type?
    Type(Kind),
    /// Which anchors does it have?
    Anchors,
}

impl Reason {
    pub(in crate::crawl) fn purpose(self) -> Purpose {
        match self {
            Reason::Server(_) => Purpose::Server,
            Reason::Network => Purpose::Network,
            Reason::Names => Purpose::Names,
            Reason::Type(_) => Purpose::Type,
            Reason::Anchors => Purpose::Anchors,
        }
    }

    pub(in crate::crawl) fn body(self) -> BodyUse {
        match self {
            Reason::Anchors => BodyUse::Anchors,
            Reason::Server(_) | Reason::Network | Reason::Names | Reason::Type(_) => BodyUse::Drop,
        }
    }

    pub(in crate::crawl) fn kind(self) -> Kind {
        match self {
            Reason::Type(kind) => kind,
            Reason::Server(_) | Reason::Network | Reason::Names | Reason::Anchors => Kind::Page,
        }
    }
}

/// The side requests that are queued or in flight, by their number, which is the ticket of their
/// job.
#[derive(Debug, Default)]
pub(super) struct SideRequests {
    pending: BTreeMap<u32, (UrlId, Reason)>,
    made: u32,
}

impl SideRequests {
    pub(super) fn add(&mut self, id: UrlId, reason: Reason) -> u32 {
        self.made += 1;
        self.pending.insert(self.made, (id, reason));
        self.made
    }

    pub(super) fn reason(&self, number: u32) -> Option<Reason> {
        self.pending.get(&number).map(|(_, reason)| *reason)
    }

    pub(super) fn take(&mut self, number: u32) -> Option<Reason> {
        self.pending.remove(&number).map(|(_, reason)| reason)
    }

    /// Takes the oldest side request with this purpose that waits for a URL.
    pub(super) fn take_waiting(&mut self, id: UrlId, purpose: Purpose) -> Option<Reason> {
        let fits = |(of, reason): &(UrlId, Reason)| *of == id && reason.purpose() == purpose;
        let number = *self.pending.iter().find(|(_, pending)| fits(pending))?.0;
        self.take(number)
    }
}
