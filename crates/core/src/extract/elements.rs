//! Which attributes of which elements contain URLs, and what their links are for.
//!
//! Source: HTML, "Attributes" index, the rows of type URL; SVG 2, "Linking"; the Open Graph
//! protocol for `meta`. `srcset` and `meta` refresh have grammars of their own. Any element may
//! have a `style`.

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

            /// The one with this name, if it can contain a link.
            #[must_use]
            pub fn named(name: &str) -> Option<$type> {
                $all.find(|known| **known == name).map(|known| $type(known))
            }
        }
    };
}

words! {
    /// An element that can contain a link: of a page, of a sitemap (`loc`, `image:loc`), of a
    /// feed (such as `guid`), a web app manifest (`manifest`), a line of robots.txt (`sitemap`), or
    /// a list (`entry`). `other` is for elements that are in no standard.
    Element: Name::TEXTS.iter().chain(OUTSIDE_PAGES)
}
words! {
    /// Where in an element a link is: an attribute; `url` or `import` in a stylesheet; `header`
    /// for a `Link` header of the response; `content` for the text of an element of a sitemap or
    /// a line of robots.txt.
    Attribute: LINK_ATTRIBUTES.iter()
}

const OUTSIDE_PAGES: &[&str] = &[
    "loc",
    "image:loc",
    "sitemap",
    "entry",
    "guid",
    "comments",
    "url",
    "icon",
    "logo",
    "uri",
    "enclosure",
    "media:content",
    "media:thumbnail",
    "itunes:image",
    "content",
    "manifest",
];
const LINK_ATTRIBUTES: &[&str] = &[
    "href",
    "src",
    "srcset",
    "imagesrcset",
    "data",
    "content",
    "poster",
    "action",
    "formaction",
    "background",
    "xlink:href",
    "data-src",
    "data-srcset",
    "style",
    "url",
    "import",
    "header",
    "host",
];

impl Element {
    pub(super) const LINK: Element = Element("link");
    pub(super) const SCRIPT: Element = Element("script");
    pub(super) const STYLE: Element = Element("style");
    pub(crate) const LOC: Element = Element("loc");
    pub(super) const IMAGE_LOC: Element = Element("image:loc");
    pub(super) const SITEMAP: Element = Element("sitemap");
    pub(super) const GUID: Element = Element("guid");
    pub(super) const COMMENTS: Element = Element("comments");
    pub(super) const FEED_URL: Element = Element("url");
    pub(super) const ICON: Element = Element("icon");
    pub(super) const LOGO: Element = Element("logo");
    pub(super) const URI: Element = Element("uri");
    pub(super) const ENCLOSURE: Element = Element("enclosure");
    pub(super) const MEDIA_CONTENT: Element = Element("media:content");
    pub(super) const MEDIA_THUMBNAIL: Element = Element("media:thumbnail");
    pub(super) const PODCAST_IMAGE: Element = Element("itunes:image");
    pub(super) const CONTENT: Element = Element("content");
    pub(super) const MANIFEST: Element = Element("manifest");
    /// An entry of a list.
    pub const ENTRY: Element = Element("entry");

    pub(super) fn of(name: Name) -> Element {
        Element(name.text())
    }
}

impl Attribute {
    pub(super) const HREF: Attribute = Attribute("href");
    pub(super) const SRC: Attribute = Attribute("src");
    pub(crate) const CONTENT: Attribute = Attribute("content");
    pub(super) const STYLE: Attribute = Attribute("style");
    pub(super) const URL: Attribute = Attribute("url");
    pub(super) const IMPORT: Attribute = Attribute("import");
    /// An entry of a list that is a host without a scheme.
    pub const HOST: Attribute = Attribute("host");
    /// A `Link` header of the response (RFC 8288).
    pub const HEADER: Attribute = Attribute("header");
}

