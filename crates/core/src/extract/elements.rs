//! Which attribute of which element names an address, and what that link is for.
//!
//! Source: HTML, "Attributes" index, the rows of type URL; `srcset` and `meta`
//! refresh have grammars of their own.

macro_rules! names {
    ($(#[$doc:meta])* $type:ident: $($word:literal)*) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $type(&'static str);

        impl $type {
            const ALL: &'static [&'static str] = &[$($word,)*];

            /// The name in lower case.
            #[must_use]
            pub fn name(self) -> &'static str {
                self.0
            }

            /// The one of that name, if it can hold a link.
            #[must_use]
            pub fn named(name: &str) -> Option<$type> {
                Self::ALL.iter().find(|known| **known == name).map(|known| $type(known))
            }
        }
    };
}

names! {
    /// An element that can hold a link.
    Element: "a" "area" "audio" "embed" "iframe" "img" "link" "meta" "object" "script" "source" "video"
}
names! {
    /// An attribute that can hold a link.
    Attribute: "href" "src" "srcset" "data" "content" "poster"
}

/// How the value of an attribute is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Grammar {
    /// One URL.
    Url,
    /// Image candidates (HTML, "Parsing a srcset attribute").
    Srcset,
    /// Seconds and a URL (HTML, "Shared declarative refresh steps").
    Refresh,
}

const ROWS: &[(&str, &str, Grammar)] = &[
    ("a", "href", Grammar::Url),
    ("area", "href", Grammar::Url),
    ("audio", "src", Grammar::Url),
    ("embed", "src", Grammar::Url),
    ("iframe", "src", Grammar::Url),
    ("img", "src", Grammar::Url),
    ("img", "srcset", Grammar::Srcset),
    ("link", "href", Grammar::Url),
    ("meta", "content", Grammar::Refresh),
    ("object", "data", Grammar::Url),
    ("script", "src", Grammar::Url),
    ("source", "src", Grammar::Url),
    ("source", "srcset", Grammar::Srcset),
    ("video", "src", Grammar::Url),
    ("video", "poster", Grammar::Url),
];

/// The attributes of an element that hold links.
pub(crate) fn link_attributes(
    element: &[u8],
) -> impl Iterator<Item = (Element, Attribute, Grammar)> {
    // Most tags hold no link: the first letter says so for nearly all of them.
    let may_link = element.first().is_some_and(|first| b"aeilmosv".contains(first));
    let rows = if may_link { ROWS } else { &[] };
    rows.iter()
        .filter(move |(name, ..)| name.as_bytes() == element)
        .map(|&(element, attribute, grammar)| (Element(element), Attribute(attribute), grammar))
}

/// What a link is for, which says whether and how its target is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Leads a visitor to a page: on the site, that page is read.
    Visit,
    /// Part of the page that is no page itself, such as a style sheet.
    Part,
    /// Pictures, sound, scripts: asked by HEAD where nothing else names them.
    Media,
    /// For programs, not visitors: not asked.
    Service,
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
];

impl Element {
    /// What a link of this element is for.
    #[must_use]
    pub fn purpose(self, rel: Option<&str>) -> Purpose {
        match self.0 {
            "a" | "area" | "iframe" | "meta" => Purpose::Visit,
            "link" => link_purpose(rel.unwrap_or_default()),
            _ => Purpose::Media,
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
        Purpose::Part
    } else if has(&["next", "prev", "alternate", "canonical"]) {
        Purpose::Visit
    } else {
        Purpose::Part
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_has_a_name_and_is_found() {
        for &(element, attribute, _) in ROWS {
            let found =
                link_attributes(element.as_bytes()).any(|(_, found, _)| found.0 == attribute);
            assert!(found, "{element}");
            assert!(Element::named(element).is_some(), "{element}");
            assert!(Attribute::named(attribute).is_some(), "{attribute}");
        }
    }

    #[test]
    fn relations_decide_what_a_link_element_is_for() {
        let link = Element::named("link").unwrap();
        for (rel, purpose) in [
            (Some("stylesheet"), Purpose::Part),
            (Some("alternate stylesheet"), Purpose::Part),
            (Some("icon"), Purpose::Part),
            (Some("Next"), Purpose::Visit),
            (Some("canonical"), Purpose::Visit),
            (Some("dns-prefetch"), Purpose::Service),
            (None, Purpose::Part),
        ] {
            assert_eq!(link.purpose(rel), purpose, "{rel:?}");
        }
    }
}
