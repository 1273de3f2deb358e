//! What a crawl keeps of each address.

use super::messages::{AddressId, Judged, Kind};
use crate::extract::elements::Purpose;
use crate::frontier::ServerId;
use crate::reading::Link;
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
    /// It is to be read whatever the bounds say: the start.
    pub(super) always_read: bool,
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
            always_read: false,
            read: false,
            permanent: false,
            own_fragment: false,
        }
    }
}

/// For what links use an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Uses {
    purposes: u8,
    /// What a browser would expect, by the first link that is for visitors.
    pub(super) kind: Kind,
}

impl Uses {
    const PAGE: u8 = 1;
    const SHEET_FILE: u8 = 2;
    const PAGE_LIST: u8 = 4;
    const RULES: u8 = 8;
    const FORM: u8 = 16;
    const PART: u8 = 32;
    const MEDIA: u8 = 64;
    /// By an element whose addresses are not to be asked: no use by itself.
    const LEFT_OUT: u8 = 128;

    const fn new(purposes: u8, kind: Kind) -> Uses {
        Uses { purposes, kind }
    }

    /// No use so far.
    pub(super) const NONE: Uses = Uses::new(0, Kind::Any);
    /// The use of a start: a visit.
    pub(super) const VISIT: Uses = Uses::new(Uses::PAGE, Kind::Page);
    /// The use of robots.txt.
    pub(super) const ROBOTS: Uses = Uses::new(Uses::RULES, Kind::Any);
    /// The use of a sitemap.
    pub(super) const SITEMAP: Uses = Uses::new(Uses::PAGE_LIST, Kind::Any);
    /// That of an element whose addresses are not to be asked.
    pub(super) const IGNORED: Uses = Uses::new(Uses::LEFT_OUT, Kind::Any);

    /// The use that one link makes.
    pub(super) fn of(link: &Link<'_>) -> Uses {
        let Link { element, attribute, rel, .. } = *link;
        let kind = if element.wants_picture(attribute, rel) { Kind::Image } else { Kind::Any };
        match element.purpose(attribute, rel) {
            Purpose::Visit => Uses::VISIT,
            Purpose::Sheet => Uses::new(Uses::SHEET_FILE, Kind::Any),
            Purpose::Sitemap => Uses::SITEMAP,
            Purpose::Form => Uses::new(Uses::FORM, Kind::Page),
            Purpose::Part => Uses::new(Uses::PART, kind),
            Purpose::Media => Uses::new(Uses::MEDIA, kind),
            Purpose::Service => Uses::NONE,
        }
    }

    /// Both uses.
    pub(super) fn and(self, other: Uses) -> Uses {
        let kind = match (self.kind, other.kind) {
            (Kind::Page, _) | (_, Kind::Page) => Kind::Page,
            (Kind::Any, kind) | (kind, _) => kind,
        };
        Uses::new(self.purposes | other.purposes, kind)
    }

    /// Some link leads a visitor there.
    pub(super) fn visit(self) -> bool {
        self.has(Uses::PAGE)
    }

    /// It is used as a style sheet.
    pub(super) fn sheet(self) -> bool {
        self.has(Uses::SHEET_FILE)
    }

    /// It is used as a sitemap.
    pub(super) fn sitemap(self) -> bool {
        self.has(Uses::PAGE_LIST)
    }

    /// It is used as robots.txt.
    pub(super) fn robots(self) -> bool {
        self.has(Uses::RULES)
    }

    /// Only as a sitemap, so that it is a matter of settings whether it is asked.
    pub(super) fn only_sitemap(self) -> bool {
        self.purposes & !Uses::LEFT_OUT == Uses::PAGE_LIST
    }

    /// Only forms name it.
    pub(super) fn only_form(self) -> bool {
        self.purposes & !Uses::LEFT_OUT == Uses::FORM
    }

    /// Its body is read for addresses, so that the rules for robots matter.
    pub(super) fn is_read(self) -> bool {
        self.has(Uses::PAGE | Uses::SHEET_FILE | Uses::PAGE_LIST)
    }

    /// Something else than pictures, sound and the like names it.
    pub(super) fn more_than_media(self) -> bool {
        self.has(!(Uses::MEDIA | Uses::LEFT_OUT))
    }

    /// Something asks for it at all.
    pub(super) fn any(self) -> bool {
        self.has(!Uses::LEFT_OUT)
    }

    /// An element names it whose addresses are not to be asked.
    pub(super) fn left_out(self) -> bool {
        self.has(Uses::LEFT_OUT)
    }

    fn has(self, purposes: u8) -> bool {
        self.purposes & purposes != 0
    }
}

/// Where an address is on its way to a verdict.
///
/// ```text
///  Unasked ─▶ Queued ─▶ InFlight ─┬▶ Settled
///     │  ▲      ▲          │      └▶ Follows ─▶ Settled
///     ▼  └ trap ├── Later ◀┤
///    Held ──────┴ Unconfirmed
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum State {
    /// Not to be asked, for this cause; a later link may change that.
    Unasked(Cause),
    /// Waits until the rules for robots are known.
    Held,
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