/// How the value of an attribute is parsed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Grammar {
    /// One URL.
    Url,
    /// Image candidates (HTML, "Parsing a srcset attribute").
    Srcset,
    /// Seconds and a URL, or the URL of an image or page, depending on `http-equiv`, `property`
    /// or `name`.
    Meta,
    /// One URL that a script copies to `src`, if that has no URL yet.
    LateUrl,
    /// The same for image candidates.
    LateSrcset,
    /// One URL, if the form uses GET.
    FormAction,
    /// One URL, if the button submits a form that uses GET.
    ButtonAction,
    /// One URL, if the input is an image.
    ImageInput,
    /// One URL, in SVG only, unless it names a part of the same page.
    Drawing,
    /// URLs in the text of the element.
    Inner,
}

/// What a link is for, which decides whether and how its target is requested.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Leads a visitor to a page; internal pages are parsed.
    Visit,
    /// A stylesheet; internal ones are parsed for URLs.
    Stylesheet,
    /// A list of pages (sitemaps.org); internal ones are parsed.
    Sitemap,
    /// A web app manifest; internal ones are parsed.
    Manifest,
    /// The target of a form, requested without the fields of the form.
    Form,
    /// Another part of the page that is not a page itself.
    Part,
    /// Images, sound, scripts: requested with HEAD if nothing else names them.
    Media,
    /// For programs, not visitors: not requested.
    Service,
}

/// The type that a link expects, if not a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Expected {
    /// An image.
    Image,
    /// A stylesheet.
    Style,
    /// A script.
    Script,
}

/// Link relations for programs (HTML, "Link types"; the WordPress and oEmbed relations are in the
/// microformats registry that HTML refers to).
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

/// One attribute of one element that can contain a link, with its properties.
#[derive(Debug, Clone, Copy)]
pub(super) struct LinkAttribute {
    pub(super) attribute: Attribute,
    pub(super) grammar: Grammar,
    role: Role,
}

/// The use of a link, which may depend on a second attribute.
#[derive(Debug, Clone, Copy)]
enum Role {
    Fixed(Use),
    /// Depends on `rel`, or its equivalent; see [`Element::purpose`].
    ByRel(fn(&str) -> Use),
}

#[derive(Debug, Clone, Copy)]
struct Use {
    purpose: Purpose,
    expected: Option<Expected>,
    /// Browsers do not load it by http into an https page (Mixed Content §5.2).
    is_blockable: bool,
    /// A reader clicks on it.
    is_clicked: bool,
    /// It relates the page to another, and leads no reader there.
    is_relation: bool,
}

impl Use {
    const fn of(purpose: Purpose) -> Use {
        Use { purpose, expected: None, is_blockable: false, is_clicked: false, is_relation: false }
    }

    const fn expecting(self, expected: Expected) -> Use {
        Use { expected: Some(expected), ..self }
    }

    const fn blockable(self) -> Use {
        Use { is_blockable: true, ..self }
    }

    const fn clicked(self) -> Use {
        Use { is_clicked: true, ..self }
    }

    const fn relation(self) -> Use {
        Use { is_relation: true, ..self }
    }
}

const fn at(attribute: &'static str, grammar: Grammar, used: Use) -> LinkAttribute {
    LinkAttribute { attribute: Attribute(attribute), grammar, role: Role::Fixed(used) }
}

const fn written(
    attribute: &'static str,
    grammar: Grammar,
    role: fn(&str) -> Use,
) -> LinkAttribute {
    LinkAttribute { attribute: Attribute(attribute), grammar, role: Role::ByRel(role) }
}

const VISIT: Use = Use::of(Purpose::Visit);
const EMBEDDED_PAGE: Use = VISIT.blockable();
const MEDIA: Use = Use::of(Purpose::Media);
const PART: Use = Use::of(Purpose::Part);
const FORM: Use = Use::of(Purpose::Form);
const SHEET: Use = Use::of(Purpose::Stylesheet).expecting(Expected::Style).blockable();

