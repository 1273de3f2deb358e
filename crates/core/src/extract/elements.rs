//! Which attribute of which element names an address, and what that link is for.
//!
//! Source: HTML, "Attributes" index, the rows of type URL; SVG 2, "Linking";
//! the Open Graph protocol for `meta`. `srcset` and `meta` refresh have grammars
//! of their own. Any element may have a `style`.

use super::names::Name;

macro_rules! words {
    ($(#[$doc:meta])* $type:ident: $all:expr) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $type(&'static str);

        impl $type {
            /// The name in lower case.
            #[must_use]
            pub fn name(self) -> &'static str {
                self.0
            }

            /// The one of that name, if it can hold a link.
            #[must_use]
            pub fn named(name: &str) -> Option<$type> {
                $all.find(|known| **known == name).map(|known| $type(known))
            }
        }
    };
}

words! {
    /// An element that can hold a link: of a page, of a sitemap (`loc`, `image:loc`),
    /// a line of robots.txt (`sitemap`), or a list (`entry`). `other` stands for elements that are
    /// not in any standard.
    Element: Name::TEXTS.iter().chain(OUTSIDE_PAGES)
}
words! {
    /// Where in an element a link stands: an attribute; `url` or `import` in a style
    /// sheet; `header` for a `Link` field of the answer; `content` for the text of an
    /// element of a sitemap or a line of robots.txt.
    Attribute: PLACES.iter()
}

const OUTSIDE_PAGES: &[&str] = &["loc", "image:loc", "sitemap", "entry"];
const PLACES: &[&str] = &[
    "href",
    "src",
    "srcset",
    "imagesrcset",
    "data",
    "content",
    "poster",
    "action",
    "background",
    "xlink:href",
    "data-src",
    "data-srcset",
    "style",
    "url",
    "import",
    "header",
];

impl Element {
    pub(super) const LINK: Element = Element("link");
    pub(super) const STYLE: Element = Element("style");
    pub(super) const LOC: Element = Element("loc");
    pub(super) const IMAGE_LOC: Element = Element("image:loc");
    pub(super) const SITEMAP: Element = Element("sitemap");
    /// An entry of a list.
    pub(crate) const ENTRY: Element = Element("entry");

    pub(super) fn of(name: Name) -> Element {
        Element(name.text())
    }
}

impl Attribute {
    pub(super) const HREF: Attribute = Attribute("href");
    pub(crate) const CONTENT: Attribute = Attribute("content");
    pub(super) const STYLE: Attribute = Attribute("style");
    pub(super) const URL: Attribute = Attribute("url");
    pub(super) const IMPORT: Attribute = Attribute("import");
    /// A `Link` field of the answer (RFC 8288).
    pub const HEADER: Attribute = Attribute("header");
}

/// How the value of an attribute is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Grammar {
    /// One URL.
    Url,
    /// Image candidates (HTML, "Parsing a srcset attribute").
    Srcset,
    /// Seconds and a URL, or the address of a picture or page, as `http-equiv`,
    /// `property` or `name` say.
    Meta,
    /// One URL that a script puts into `src`, where that holds nothing yet.
    LateUrl,
    /// The same of image candidates.
    LateSrcset,
    /// One URL, where the form is sent by GET.
    FormAction,
    /// One URL, where the input is a picture.
    ImageInput,
    /// One URL, in SVG alone, and not of a part of the same page.
    Drawing,
}

/// The attributes of an element that hold links.
pub(super) fn link_attributes(name: Name) -> &'static [(Attribute, Grammar)] {
    use Grammar::*;
    const fn row(attribute: &'static str, grammar: Grammar) -> (Attribute, Grammar) {
        (Attribute(attribute), grammar)
    }
    const SRC: (Attribute, Grammar) = row("src", Url);
    const HREF: (Attribute, Grammar) = row("href", Url);
    const LATE: (Attribute, Grammar) = row("data-src", LateUrl);
    const LATE_SET: (Attribute, Grammar) = row("data-srcset", LateSrcset);
    match name {
        Name::A => &[HREF, const { row("xlink:href", Drawing) }],
        Name::Area => &[HREF],
        Name::Img => &[SRC, const { row("srcset", Srcset) }, LATE, LATE_SET],
        Name::Link => &[HREF, const { row("imagesrcset", Srcset) }],
        Name::Meta => &[const { row("content", Meta) }],
        Name::Script | Name::Frame | Name::Embed | Name::Audio | Name::Track => &[SRC],
        Name::Iframe => &[SRC, LATE],
        Name::Video => &[SRC, const { row("poster", Url) }, LATE],
        Name::Source => &[SRC, const { row("srcset", Srcset) }, LATE, LATE_SET],
        Name::Object => &[const { row("data", Url) }],
        Name::Input => &[const { row("src", ImageInput) }],
        Name::Form => &[const { row("action", FormAction) }],
        Name::Body => &[const { row("background", Url) }],
        Name::Use | Name::Image => {
            &[const { row("href", Drawing) }, const { row("xlink:href", Drawing) }]
        }
        _ => &[],
    }
}

