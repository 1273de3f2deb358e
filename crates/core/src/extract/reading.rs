//! What is stored of a page: its links, its anchors, its title.
//!
//! All text of a page is in one string, and links point into it: a page with a hundred links
//! takes two allocations, not hundreds.

use std::fmt;
use std::ops::Range;

use encoding_rs::{Encoding, UTF_8};
use xxhash_rust::xxh3::xxh3_128;

use crate::extract::elements::{Attribute, Element};
use crate::extract::shared_parts::{SharedPart, SharedParts};
use crate::url::fragment::AnchorIndex;

/// A range of a reading's text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    pub(super) start: u32,
    pub(super) length: u32,
}

impl Span {
    /// The span with this start and length in bytes.
    #[must_use]
    pub fn new(start: usize, length: usize) -> Span {
        Span { start: offset(start), length: offset(length) }
    }
}

/// How a body is parsed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum Format {
    /// An HTML page.
    #[default]
    Html,
    /// An XHTML page.
    Xhtml,
    /// A stylesheet.
    Css,
    /// A sitemap, in XML or plain text.
    Sitemap,
    /// A feed: RSS or Atom.
    Feed,
    /// A web app manifest.
    Manifest,
    /// robots.txt.
    Robots,
    /// A list of URLs from the user.
    List,
}

impl Format {
    /// All formats.
    pub const ALL: [Format; 8] = [
        Format::Html,
        Format::Xhtml,
        Format::Css,
        Format::Sitemap,
        Format::Feed,
        Format::Manifest,
        Format::Robots,
        Format::List,
    ];

    /// Its name in the store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Format::Html => "html",
            Format::Xhtml => "xhtml",
            Format::Css => "css",
            Format::Sitemap => "sitemap",
            Format::Feed => "feed",
            Format::Manifest => "manifest",
            Format::Robots => "robots",
            Format::List => "list",
        }
    }

    /// The format with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Format> {
        Format::ALL.into_iter().find(|format| format.as_str() == name)
    }

    /// Whether it is a page that people look at.
    #[must_use]
    pub fn is_page(self) -> bool {
        matches!(self, Format::Html | Format::Xhtml)
    }
}

/// The nearest landmark around a link (HTML sectioning elements and their WAI-ARIA roles).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Region {
    /// `header`, or role `banner`.
    Header,
    /// `nav`, or role `navigation`.
    Nav,
    /// `main`, or role `main`.
    Main,
    /// `aside`, or role `complementary`.
    Aside,
    /// `footer`, or role `contentinfo`.
    Footer,
}

impl Region {
    const ALL: [Region; 5] =
        [Region::Header, Region::Nav, Region::Main, Region::Aside, Region::Footer];

    /// Its name in every output: that of the element.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Region::Header => "header",
            Region::Nav => "nav",
            Region::Main => "main",
            Region::Aside => "aside",
            Region::Footer => "footer",
        }
    }

    /// The region with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Region> {
        Region::ALL.into_iter().find(|region| region.as_str() == name)
    }
}

/// One link, with its texts as ranges of the reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LinkRecord {
    /// The element.
    pub element: Element,
    /// The attribute.
    pub attribute: Attribute,
    /// The reference as written in the source, with entities decoded.
    pub written: Span,
    /// The link text, with white space collapsed; `None` for elements without text.
    pub text: Option<Span>,
    /// The `rel` attribute.
    pub rel: Option<Span>,
    /// The `title` attribute, with white space collapsed.
    pub title: Option<Span>,
    /// The nearest landmark.
    pub region: Option<Region>,
    /// A hash of the blocks around it, from the nearest landmark inwards: equal wherever a
    /// template puts the same part.
    pub ancestor_hash: u32,
    /// A script acts on its element, as shown by the role `button` or `tab`, `aria-controls`, a
    /// `data-` attribute that ends in `toggle`, or `onclick`.
    pub scripted: bool,
    /// Line of the start of the tag, from 1, after content decoding.
    pub line: u32,
    /// Column of the start of the tag in Unicode code points, from 1.
    pub column: u32,
}

impl LinkRecord {
    /// The same with other ranges.
    pub(super) fn with_spans(&self, of: impl Fn(Span) -> Span) -> LinkRecord {
        LinkRecord {
            written: of(self.written),
            text: self.text.map(&of),
            rel: self.rel.map(&of),
            title: self.title.map(&of),
            ..*self
        }
    }
}

