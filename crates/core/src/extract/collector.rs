//! Collects the links of a tag.

use std::borrow::Cow;

use super::css;
use super::elements::{Attribute, Element, Grammar, LinkAttribute, Purpose, link_attributes};
use super::names::Name;
use super::tag::Tag;
use super::{refresh, srcset};
use crate::extract::reading::{LinkRecord, Region};
use crate::extract::reading_builder::ReadingBuilder;
use crate::url::reference::trim;
use crate::url::userinfo::{masked, masked_in_text};

/// Link texts and titles are cut to this many characters.
pub(super) const LONGEST_TEXT: usize = 1000;
/// References are cut to this many bytes: far more than any server accepts.
const LONGEST_REFERENCE: usize = 64 * 1024;

/// Images shown for a page on social sites, and the page's own URL (the Open Graph protocol; the
/// card's image if that is missing).
const META_URLS: &[&str] = &["og:image", "og:url", "twitter:image"];

/// Where a tag is.
#[derive(Debug, Clone, Copy)]
pub(super) struct TagContext {
    pub(super) region: Option<Region>,
    /// See [`LinkRecord::ancestor_hash`].
    pub(super) ancestor_hash: u32,
    /// The number of the tag, in place of its line until that is known.
    pub(super) tag: u32,
    /// In SVG or MathML.
    pub(super) foreign: bool,
    /// See [`LinkRecord::scripted`].
    pub(super) scripted: bool,
    /// Whether the form around it uses GET; `None` outside forms.
    pub(super) form_gets: Option<bool>,
}

impl TagContext {
    /// Outside any element: the number of the tag stands for a line.
    pub(super) fn bare(tag: u32) -> TagContext {
        TagContext {
            region: None,
            ancestor_hash: 0,
            tag,
            foreign: false,
            scripted: false,
            form_gets: None,
        }
    }
}

/// Collects the links of one tag.
pub(super) struct LinkCollector<'a> {
    pub(super) builder: &'a mut ReadingBuilder,
    pub(super) tag: &'a Tag,
    pub(super) name: Name,
    pub(super) context: TagContext,
}

impl LinkCollector<'_> {
    /// Collects all links in the attributes of the tag.
    pub(super) fn collect_all(&mut self) {
        let element = Element::of(self.name);
        for &LinkAttribute { attribute, grammar, .. } in link_attributes(self.name) {
            let tag = self.tag;
            let Some(value) = tag.value(attribute.name()) else { continue };
            match grammar {
                Grammar::Url => self.collector(element, attribute, value),
                Grammar::Srcset => self.collect_candidates(element, attribute, value),
                Grammar::Meta => self.collect_meta(element, attribute, value),
                Grammar::LateUrl if self.is_late(&["src"]) => {
                    self.collector(element, attribute, value)
                }
                Grammar::LateSrcset if self.is_late(&["src", "srcset"]) => {
                    self.collect_candidates(element, attribute, value);
                }
                Grammar::FormAction if is_sent_by_get(self.tag) => {
                    self.collector(element, attribute, value);
                }
                Grammar::ButtonAction if self.submits_by_get() => {
                    self.collector(element, attribute, value);
                }
                Grammar::ImageInput if self.is_picture_input() => {
                    self.collector(element, attribute, value);
                }
                Grammar::Drawing if self.is_drawn(attribute, value) => {
                    self.collector(element, attribute, value);
                }
                Grammar::LateUrl
                | Grammar::LateSrcset
                | Grammar::FormAction
                | Grammar::ButtonAction
                | Grammar::ImageInput
                | Grammar::Drawing
                | Grammar::Inner => {}
            }
        }
        if let Some(style) = self.tag.value("style") {
            css::in_declarations(style, |url| self.collector(element, Attribute::STYLE, &url));
        }
    }

    fn collect_candidates(&mut self, element: Element, attribute: Attribute, value: &str) {
        for candidate in srcset::candidates(value) {
            self.collector(element, attribute, candidate);
        }
    }

    fn collect_meta(&mut self, element: Element, attribute: Attribute, value: &str) {
        let is = |name: &str, wanted: &str| {
            self.tag.value(name).is_some_and(|content| content.trim().eq_ignore_ascii_case(wanted))
        };
        if is("http-equiv", "refresh") {
            if let Some(target) = refresh::target(value) {
                self.add(element, attribute, target, Some("refresh"));
            }
            return;
        }
        let content = META_URLS.iter().find(|name| is("property", name) || is("name", name));
        if let Some(&content) = content.filter(|_| !trim(value).is_empty()) {
            self.add(element, attribute, value, Some(content));
        }
    }

    /// Whether a script fills these attributes: they contain nothing worth checking yet.
    fn is_late(&self, attributes: &[&str]) -> bool {
        let is_empty = |name: &&str| {
            self.tag.value(name).is_none_or(|value| {
                let value = trim(value);
                value.is_empty() || starts_with_ignore_case(value, "data:")
            })
        };
        attributes.iter().all(is_empty)
    }

    /// Whether it is a button that submits a form by GET: its own method counts first (HTML,
    /// "formmethod").
    fn submits_by_get(&self) -> bool {
        let kind = self.tag.value("type").map(str::trim).unwrap_or_default();
        let submits = match self.name {
            Name::Button => !["button", "reset"].iter().any(|no| kind.eq_ignore_ascii_case(no)),
            _ => ["submit", "image"].iter().any(|yes| kind.eq_ignore_ascii_case(yes)),
        };
        submits
            && match self.tag.value("formmethod") {
                Some(method) => is_get(method),
                None => self.context.form_gets == Some(true),
            }
    }

    fn is_picture_input(&self) -> bool {
        self.tag.value("type").is_some_and(|kind| kind.trim().eq_ignore_ascii_case("image"))
    }

    /// `href` wins over `xlink:href` (SVG 2, "Linking").
    fn is_drawn(&self, attribute: Attribute, value: &str) -> bool {
        let wins = attribute == Attribute::HREF || self.tag.value("href").is_none();
        let of_page = self.name != Name::A && trim(value).starts_with('#');
        self.context.foreign && wins && !of_page
    }

    fn collector(&mut self, element: Element, attribute: Attribute, written: &str) {
        let rel = self.tag.value("rel").filter(|rel| !rel.trim().is_empty());
        // Only its type shows that such a link is for programs (oEmbed, "Discovery").
        let is_embed = |kind: &str| kind.to_ascii_lowercase().ends_with("+oembed");
        if self.name == Name::Link && self.tag.value("type").is_some_and(is_embed) {
            let rel = format!("{} oembed", rel.unwrap_or_default());
            return self.add(element, attribute, written, Some(rel.trim()));
        }
        self.add(element, attribute, written, rel);
    }

    fn add(&mut self, element: Element, attribute: Attribute, written: &str, rel: Option<&str>) {
        let alt = self.tag.value("alt");
        let text = alt.filter(|_| matches!(self.name, Name::Img | Name::Area | Name::Input));
        let text = text.map(|alt| fold(alt.as_bytes()));
        let title = self.tag.value("title").map(|title| fold(title.as_bytes()));
        let title = title.filter(|title| !title.is_empty());
        let content = LinkContent { element, attribute, written, text, rel, title };
        add(self.builder, self.context, content);
    }
}

