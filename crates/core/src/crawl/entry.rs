//! What a crawl keeps of each address.

use super::messages::{AddressId, BodyWish, Judged, Kind};
use crate::Moment;
use crate::crawl::frontier::ServerId;
use crate::evidence::landing;
use crate::extract::elements::{Purpose, Want};
use crate::extract::reading::Link;
use crate::url::scope::Scope;
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
    /// GET requests that have ended and count as attempts.
    pub(super) tries: u32,
    /// Those that do not count: they failed while the host showed strain.
    pub(super) strained: u32,
    /// When its last attempt began.
    pub(super) asked_at: Moment,
    /// Its last attempt got no answer in time.
    pub(super) hung: bool,
    /// HEAD was tried and is not to be trusted here.
    pub(super) by_get: bool,
    /// The attempt under way checks a 404, 410 or NXDOMAIN.
    pub(super) confirming: bool,
    /// It was confirmed already.
    pub(super) confirmed: bool,
    /// Its last answer was HTML.
    pub(super) html: bool,
    /// Its last answer was CSS.
    pub(super) css: bool,
    /// Its last answer was a success.
    pub(super) success: bool,
    /// What was wanted of the body when it was last requested, as far as that was read.
    pub(super) asked_body: BodyWish,
    /// It is to be read whatever the bounds say: the start.
    pub(super) always_read: bool,
    /// Its links were taken.
    pub(super) read: bool,
    /// A link on another page leads here, or a person began here.
    pub(super) reached: bool,
    /// It redirects for good.
    pub(super) permanent: bool,
    /// Its `Location` brought a fragment of its own.
    pub(super) own_fragment: bool,
    /// It redirects, and sets a cookie that the next hop may want to see.
    pub(super) sets_cookie: bool,
    /// Its chain was walked with cookies.
    pub(super) with_cookies: bool,
    /// What it was last asked for.
    pub(super) asked_as: Kind,
    /// It is a page, even when something else is asked for.
    pub(super) wrong_type: bool,
    /// It was asked for something else than a page, to see that.
    pub(super) type_asked: bool,
    /// It says what its server says of an address that was made up.
    pub(super) like_made_up: bool,
    /// It was read for external fragments, or is to be.
    pub(super) places_wanted: bool,
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
            strained: 0,
            asked_at: Moment::START,
            hung: false,
            by_get: false,
            confirming: false,
            confirmed: false,
            html: false,
            css: false,
            success: false,
            asked_body: BodyWish::Drop,
            always_read: false,
            read: false,
            reached: false,
            permanent: false,
            own_fragment: false,
            sets_cookie: false,
            with_cookies: false,
            asked_as: Kind::Any,
            wrong_type: false,
            type_asked: false,
            like_made_up: false,
            places_wanted: false,
        }
    }

    /// A reply from an earlier time is taken in, as though it had just been asked.
    pub(super) fn handle_told(&mut self) {
        self.confirming = self.state == State::Unconfirmed;
        if self.confirming {
            self.tries = 0;
        }
        self.state = State::InFlight;
        self.asked_as = self.uses.kind;
        self.ticket += 1;
    }
}

/// For what links use an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Uses {
    purposes: u16,
    /// What a browser would expect, by the first link that is for visitors.
    pub(super) kind: Kind,
}

impl Uses {
    const PAGE: u16 = 1;
    const SHEET_FILE: u16 = 1 << 1;
    const PAGE_LIST: u16 = 1 << 2;
    const RULES: u16 = 1 << 3;
    const FORM: u16 = 1 << 4;
    const PART: u16 = 1 << 5;
    const MEDIA: u16 = 1 << 6;
    /// By an element whose addresses are not to be asked: no use by itself.
    const LEFT_OUT: u16 = 1 << 7;
    /// It was made up, to see what its server says of such an address.
    const MADE_UP: u16 = 1 << 8;
    /// A picture, a style sheet, a script is wanted.
    const PICTURE: u16 = 1 << 9;
    const STYLE: u16 = 1 << 10;
    const SCRIPT: u16 = 1 << 11;
    /// Some link's text names the home page, or a place to log in.
    const SAYS_HOME: u16 = 1 << 12;
    const SAYS_LOGIN: u16 = 1 << 13;

    /// It is a link that wants one of these, not a redirect on the way.
    const DIRECTLY: u16 = 1 << 14;

    const WANTS: u16 = Uses::PICTURE | Uses::STYLE | Uses::SCRIPT | Uses::DIRECTLY;
    const SAYS: u16 = Uses::SAYS_HOME | Uses::SAYS_LOGIN;
    /// What is no use by itself.
    const BESIDE: u16 = Uses::LEFT_OUT | Uses::WANTS | Uses::SAYS;

