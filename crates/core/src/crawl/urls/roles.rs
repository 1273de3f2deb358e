//! Which roles links give a URL: a visit, a part of a page, a style sheet, and so on.

use crate::crawl::messages::Kind;
use crate::evidence::landing;
use crate::extract::elements::{Expected, Purpose};
use crate::extract::reading::Link;

/// The roles that links give one URL: a small set, asked by name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) struct Roles {
    bits: u16,
    /// What a browser would expect, by the first link that is for visitors.
    pub(in crate::crawl) kind: Kind,
}

impl Roles {
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
    const TEST_PREFIX: u16 = 1 << 8;
    /// A picture, a style sheet, a script is wanted.
    const PICTURE: u16 = 1 << 9;
    const STYLE: u16 = 1 << 10;
    const SCRIPT: u16 = 1 << 11;
    /// Some link's text names the home page, or a place to log in.
    const SAYS_HOME: u16 = 1 << 12;
    const SAYS_LOGIN: u16 = 1 << 13;

    /// It is a link that wants one of these, not a redirect on the way.
    const DIRECTLY: u16 = 1 << 14;

    const WANTS: u16 = Roles::PICTURE | Roles::STYLE | Roles::SCRIPT | Roles::DIRECTLY;
    const SAYS: u16 = Roles::SAYS_HOME | Roles::SAYS_LOGIN;
    /// What is no use by itself.
    const SUFFIX: u16 = Roles::LEFT_OUT | Roles::WANTS | Roles::SAYS;

    const fn new(bits: u16, kind: Kind) -> Roles {
        Roles { bits, kind }
    }

    /// No use so far.
    pub(in crate::crawl) const NONE: Roles = Roles::new(0, Kind::Any);
    /// The use of a start: a visit.
    pub(in crate::crawl) const VISIT: Roles = Roles::new(Roles::PAGE, Kind::Page);
    /// The use of robots.txt.
    pub(in crate::crawl) const ROBOTS: Roles = Roles::new(Roles::RULES, Kind::Any);
    /// The use of a sitemap.
    pub(in crate::crawl) const SITEMAP: Roles = Roles::new(Roles::PAGE_LIST, Kind::Any);
    /// That of an element whose addresses are not to be asked.
    pub(in crate::crawl) const IGNORED: Roles = Roles::new(Roles::LEFT_OUT, Kind::Any);

    /// That of an address that was made up.
    pub(in crate::crawl) const PROBE: Roles = Roles::new(Roles::TEST_PREFIX, Kind::Page);

    /// The use that one link makes.
    pub(in crate::crawl) fn of(link: &Link<'_>) -> Roles {
        let Link { element, attribute, rel, .. } = *link;
        let (wanted, kind) = match element.expected_type(attribute, rel) {
            Some(Expected::Image) => (Roles::PICTURE | Roles::DIRECTLY, Kind::Image),
            Some(Expected::Style) => (Roles::STYLE | Roles::DIRECTLY, Kind::Style),
            Some(Expected::Script) => (Roles::SCRIPT | Roles::DIRECTLY, Kind::Any),
            None => (0, Kind::Any),
        };
        match element.purpose(attribute, rel) {
            Purpose::Visit => Roles::VISIT,
            Purpose::Sheet => Roles::new(Roles::SHEET_FILE | wanted, kind),
            Purpose::Sitemap => Roles::SITEMAP,
            Purpose::Form => Roles::new(Roles::FORM, Kind::Page),
            Purpose::Part => Roles::new(Roles::PART | wanted, kind),
            Purpose::Media => Roles::new(Roles::MEDIA | wanted, kind),
            Purpose::Service => Roles::NONE,
        }
    }

    /// What the text of a visitor's link says of where it leads.
    pub(in crate::crawl) fn said_by(link: &Link<'_>) -> Roles {
        let Some(text) = link.text.filter(|text| text.len() <= landing::LONGEST_WORDS) else {
            return Roles::NONE;
        };
        let home = if landing::names_home(text) { Roles::SAYS_HOME } else { 0 };
        let login = if landing::names_login(text) { Roles::SAYS_LOGIN } else { 0 };
        Roles::new(home | login, Kind::Any)
    }