/// Whether a form uses GET.
pub(super) fn is_sent_by_get(form: &Tag) -> bool {
    form.value("method").is_none_or(is_get)
}

/// Anything that is not a method means GET (HTML, "method": the invalid value default).
fn is_get(method: &str) -> bool {
    let method = method.trim();
    !method.eq_ignore_ascii_case("post") && !method.eq_ignore_ascii_case("dialog")
}

/// What is stored of a link.
pub(super) struct LinkContent<'a> {
    pub(super) element: Element,
    pub(super) attribute: Attribute,
    pub(super) written: &'a str,
    pub(super) text: Option<Cow<'a, str>>,
    pub(super) rel: Option<&'a str>,
    pub(super) title: Option<Cow<'a, str>>,
}

/// Adds a link, unless it is empty and not for visitors.
pub(super) fn add(builder: &mut ReadingBuilder, context: TagContext, content: LinkContent<'_>) {
    let LinkContent { element, attribute, written, text, rel, title } = content;
    if trim(written).is_empty() && element.purpose(attribute, rel) != Purpose::Visit {
        return;
    }
    let written = builder.keep(cut(&masked(written), LONGEST_REFERENCE));
    let rel = rel.map(|rel| builder.keep(cut(rel, LONGEST_TEXT)));
    let text = text.map(|text| builder.keep(&text));
    let title = title.map(|title| builder.keep(&title));
    builder.add_link(LinkRecord {
        element,
        attribute,
        written,
        text,
        rel,
        title,
        region: context.region,
        ancestor_hash: context.ancestor_hash,
        scripted: context.scripted,
        line: context.tag,
        column: 0,
    });
}

/// The longest prefix of a text with at most this many bytes.
fn cut(text: &str, most: usize) -> &str {
    &text[..text.floor_char_boundary(most)]
}

fn starts_with_ignore_case(text: &str, start: &str) -> bool {
    text.get(..start.len()).is_some_and(|begin| begin.eq_ignore_ascii_case(start))
}

/// Collapses white space, masks credentials in URLs, and cuts what is too long.
pub(super) fn fold(raw: &[u8]) -> Cow<'_, str> {
    // Most texts are short and need no change.
    let trimmed = raw.trim_ascii();
    if trimmed.len() <= LONGEST_TEXT && is_folded(trimmed) {
        return masked_in_text(std::str::from_utf8(trimmed).expect("ASCII is text"));
    }
    let text = String::from_utf8_lossy(raw);
    let mut folded = String::with_capacity(text.len());
    for word in text.split_whitespace() {
        if !folded.is_empty() {
            folded.push(' ');
        }
        folded.push_str(word);
    }
    if let Cow::Owned(masked) = masked_in_text(&folded) {
        folded = masked;
    }
    if let Some((end, _)) = folded.char_indices().nth(LONGEST_TEXT) {
        folded.truncate(end);
        folded.push('…');
    }
    Cow::Owned(folded)
}

/// Whether a text is ASCII with single spaces between its words.
fn is_folded(text: &[u8]) -> bool {
    let mut after_space = false;
    text.iter().all(|&byte| {
        let is_space = byte == b' ';
        let fine = byte.is_ascii() && byte >= b' ' && !(is_space && after_space);
        after_space = is_space;
        fine
    })
}