    const fn new(purposes: u16, kind: Kind) -> Uses {
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

    /// That of an address that was made up.
    pub(super) const PROBE: Uses = Uses::new(Uses::MADE_UP, Kind::Page);

    /// The use that one link makes.
    pub(super) fn of(link: &Link<'_>) -> Uses {
        let Link { element, attribute, rel, .. } = *link;
        let (wanted, kind) = match element.wants(attribute, rel) {
            Some(Want::Picture) => (Uses::PICTURE | Uses::DIRECTLY, Kind::Image),
            Some(Want::Style) => (Uses::STYLE | Uses::DIRECTLY, Kind::Style),
            Some(Want::Script) => (Uses::SCRIPT | Uses::DIRECTLY, Kind::Any),
            None => (0, Kind::Any),
        };
        match element.purpose(attribute, rel) {
            Purpose::Visit => Uses::VISIT,
            Purpose::Sheet => Uses::new(Uses::SHEET_FILE | wanted, kind),
            Purpose::Sitemap => Uses::SITEMAP,
            Purpose::Form => Uses::new(Uses::FORM, Kind::Page),
            Purpose::Part => Uses::new(Uses::PART | wanted, kind),
            Purpose::Media => Uses::new(Uses::MEDIA | wanted, kind),
            Purpose::Service => Uses::NONE,
        }
    }

    /// What the text of a visitor's link says of where it leads.
    pub(super) fn said_by(link: &Link<'_>) -> Uses {
        let Some(text) = link.text.filter(|text| text.len() <= landing::LONGEST_WORDS) else {
            return Uses::NONE;
        };
        let home = if landing::names_home(text) { Uses::SAYS_HOME } else { 0 };
        let login = if landing::names_login(text) { Uses::SAYS_LOGIN } else { 0 };
        Uses::new(home | login, Kind::Any)
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
        self.purposes & !Uses::BESIDE == Uses::PAGE_LIST
    }

    /// Only forms name it.
    pub(super) fn only_form(self) -> bool {
        self.purposes & !Uses::BESIDE == Uses::FORM
    }

    /// Its body is read for addresses, so that the rules for robots matter.
    pub(super) fn is_read(self) -> bool {
        self.has(Uses::PAGE | Uses::SHEET_FILE | Uses::PAGE_LIST)
    }

    /// Something else than pictures, sound and the like names it.
    pub(super) fn more_than_media(self) -> bool {
        self.has(!(Uses::MEDIA | Uses::BESIDE))
    }

    /// Something asks for it at all.
    pub(super) fn any(self) -> bool {
        self.has(!Uses::BESIDE)
    }

    /// Browsers ask for it by https where the page came so (Mixed Content §4.1).
    pub(super) fn is_upgraded(self) -> bool {
        self.kind == Kind::Image
            || self.purposes & !Uses::BESIDE == Uses::MEDIA && !self.has(Uses::SCRIPT)
    }

    /// It was made up.
    pub(super) fn made_up(self) -> bool {
        self.has(Uses::MADE_UP)
    }

    /// What would be wrong if it were a page: how to ask for it.
    pub(super) fn wanted(self) -> Option<Kind> {
        let kinds =
            [(Uses::PICTURE, Kind::Image), (Uses::STYLE, Kind::Style), (Uses::SCRIPT, Kind::Any)];
        kinds.iter().find(|(want, _)| self.has(*want)).map(|(_, kind)| *kind)
    }

    /// A link wants such a thing of this very address.
    pub(super) fn wants_directly(self) -> bool {
        self.has(Uses::DIRECTLY)
    }

    /// The use of the address that this one sends on to.
    pub(super) fn by_redirect(self) -> Uses {
        Uses::new(self.purposes & !(Uses::DIRECTLY | Uses::SAYS), self.kind)
    }

    /// Some link says that it leads to the home page.
    pub(super) fn says_home(self) -> bool {
        self.has(Uses::SAYS_HOME)
    }

    /// Some link says that it leads to where visitors log in.
    pub(super) fn says_login(self) -> bool {
        self.has(Uses::SAYS_LOGIN)
    }

    /// An element names it whose addresses are not to be asked.
    pub(super) fn left_out(self) -> bool {
        self.has(Uses::LEFT_OUT)
    }

    fn has(self, purposes: u16) -> bool {
        self.purposes & purposes != 0
    }
}

/// Where an address is on its way to a verdict.
///
/// ```text
///  Unasked ─▶ Queued ─▶ InFlight ─┬▶ Settled
///     │  ▲      ▲          │      └▶ Follows ─▶ Settled
///     ▼  └ trap ├── Later ◀┤
///    Held ──────┴ Unconfirmed, Refused
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
    /// Refused; a page of its host that had answered is being asked again.
    Refused,
    /// Redirects; its verdict follows from that of this address.
    Follows(AddressId),
    /// Has its verdict.
    Settled(Judged),
}

impl State {
    /// Whether it is to be asked, now or later.
    pub(super) fn waits(self) -> bool {
        use State::{Held, Later, Queued, Refused, Unconfirmed};
        matches!(self, Held | Queued | Later | Unconfirmed | Refused)
    }
}