    /// Both uses.
    pub(in crate::crawl) fn and(self, other: Roles) -> Roles {
        let kind = match (self.kind, other.kind) {
            (Kind::Page, _) | (_, Kind::Page) => Kind::Page,
            (Kind::Any, kind) | (kind, _) => kind,
        };
        Roles::new(self.bits | other.bits, kind)
    }

    /// Some link leads a visitor there.
    pub(in crate::crawl) fn visit(self) -> bool {
        self.has(Roles::PAGE)
    }

    /// It is used as a style sheet.
    pub(in crate::crawl) fn sheet(self) -> bool {
        self.has(Roles::SHEET_FILE)
    }

    /// It is used as a sitemap.
    pub(in crate::crawl) fn sitemap(self) -> bool {
        self.has(Roles::PAGE_LIST)
    }

    /// It is used as robots.txt.
    pub(in crate::crawl) fn robots(self) -> bool {
        self.has(Roles::RULES)
    }

    /// Only as a sitemap, so that it is a matter of settings whether it is asked.
    pub(in crate::crawl) fn only_sitemap(self) -> bool {
        self.bits & !Roles::SUFFIX == Roles::PAGE_LIST
    }

    /// Only forms name it.
    pub(in crate::crawl) fn only_form(self) -> bool {
        self.bits & !Roles::SUFFIX == Roles::FORM
    }

    /// Its body is read for addresses, so that the rules for robots matter.
    pub(in crate::crawl) fn is_read(self) -> bool {
        self.has(Roles::PAGE | Roles::SHEET_FILE | Roles::PAGE_LIST)
    }

    /// Something else than pictures, sound and the like names it.
    pub(in crate::crawl) fn more_than_media(self) -> bool {
        self.has(!(Roles::MEDIA | Roles::SUFFIX))
    }

    /// Something asks for it at all.
    pub(in crate::crawl) fn any(self) -> bool {
        self.has(!Roles::SUFFIX)
    }

    /// Browsers ask for it by https where the page came so (Mixed Content §4.1).
    pub(in crate::crawl) fn is_upgraded(self) -> bool {
        self.kind == Kind::Image
            || self.bits & !Roles::SUFFIX == Roles::MEDIA && !self.has(Roles::SCRIPT)
    }

    /// It was made up.
    pub(in crate::crawl) fn made_up(self) -> bool {
        self.has(Roles::TEST_PREFIX)
    }

    /// What would be wrong if it were a page: how to ask for it.
    pub(in crate::crawl) fn wanted(self) -> Option<Kind> {
        let kinds = [
            (Roles::PICTURE, Kind::Image),
            (Roles::STYLE, Kind::Style),
            (Roles::SCRIPT, Kind::Any),
        ];
        kinds.iter().find(|(expected, _)| self.has(*expected)).map(|(_, kind)| *kind)
    }

    /// A link wants such a thing of this very address.
    pub(in crate::crawl) fn wants_directly(self) -> bool {
        self.has(Roles::DIRECTLY)
    }

    /// The use of the address that this one sends on to.
    pub(in crate::crawl) fn by_redirect(self) -> Roles {
        Roles::new(self.bits & !(Roles::DIRECTLY | Roles::SAYS), self.kind)
    }

    /// Some link says that it leads to the home page.
    pub(in crate::crawl) fn says_home(self) -> bool {
        self.has(Roles::SAYS_HOME)
    }

    /// Some link says that it leads to where visitors log in.
    pub(in crate::crawl) fn says_login(self) -> bool {
        self.has(Roles::SAYS_LOGIN)
    }

    /// An element names it whose addresses are not to be asked.
    pub(in crate::crawl) fn left_out(self) -> bool {
        self.has(Roles::LEFT_OUT)
    }

    fn has(self, bits: u16) -> bool {
        self.bits & bits != 0
    }
}