/// One link, with its texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Link<'a> {
    /// See [`LinkRecord::element`].
    pub element: Element,
    /// See [`LinkRecord::attribute`].
    pub attribute: Attribute,
    /// See [`LinkRecord::written`].
    pub written: &'a str,
    /// See [`LinkRecord::text`].
    pub text: Option<&'a str>,
    /// See [`LinkRecord::rel`].
    pub rel: Option<&'a str>,
    /// See [`LinkRecord::title`].
    pub title: Option<&'a str>,
    /// See [`LinkRecord::region`].
    pub region: Option<Region>,
    /// See [`LinkRecord::ancestor_hash`].
    pub ancestor_hash: u32,
    /// See [`LinkRecord::scripted`].
    pub scripted: bool,
    /// See [`LinkRecord::line`].
    pub line: u32,
    /// See [`LinkRecord::column`].
    pub column: u32,
}

/// Hashes by which the text of a page is compared with others.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Sketch {
    /// A hash of its words.
    pub text: u64,
    /// A hash of its words except for numbers.
    pub outline: u64,
}

/// Everything that is stored of one page.
#[derive(Clone, PartialEq, Eq)]
pub struct Reading {
    pub(super) text: String,
    pub(super) links: Vec<LinkRecord>,
    pub(super) parts: SharedParts,
    pub(super) title: Option<Span>,
    pub(super) description: Option<Span>,
    pub(super) base: Option<Span>,
    pub(super) rules: Option<Span>,
    pub(super) anchors: AnchorIndex,
    /// Its hash, if it was restored from a store.
    pub(super) stored_hash: Option<u128>,
    /// How it was parsed.
    pub format: Format,
    /// The encoding of the page and of its queries (URL, "encoding").
    pub encoding: &'static Encoding,
    /// It was longer than the limit; the rest was not read.
    pub cut: bool,
    /// It was fetched in an earlier run, and only its title was stored: its links are unknown.
    pub title_only: bool,
    /// It is not valid, such as a sitemap that is not XML; everything before the error was
    /// parsed.
    pub faulty: bool,
    /// It has scripts.
    pub scripted: bool,
    /// Hashes of its text, if they were requested and there is any text.
    pub sketch: Option<Sketch>,
    /// The first heading, with white space collapsed. Not stored.
    pub(super) heading: Option<String>,
    /// The number of words; of a text over 12 KiB, more than any notice has. Not stored.
    pub words: u32,
    /// See [`Signs::likeness`](crate::extract::signs::Signs::likeness). Not stored.
    pub likeness: Option<u64>,
    /// Browsers request its http URLs by https (Upgrade Insecure Requests §3.1). Not stored.
    pub upgrades: bool,
    /// It is to be kept out of search engines. Not stored.
    pub noindex: bool,
}

impl Default for Reading {
    fn default() -> Reading {
        Reading {
            text: String::new(),
            links: Vec::new(),
            parts: SharedParts::default(),
            title: None,
            description: None,
            base: None,
            rules: None,
            anchors: AnchorIndex::default(),
            stored_hash: None,
            format: Format::Html,
            encoding: UTF_8,
            cut: false,
            title_only: false,
            faulty: false,
            scripted: false,
            sketch: None,
            heading: None,
            words: 0,
            likeness: None,
            upgrades: false,
            noindex: false,
        }
    }
}

