//! The roles that links give a URL: a visit, a part of a page, a stylesheet, and so on.

use crate::crawl::messages::Kind;
use crate::evidence::landing;
use crate::extract::elements::{Expected, Purpose};
use crate::extract::reading::Link;

/// The roles that links give one URL: a small set with named accessors.
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
    /// Named by an element whose URLs are not checked: not a use by itself.
    const IGNORED_ELEMENT: u16 = 1 << 7;
    /// A nonexistent test URL.
    const TEST_URL: u16 = 1 << 8;
    /// An image, stylesheet or script is expected.
    const IMAGE: u16 = 1 << 9;
    const STYLE: u16 = 1 << 10;
    const SCRIPT: u16 = 1 << 11;
    /// The text of a link names the home page, or a login.
    const SAYS_HOME: u16 = 1 << 12;
    const SAYS_LOGIN: u16 = 1 << 13;

    /// A link expects one of these, not a redirect hop.
    const DIRECTLY: u16 = 1 << 14;

    const APP: u16 = 1 << 15;

    const EXPECTS: u16 = Roles::IMAGE | Roles::STYLE | Roles::SCRIPT | Roles::DIRECTLY;
    const SAYS: u16 = Roles::SAYS_HOME | Roles::SAYS_LOGIN;
    /// Roles that are not a use by themselves.
    const MODIFIERS: u16 = Roles::IGNORED_ELEMENT | Roles::EXPECTS | Roles::SAYS;

    const fn new(bits: u16, kind: Kind) -> Roles {
        Roles { bits, kind }
    }

    /// No use so far.
    pub(in crate::crawl) const NONE: Roles = Roles::new(0, Kind::Any);
    /// The use of a start URL: a visit.
    pub(in crate::crawl) const VISIT: Roles = Roles::new(Roles::PAGE, Kind::Page);
    /// The use of robots.txt.
    pub(in crate::crawl) const ROBOTS: Roles = Roles::new(Roles::RULES, Kind::Any);
    /// The use of a sitemap.
    pub(in crate::crawl) const SITEMAP: Roles = Roles::new(Roles::PAGE_LIST, Kind::Any);
    /// The use by an element whose URLs are not checked.
    pub(in crate::crawl) const IGNORED: Roles = Roles::new(Roles::IGNORED_ELEMENT, Kind::Any);

    /// The use of a nonexistent test URL.
    pub(in crate::crawl) const PROBE: Roles = Roles::new(Roles::TEST_URL, Kind::Page);

    /// The use that a link makes.
    pub(in crate::crawl) fn of(link: &Link<'_>) -> Roles {
        let Link { element, attribute, rel, .. } = *link;
        let (wanted, kind) = match element.expected_type(attribute, rel) {
            Some(Expected::Image) => (Roles::IMAGE | Roles::DIRECTLY, Kind::Image),
            Some(Expected::Style) => (Roles::STYLE | Roles::DIRECTLY, Kind::Style),
            Some(Expected::Script) => (Roles::SCRIPT | Roles::DIRECTLY, Kind::Any),
            None => (0, Kind::Any),
        };
        match element.purpose(attribute, rel) {
            Purpose::Visit => Roles::VISIT,
            Purpose::Stylesheet => Roles::new(Roles::SHEET_FILE | wanted, kind),
            Purpose::Sitemap => Roles::SITEMAP,
            Purpose::Manifest => Roles::new(Roles::APP, Kind::Any),
            Purpose::Form => Roles::new(Roles::FORM, Kind::Page),
            Purpose::Part => Roles::new(Roles::PART | wanted, kind),
            Purpose::Media => Roles::new(Roles::MEDIA | wanted, kind),
            Purpose::Service => Roles::NONE,
        }
    }

    /// What the text of a visitor's link says about its target.
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

    /// A link for visitors leads there.
    pub(in crate::crawl) fn visit(self) -> bool {
        self.has(Roles::PAGE)
    }

    /// It is used as a stylesheet.
    pub(in crate::crawl) fn stylesheet(self) -> bool {
        self.has(Roles::SHEET_FILE)
    }

    /// It is used as a sitemap.
    pub(in crate::crawl) fn sitemap(self) -> bool {
        self.has(Roles::PAGE_LIST)
    }

    /// It is used as a web app manifest.
    pub(in crate::crawl) fn manifest(self) -> bool {
        self.has(Roles::APP)
    }

    /// It is used as robots.txt.
    pub(in crate::crawl) fn robots(self) -> bool {
        self.has(Roles::RULES)
    }

    /// It is used only as a sitemap, so that settings decide whether it is requested.
    pub(in crate::crawl) fn only_sitemap(self) -> bool {
        self.bits & !Roles::MODIFIERS == Roles::PAGE_LIST
    }

    /// Only forms name it.
    pub(in crate::crawl) fn only_form(self) -> bool {
        self.bits & !Roles::MODIFIERS == Roles::FORM
    }

    /// Its body is parsed for URLs, so that robots.txt applies.
    pub(in crate::crawl) fn is_read(self) -> bool {
        self.has(Roles::PAGE | Roles::SHEET_FILE | Roles::PAGE_LIST | Roles::APP)
    }

    /// Not only images, sound and the like name it.
    pub(in crate::crawl) fn more_than_media(self) -> bool {
        self.has(!(Roles::MEDIA | Roles::MODIFIERS))
    }

    /// Anything requires it to be requested.
    pub(in crate::crawl) fn any(self) -> bool {
        self.has(!Roles::MODIFIERS)
    }

    /// Browsers request it by https if the page was requested so (Mixed Content §4.1).
    pub(in crate::crawl) fn is_upgraded(self) -> bool {
        self.kind == Kind::Image
            || self.bits & !Roles::MODIFIERS == Roles::MEDIA && !self.has(Roles::SCRIPT)
    }

    /// It is a nonexistent test URL.
    pub(in crate::crawl) fn is_test_url(self) -> bool {
        self.has(Roles::TEST_URL)
    }

    /// The type that it is expected to have if not a page: how to request it.
    pub(in crate::crawl) fn wanted(self) -> Option<Kind> {
        let kinds =
            [(Roles::IMAGE, Kind::Image), (Roles::STYLE, Kind::Style), (Roles::SCRIPT, Kind::Any)];
        kinds.iter().find(|(expected, _)| self.has(*expected)).map(|(_, kind)| *kind)
    }

    /// A link expects such a type of this URL itself.
    pub(in crate::crawl) fn wants_directly(self) -> bool {
        self.has(Roles::DIRECTLY)
    }

    /// The use of the URL that this one redirects to.
    pub(in crate::crawl) fn by_redirect(self) -> Roles {
        Roles::new(self.bits & !(Roles::DIRECTLY | Roles::SAYS), self.kind)
    }

    /// A link text says that it leads to the home page.
    pub(in crate::crawl) fn says_home(self) -> bool {
        self.has(Roles::SAYS_HOME)
    }

    /// A link text says that it leads to a login.
    pub(in crate::crawl) fn says_login(self) -> bool {
        self.has(Roles::SAYS_LOGIN)
    }

    /// It is named by an element whose URLs are not checked.
    pub(in crate::crawl) fn left_out(self) -> bool {
        self.has(Roles::IGNORED_ELEMENT)
    }

    fn has(self, bits: u16) -> bool {
        self.bits & bits != 0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_parsed_for_urls_is_known_by_each_of_its_roles() {
        for bits in [Roles::PAGE, Roles::SHEET_FILE, Roles::PAGE_LIST, Roles::APP] {
            assert!(Roles::new(bits, Kind::Any).is_read(), "{bits}");
        }
        let others = Roles::RULES | Roles::FORM | Roles::PART | Roles::MEDIA | Roles::MODIFIERS;
        assert!(!Roles::new(others, Kind::Any).is_read());
    }
}