/// The table: one row for each attribute of an element that can contain links. A new element
/// needs its name in `names.rs` and its rows here.
pub(super) const fn link_attributes(name: Name) -> &'static [LinkAttribute] {
    use Expected::*;
    use Grammar::*;
    match name {
        Name::A => const { &[at("href", Url, VISIT.clicked()), at("xlink:href", Drawing, VISIT)] },
        Name::Area => const { &[at("href", Url, VISIT.clicked())] },
        Name::Frame => const { &[at("src", Url, EMBEDDED_PAGE)] },
        Name::Iframe => {
            const { &[at("src", Url, EMBEDDED_PAGE), at("data-src", LateUrl, EMBEDDED_PAGE)] }
        }
        // These may contain a page, or anything else.
        Name::Object => const { &[at("data", Url, MEDIA.blockable())] },
        Name::Embed => const { &[at("src", Url, MEDIA.blockable())] },
        Name::Script => {
            const {
                &[
                    at("src", Url, MEDIA.expecting(Script).blockable()),
                    written("content", Inner, of_data),
                ]
            }
        }
        Name::Img => {
            const {
                &[
                    at("src", Url, MEDIA.expecting(Image)),
                    at("srcset", Srcset, MEDIA.expecting(Image)),
                    at("data-src", LateUrl, MEDIA.expecting(Image)),
                    at("data-srcset", LateSrcset, MEDIA.expecting(Image)),
                ]
            }
        }
        Name::Source => {
            const {
                &[
                    at("src", Url, MEDIA),
                    at("srcset", Srcset, MEDIA),
                    at("data-src", LateUrl, MEDIA),
                    at("data-srcset", LateSrcset, MEDIA),
                ]
            }
        }
        Name::Video => {
            const {
                &[
                    at("src", Url, MEDIA),
                    at("poster", Url, MEDIA.expecting(Image)),
                    at("data-src", LateUrl, MEDIA),
                ]
            }
        }
        Name::Audio => const { &[at("src", Url, MEDIA)] },
        Name::Track => const { &[at("src", Url, PART)] },
        Name::Link => {
            const { &[written("href", Url, of_link), at("imagesrcset", Srcset, PART.expecting(Image))] }
        }
        Name::Meta => const { &[written("content", Meta, of_meta)] },
        Name::Input => {
            const {
                &[
                    at("src", ImageInput, PART.expecting(Image)),
                    at("formaction", ButtonAction, FORM),
                ]
            }
        }
        Name::Button => const { &[at("formaction", ButtonAction, FORM)] },
        Name::Form => const { &[at("action", FormAction, FORM)] },
        Name::Body => const { &[at("background", Url, PART.expecting(Image))] },
        Name::Use => const { &[at("href", Drawing, PART), at("xlink:href", Drawing, PART)] },
        Name::Image => {
            const {
                &[
                    at("href", Drawing, PART.expecting(Image)),
                    at("xlink:href", Drawing, PART.expecting(Image)),
                ]
            }
        }
        _ => &[],
    }
}

/// The same for elements outside HTML pages.
fn places_outside_pages(name: &str) -> &'static [LinkAttribute] {
    use Grammar::Url;
    match name {
        "loc" => const { &[written("content", Url, of_loc)] },
        "image:loc" => const { &[at("content", Url, PART.expecting(Expected::Image))] },
        "sitemap" => const { &[at("content", Url, Use::of(Purpose::Sitemap))] },
        "entry" => const { &[at("content", Url, VISIT), at("host", Url, VISIT)] },
        // Of feeds.
        "guid" | "comments" | "uri" => const { &[at("content", Url, VISIT)] },
        "url" | "icon" | "logo" => {
            const { &[at("content", Url, MEDIA.expecting(Expected::Image))] }
        }
        "enclosure" | "media:content" => const { &[at("url", Url, MEDIA)] },
        "media:thumbnail" => const { &[at("url", Url, MEDIA.expecting(Expected::Image))] },
        "itunes:image" => const { &[at("href", Url, MEDIA.expecting(Expected::Image))] },
        "content" => const { &[at("src", Url, MEDIA)] },
        "manifest" => const { &[written("content", Url, of_manifest)] },
        _ => &[],
    }
}