impl Reading {
    /// The links in source order.
    pub fn links(&self) -> impl ExactSizeIterator<Item = Link<'_>> {
        self.links_at(0..self.links.len())
    }

    /// The links at these positions.
    ///
    /// # Panics
    /// If there are fewer.
    pub fn links_at(&self, positions: Range<usize>) -> impl ExactSizeIterator<Item = Link<'_>> {
        self.links[positions].iter().map(|link| Link {
            element: link.element,
            attribute: link.attribute,
            written: self.at(link.written),
            text: link.text.map(|span| self.at(span)),
            rel: link.rel.map(|span| self.at(span)),
            title: link.title.map(|span| self.at(span)),
            region: link.region,
            ancestor_hash: link.ancestor_hash,
            scripted: link.scripted,
            line: link.line,
            column: link.column,
        })
    }

    /// The parts that other pages have too, as far as is known, in order.
    #[must_use]
    pub fn parts(&self) -> &[SharedPart] {
        self.parts.as_slice()
    }

    /// The text of `title`, with white space collapsed.
    #[must_use]
    pub fn title(&self) -> Option<&str> {
        self.title.map(|span| self.at(span))
    }

    /// The content of `meta name=description`, with white space collapsed.
    #[must_use]
    pub fn description(&self) -> Option<&str> {
        self.description.map(|span| self.at(span))
    }

    /// The text of the first heading, with white space collapsed.
    #[must_use]
    pub fn heading(&self) -> Option<&str> {
        self.heading.as_deref()
    }

    /// The `href` of the first `base` that has one, as written.
    #[must_use]
    pub fn base(&self) -> Option<&str> {
        self.base.map(|span| self.at(span))
    }

    /// For robots.txt: its text.
    #[must_use]
    pub fn rules(&self) -> Option<&str> {
        self.rules.map(|span| self.at(span))
    }

    /// The anchors that fragments may name.
    #[must_use]
    pub fn anchors(&self) -> &AnchorIndex {
        &self.anchors
    }

    /// A hash of everything that was extracted: equal for pages with equal links, anchors and
    /// title, even if their bytes differ.
    #[must_use]
    pub fn hash(&self) -> u128 {
        if let Some(hash) = self.stored_hash {
            return hash;
        }
        // Gathered first: to hash many small pieces one by one takes several times as long.
        let mut hashed = Vec::with_capacity(self.text.len() + 96 * (self.links.len() + 1));
        hashed.extend_from_slice(self.text.as_bytes());
        hashed.extend_from_slice(self.format.as_str().as_bytes());
        hashed.extend_from_slice(self.encoding.name().as_bytes());
        hashed.extend_from_slice(&[
            u8::from(self.cut),
            u8::from(self.faulty),
            u8::from(self.scripted),
        ]);
        let sketch = self.sketch.unwrap_or_default();
        hashed.extend_from_slice(&sketch.text.to_le_bytes());
        hashed.extend_from_slice(&sketch.outline.to_le_bytes());
        for link in &self.links {
            hashed.extend_from_slice(link.element.name().as_bytes());
            hashed.extend_from_slice(link.attribute.name().as_bytes());
            let spans = [Some(link.written), link.text, link.rel, link.title];
            for span in spans {
                let span = span.map_or([u32::MAX; 2], |span| [span.start, span.length]);
                hashed.extend_from_slice(&span[0].to_le_bytes());
                hashed.extend_from_slice(&span[1].to_le_bytes());
            }
            let region = link.region.map_or(0, |region| region as u8 + 1);
            hashed.extend_from_slice(&[region, u8::from(link.scripted)]);
            hashed.extend_from_slice(&link.ancestor_hash.to_le_bytes());
            hashed.extend_from_slice(&link.line.to_le_bytes());
            hashed.extend_from_slice(&link.column.to_le_bytes());
        }
        for anchor in self.anchors.hashes() {
            hashed.extend_from_slice(&anchor.to_le_bytes());
        }
        xxh3_128(&hashed)
    }

    /// How many bytes it takes in memory, about.
    #[must_use]
    pub fn weight(&self) -> usize {
        self.text.len()
            + std::mem::size_of_val(self.links.as_slice())
            + std::mem::size_of_val(self.anchors.hashes())
    }

    /// The same without its links, as though it had been cut at its beginning.
    #[must_use]
    pub fn without_links(self) -> Reading {
        let parts = SharedParts::default();
        Reading { links: Vec::new(), parts, cut: true, stored_hash: None, ..self }
    }

    fn at(&self, span: Span) -> &str {
        &self.text[span.start as usize..(span.start + span.length) as usize]
    }
}

impl fmt::Debug for Reading {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Reading")
            .field("title", &self.title())
            .field("base", &self.base())
            .field("links", &self.links().collect::<Vec<_>>())
            .finish_non_exhaustive()
    }
}

/// How many links of a page are kept by default: five times as many as the largest manuals have on
/// a page.
pub const MOST_LINKS: usize = 100_000;

/// Bodies are far shorter than 4 GiB, because of the size limit of a page.
pub(super) fn offset(length: usize) -> u32 {
    u32::try_from(length).expect("a page's text stays far below 4 GiB")
}
