//! What a crawl keeps of each address.

use super::messages::{AddressId, Judged, Kind};
use crate::extract::elements::{Element, Purpose};
use crate::frontier::ServerId;
use crate::scope::Scope;
use crate::verdict::Cause;

/// One address.
#[derive(Debug)]
pub(super) struct Entry {
    /// `None` for what is not asked over HTTP.
    pub(super) server: Option<ServerId>,
    pub(super) scope: Scope,
    /// Links away from the start, by the shortest way known so far.
    pub(super) depth: u32,
    /// Redirects on the way here, by the way it was first heard of.
    pub(super) chain: u32,
    pub(super) state: State,
    /// A rule of the settings leaves it out.
    pub(super) excluded: bool,
    pub(super) uses: Uses,
    /// Some link names it.
    pub(super) linked: bool,
    /// Only the job with this ticket holds.
    pub(super) ticket: u32,
    /// The request in flight is an attempt after the first.
    pub(super) later: bool,
    /// GET requests that have ended.
    pub(super) tries: u32,
    /// HEAD was tried and is not to be trusted here.
    pub(super) by_get: bool,
    /// The attempt under way checks a 404, 410 or NXDOMAIN.
    pub(super) confirming: bool,
    /// It was confirmed already.
    pub(super) confirmed: bool,
    /// Its last answer was HTML.
    pub(super) html: bool,
    /// Its links were taken.
    pub(super) read: bool,
    /// It redirects for good.
    pub(super) permanent: bool,
    /// Its `Location` brought a fragment of its own.
    pub(super) own_fragment: bool,
}

impl Entry {
    /// What is known of an address before anything is.
    pub(super) fn unknown() -> Entry {
        Entry {
            server: None,
            scope: Scope::External,
            depth: u32::MAX,
            chain: 0,
            state: State::Unasked(Cause::ServiceLink),
            excluded: false,
            uses: Uses::NONE,
            linked: false,
            ticket: 0,
            later: false,
            tries: 0,
            by_get: false,
            confirming: false,
            confirmed: false,
            html: false,
            read: false,
            permanent: false,
            own_fragment: false,
        }
    }
}

/// For what links use an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Uses {
    /// Some link leads a visitor there.
    pub(super) visit: bool,
    /// Something else than pictures, sound and the like names it.
    pub(super) more_than_media: bool,
    /// Something else than links for programs names it.
    pub(super) more_than_service: bool,
    /// What a browser would expect, by the first link that is for visitors.
    pub(super) kind: Kind,
}

impl Uses {
    /// No use so far.
    pub(super) const NONE: Uses =
        Uses { visit: false, more_than_media: false, more_than_service: false, kind: Kind::Any };

    /// The use of a start: a visit.
    pub(super) const VISIT: Uses =
        Uses { visit: true, more_than_media: true, more_than_service: true, kind: Kind::Page };

    /// The use that one link makes.
    pub(super) fn of(element: Element, rel: Option<&str>) -> Uses {
        match element.purpose(rel) {
            Purpose::Visit => Uses::VISIT,
            Purpose::Part => Uses { visit: false, kind: Kind::Any, ..Uses::VISIT },
            Purpose::Media => {
                let kind = if element.name() == "img" { Kind::Image } else { Kind::Any };
                Uses { more_than_service: true, kind, ..Uses::NONE }
            }
            Purpose::Service => Uses::NONE,
        }
    }

    /// Both uses.
    pub(super) fn and(self, other: Uses) -> Uses {
        let kind = match (self.kind, other.kind) {
            (Kind::Page, _) | (_, Kind::Page) => Kind::Page,
            (Kind::Any, kind) | (kind, _) => kind,
        };
        Uses {
            visit: self.visit || other.visit,
            more_than_media: self.more_than_media || other.more_than_media,
            more_than_service: self.more_than_service || other.more_than_service,
            kind,
        }
    }
}

/// Where an address is on its way to a verdict.
///
/// ```text
///  Unasked ─▶ Queued ─▶ InFlight ─┬▶ Settled
///               ▲          │      └▶ Follows ─▶ Settled
///               ├── Later ◀┤
///               └ Unconfirmed
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum State {
    /// Not to be asked, for this cause; a later link may change that.
    Unasked(Cause),
    /// Waits to be asked.
    Queued,
    /// Is being asked.
    InFlight,
    /// Will be asked again, at a moment that the frontier knows.
    Later,
    /// Seems to be missing; will be asked once more when nothing else is left.
    Unconfirmed,
    /// Redirects; its verdict follows from that of this address.
    Follows(AddressId),
    /// Has its verdict.
    Settled(Judged),
}