/// The same for links that are not attributes of one element: in stylesheets, and in `Link`
/// headers of a response, which are `link` elements outside the page (RFC 8288 §3).
const ANYWHERE: &[LinkAttribute] = &[
    written("header", Grammar::Url, of_link),
    at("style", Grammar::Url, PART),
    at("url", Grammar::Url, PART),
    at("import", Grammar::Url, SHEET),
    // The text of a `link` in a feed.
    at("content", Grammar::Url, VISIT),
];

fn of_link(rel: &str) -> Use {
    let has = |wanted: &[&str]| {
        rel.split_ascii_whitespace().any(|word| wanted.iter().any(|w| word.eq_ignore_ascii_case(w)))
    };
    if has(SERVICE_RELATIONS) {
        Use::of(Purpose::Service)
    } else if has(&["stylesheet"]) {
        SHEET
    } else if has(&["next", "prev", "alternate", "canonical"]) {
        VISIT.relation()
    } else if has(&["sitemap"]) {
        Use::of(Purpose::Sitemap)
    } else if has(&["manifest"]) {
        Use::of(Purpose::Manifest)
    } else if has(&["enclosure"]) {
        MEDIA
    } else {
        PART
    }
}

fn of_meta(written: &str) -> Use {
    match written {
        "refresh" => VISIT,
        written if written.ends_with(":image") => PART.expecting(Expected::Image),
        _ => PART,
    }
}

/// Structured data, by the property (schema.org).
fn of_data(property: &str) -> Use {
    const IMAGES: &[&str] = &["image", "logo", "thumbnail", "thumbnailurl", "photo", "screenshot"];
    const MEDIA_URLS: &[&str] = &["contenturl", "downloadurl", "installurl", "video", "audio"];
    let name = property.rsplit(':').next().unwrap_or_default();
    let is_in = |names: &[&str]| names.iter().any(|known| known.eq_ignore_ascii_case(name));
    if is_in(IMAGES) {
        MEDIA.expecting(Expected::Image)
    } else if is_in(MEDIA_URLS) {
        MEDIA
    } else {
        VISIT.relation()
    }
}

/// A member of a web app manifest.
fn of_manifest(member: &str) -> Use {
    match member {
        "icons" | "screenshots" => MEDIA.expecting(Expected::Image),
        _ => VISIT.relation(),
    }
}

fn of_loc(around: &str) -> Use {
    if around == "sitemap" { Use::of(Purpose::Sitemap) } else { VISIT }
}

impl Element {
    /// The use of a link according to the table. Links that are not in it are parts of the page.
    fn use_of(self, attribute: Attribute, rel: Option<&str>) -> Use {
        let own = match Name::of(self.0.as_bytes()) {
            Name::Other => places_outside_pages(self.0),
            name => link_attributes(name),
        };
        let link_attribute =
            own.iter().chain(ANYWHERE).find(|link_attribute| link_attribute.attribute == attribute);
        match link_attribute.map(|link_attribute| link_attribute.role) {
            Some(Role::Fixed(used)) => used,
            Some(Role::ByRel(by)) => by(rel.unwrap_or_default()),
            None => PART,
        }
    }

    /// What a link of this element is for. `rel` is the attribute of that name; for `meta`, its
    /// `property` or `name`; for `loc`, the element around it.
    #[must_use]
    pub fn purpose(self, attribute: Attribute, rel: Option<&str>) -> Purpose {
        self.use_of(attribute, rel).purpose
    }