/// What a link is for, which says whether and how its target is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Leads a visitor to a page: on the site, that page is read.
    Visit,
    /// A style sheet: on the site, it is read for the addresses in it.
    Sheet,
    /// A list of pages (sitemaps.org): on the site, it is read.
    Sitemap,
    /// Where a form is sent: asked without what a visitor would fill in.
    Form,
    /// Another part of the page that is no page itself.
    Part,
    /// Pictures, sound, scripts: asked by HEAD where nothing else names them.
    Media,
    /// For programs, not visitors: not asked.
    Service,
}

/// What a link wants that is no page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Want {
    /// A picture.
    Picture,
    /// A style sheet.
    Style,
    /// A script.
    Script,
}

/// Link relations for programs (HTML, "Link types"; the WordPress and oEmbed
/// relations stand in the microformats registry that HTML refers to).
const SERVICE_RELATIONS: &[&str] = &[
    "pingback",
    "webmention",
    "edituri",
    "profile",
    "preconnect",
    "dns-prefetch",
    "https://api.w.org/",
    "api",
    "oembed",
];

impl Element {
    /// What a link of this element is for. `rel` is the attribute of that name; for
    /// `meta` what it says of itself, for `loc` the element around it.
    #[must_use]
    pub fn purpose(self, attribute: Attribute, rel: Option<&str>) -> Purpose {
        match (self.0, attribute.0) {
            (_, "style" | "url") => Purpose::Part,
            (_, "import") => Purpose::Sheet,
            ("a" | "area" | "iframe" | "frame", _) => Purpose::Visit,
            ("meta", _) if rel == Some("refresh") => Purpose::Visit,
            ("loc", _) if rel == Some("sitemap") => Purpose::Sitemap,
            ("loc" | "entry", _) => Purpose::Visit,
            ("sitemap", _) => Purpose::Sitemap,
            ("link", "imagesrcset") => Purpose::Part,
            ("link", _) => link_purpose(rel.unwrap_or_default()),
            ("form", _) => Purpose::Form,
            ("meta" | "input" | "body" | "track" | "use" | "image" | "image:loc", _) => {
                Purpose::Part
            }
            _ => Purpose::Media,
        }
    }

    /// Whether a link of this element on a page leads a visitor on to another.
    #[must_use]
    pub fn leads_on(self, attribute: Attribute, rel: Option<&str>) -> bool {
        self.0 != "link" && self.purpose(attribute, rel) == Purpose::Visit
    }

    /// What must be there, and cannot be a page. What may be one, such as the document of
    /// an `object`, wants nothing.
    #[must_use]
    pub fn wants(self, attribute: Attribute, rel: Option<&str>) -> Option<Want> {
        if self.wants_picture(attribute, rel) {
            return Some(Want::Picture);
        }
        match self.0 {
            "script" => Some(Want::Script),
            "link" if self.purpose(attribute, rel) == Purpose::Sheet => Some(Want::Style),
            "style" if attribute.0 == "import" => Some(Want::Style),
            _ => None,
        }
    }

    /// Whether a picture is expected here.
    #[must_use]
    pub fn wants_picture(self, attribute: Attribute, rel: Option<&str>) -> bool {
        match self.0 {
            "img" | "input" | "image" | "image:loc" => true,
            "video" => attribute.0 == "poster",
            "body" => attribute.0 == "background",
            "link" => attribute.0 == "imagesrcset",
            "meta" => rel.is_some_and(|rel| rel.ends_with(":image")),
            _ => false,
        }
    }
}

fn link_purpose(rel: &str) -> Purpose {
    let has = |wanted: &[&str]| {
        rel.split_ascii_whitespace().any(|word| wanted.iter().any(|w| word.eq_ignore_ascii_case(w)))
    };
    if has(SERVICE_RELATIONS) {
        Purpose::Service
    } else if has(&["stylesheet"]) {
        Purpose::Sheet
    } else if has(&["next", "prev", "alternate", "canonical"]) {
        Purpose::Visit
    } else if has(&["sitemap"]) {
        Purpose::Sitemap
    } else {
        Purpose::Part
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_has_names_that_are_found() {
        for text in Name::TEXTS {
            let name = Name::of(text.as_bytes());
            assert!(Element::named(text).is_some(), "{text}");
            for (attribute, _) in link_attributes(name) {
                assert_eq!(Attribute::named(attribute.name()), Some(*attribute), "{text}");
            }
        }
    }

    #[test]
    fn relations_decide_what_a_link_element_is_for() {
        for (rel, purpose) in [
            (Some("stylesheet"), Purpose::Sheet),
            (Some("alternate stylesheet"), Purpose::Sheet),
            (Some("icon"), Purpose::Part),
            (Some("Next"), Purpose::Visit),
            (Some("canonical"), Purpose::Visit),
            (Some("sitemap"), Purpose::Sitemap),
            (Some("dns-prefetch"), Purpose::Service),
            (Some("alternate oembed"), Purpose::Service),
            (None, Purpose::Part),
        ] {
            assert_eq!(Element::LINK.purpose(Attribute::HREF, rel), purpose, "{rel:?}");
            assert_eq!(Element::LINK.purpose(Attribute::HEADER, rel), purpose, "{rel:?}");
        }
    }
}