    /// Whether a link of this element leads a visitor to another page.
    #[must_use]
    pub fn leads_on(self, attribute: Attribute, rel: Option<&str>) -> bool {
        let used = self.use_of(attribute, rel);
        used.purpose == Purpose::Visit && !used.is_relation
    }

    /// The type that the link expects. A link that may lead to a page, such as the document of an
    /// `object`, expects none.
    #[must_use]
    pub fn expected_type(self, attribute: Attribute, rel: Option<&str>) -> Option<Expected> {
        self.use_of(attribute, rel).expected
    }

    /// Whether browsers do not load this by http into an https page (Mixed Content §5.2).
    #[must_use]
    pub fn is_blockable(self, attribute: Attribute, rel: Option<&str>) -> bool {
        self.use_of(attribute, rel).is_blockable
    }

    /// Whether a reader clicks on this.
    #[must_use]
    pub fn is_clicked(self, attribute: Attribute) -> bool {
        self.use_of(attribute, None).is_clicked
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_feed_encloses_is_media() {
        for (element, attribute) in [
            ("enclosure", "url"),
            ("media:content", "url"),
            ("media:thumbnail", "url"),
            ("itunes:image", "href"),
            ("content", "src"),
        ] {
            let attribute = Attribute::named(attribute).unwrap();
            let purpose = Element::named(element).unwrap().purpose(attribute, None);
            assert_eq!(purpose, MEDIA.purpose, "{element}");
        }
    }

    #[test]
    fn every_row_has_known_names() {
        for text in Name::TEXTS {
            let name = Name::of(text.as_bytes());
            assert!(Element::named(text).is_some(), "{text}");
            for LinkAttribute { attribute, .. } in link_attributes(name) {
                assert_eq!(Attribute::named(attribute.name()), Some(*attribute), "{text}");
            }
        }
    }

    #[test]
    fn relations_decide_what_a_link_element_is_for() {
        for (rel, purpose) in [
            (Some("stylesheet"), Purpose::Stylesheet),
            (Some("alternate stylesheet"), Purpose::Stylesheet),
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

    #[test]
    fn every_attribute_has_the_documented_use() {
        let written = |element: &str, attribute: &str, rel| {
            let element = Element::named(element).expect("an element");
            let attribute = Attribute::named(attribute).expect("an attribute");
            let used = element.use_of(attribute, rel);
            let on = element.leads_on(attribute, rel);
            (used.purpose, used.expected, used.is_blockable, used.is_clicked, on)
        };
        use Expected::{Image, Script, Style};
        use Purpose::{Media, Part, Stylesheet, Visit};
        assert_eq!(written("a", "href", None), (Visit, None, false, true, true));
        assert_eq!(written("a", "xlink:href", None), (Visit, None, false, false, true));
        assert_eq!(written("frame", "src", None), (Visit, None, true, false, true));
        assert_eq!(written("iframe", "data-src", None), (Visit, None, true, false, true));
        assert_eq!(written("link", "href", Some("next")), (Visit, None, false, false, false));
        assert_eq!(
            written("link", "header", Some("stylesheet")),
            (Stylesheet, Some(Style), true, false, false)
        );
        assert_eq!(written("style", "import", None), (Stylesheet, Some(Style), true, false, false));
        assert_eq!(written("style", "url", None), (Part, None, false, false, false));
        assert_eq!(written("script", "src", None), (Media, Some(Script), true, false, false));
        assert_eq!(written("object", "data", None), (Media, None, true, false, false));
        assert_eq!(
            written("meta", "content", Some("og:image")),
            (Part, Some(Image), false, false, false)
        );
        assert_eq!(written("meta", "content", Some("refresh")), (Visit, None, false, false, true));
        assert_eq!(written("entry", "content", None), (Visit, None, false, false, true));
        assert_eq!(written("image:loc", "content", None), (Part, Some(Image), false, false, false));
        assert_eq!(written("p", "style", None), (Part, None, false, false, false));
    }
}
