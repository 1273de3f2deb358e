//! What is stored of a page: its links, its anchors, its title.
//!
//! All text of a page is in one string, and links point into it: a page with a hundred links
//! takes two allocations, not hundreds.

use std::fmt;

use encoding_rs::{Encoding, UTF_8};
use xxhash_rust::xxh3::xxh3_128;

use crate::extract::elements::{Attribute, Element};
use crate::url::fragment::AnchorIndex;
use crate::url::userinfo::masked;

/// A range of a reading's text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    start: u32,
    length: u32,
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
    fn with_spans(&self, of: impl Fn(Span) -> Span) -> LinkRecord {
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
    text: String,
    links: Vec<LinkRecord>,
    title: Option<Span>,
    description: Option<Span>,
    base: Option<Span>,
    rules: Option<Span>,
    anchors: AnchorIndex,
    /// Its hash, if it was restored from a store.
    stored_hash: Option<u128>,
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
    heading: Option<String>,
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
    /// What is known of a page of which only the title was kept.
    #[must_use]
    pub fn of_title(title: &str) -> Reading {
        let mut builder = ReadingBuilder::default();
        builder.set_title(title);
        builder.set_title_only();
        builder.finish(true)
    }

    /// The links in source order.
    pub fn links(&self) -> impl ExactSizeIterator<Item = Link<'_>> {
        self.links.iter().map(|link| Link {
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
        Reading { links: Vec::new(), cut: true, stored_hash: None, ..self }
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

/// How much of a reading there was at some time.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Mark {
    text: usize,
    links: usize,
    ids: usize,
}

/// What is known of a page as a whole: which texts there are, and what else it says of itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Facts([bool; 9]);

impl Facts {
    pub(crate) fn bits(self) -> u16 {
        self.0.into_iter().fold(0, |bits, fact| bits << 1 | u16::from(fact))
    }
}

/// A part of a reading: its text, the links with ranges of it, and the hashes of anchors.
#[derive(Debug)]
pub(crate) struct Excerpt {
    text: Box<str>,
    links: Box<[LinkRecord]>,
    ids: Box<[u64]>,
}

impl Excerpt {
    /// The tag with this number counts as the first one.
    pub(crate) fn number_tags_from(&mut self, first: u32) {
        self.links.iter_mut().for_each(|link| link.line -= first);
    }

    /// How many bytes it takes in memory, about.
    pub(crate) fn weight(&self) -> usize {
        self.text.len() + size_of_val(&*self.links) + size_of_val(&*self.ids)
    }
}

/// Builds a reading, piece by piece.
#[derive(Debug)]
pub struct ReadingBuilder {
    reading: Reading,
    ids: Vec<u64>,
    most_links: usize,
}

impl Default for ReadingBuilder {
    fn default() -> ReadingBuilder {
        ReadingBuilder::new(MOST_LINKS)
    }
}

impl ReadingBuilder {
    /// A builder that keeps this many links.
    #[must_use]
    pub fn new(most_links: usize) -> ReadingBuilder {
        let reading = Reading::default();
        ReadingBuilder { reading, ids: Vec::new(), most_links }
    }

    /// Stores a text.
    pub fn keep(&mut self, text: &str) -> Span {
        let span = Span::new(self.reading.text.len(), text.len());
        self.reading.text.push_str(text);
        span
    }

    /// Adds a link, and returns its position in the list. Those over the limit share one place
    /// after the last, which [`finish`](ReadingBuilder::finish) removes.
    pub fn add_link(&mut self, link: LinkRecord) -> usize {
        self.reading.links.truncate(self.most_links);
        self.reading.links.push(link);
        self.reading.links.len() - 1
    }

    /// Adds a link whose spans are relative to these texts.
    pub fn add_link_with_texts(&mut self, link: LinkRecord, texts: &str) -> usize {
        let Span { start, .. } = self.keep(texts);
        self.add_link(link.with_spans(|span| Span { start: start + span.start, ..span }))
    }

    /// How much there is so far.
    pub(crate) fn mark(&self) -> Mark {
        let Reading { text, links, .. } = &self.reading;
        Mark { text: text.len(), links: links.len(), ids: self.ids.len() }
    }

    /// What is known of the page as a whole.
    pub(crate) fn facts(&self) -> Facts {
        let Reading { title, description, base, rules, heading, .. } = &self.reading;
        let Reading { faulty, scripted, upgrades, noindex, .. } = self.reading;
        Facts([
            title.is_some(),
            description.is_some(),
            base.is_some(),
            rules.is_some(),
            heading.is_some(),
            faulty,
            scripted,
            upgrades,
            noindex,
        ])
    }

    /// What was added since then; `None` if there were too many links.
    pub(crate) fn since(&self, mark: Mark) -> Option<Excerpt> {
        let Reading { text, links, .. } = &self.reading;
        if links.len() > self.most_links {
            return None;
        }
        let at = |span: Span| Span { start: span.start - offset(mark.text), ..span };
        let links = links[mark.links..].iter().map(|link| link.with_spans(at)).collect();
        Some(Excerpt { text: text[mark.text..].into(), links, ids: self.ids[mark.ids..].into() })
    }

    /// Adds the same again, with numbers of tags from this one on, if there is room.
    pub(crate) fn add_excerpt(&mut self, excerpt: &Excerpt, tags: u32) -> bool {
        let Reading { text, links, .. } = &mut self.reading;
        if links.len() + excerpt.links.len() > self.most_links {
            return false;
        }
        let start = offset(text.len());
        let at = |span: Span| Span { start: start + span.start, ..span };
        text.push_str(&excerpt.text);
        links.extend(
            excerpt
                .links
                .iter()
                .map(|link| LinkRecord { line: tags + link.line, ..link.with_spans(at) }),
        );
        self.ids.extend_from_slice(&excerpt.ids);
        true
    }

    /// The link at this position.
    pub fn link_mut(&mut self, anchor: usize) -> &mut LinkRecord {
        &mut self.reading.links[anchor]
    }

    /// The links from this position on.
    pub fn links_from(&mut self, anchor: usize) -> &mut [LinkRecord] {
        let end = self.link_count();
        &mut self.reading.links[anchor.min(end)..end]
    }

    /// The number of links so far.
    #[must_use]
    pub fn link_count(&self) -> usize {
        self.reading.links.len().min(self.most_links)
    }

    /// The hash that it had when it was stored.
    pub fn set_hash(&mut self, hash: u128) {
        self.reading.stored_hash = Some(hash);
    }

    /// Adds an anchor, by its hash.
    pub fn add_anchor(&mut self, hash: u64) {
        self.ids.push(hash);
    }

    /// Sets the title, unless there is one.
    pub fn set_title(&mut self, title: &str) {
        if self.reading.title.is_none() {
            self.reading.title = Some(self.keep(title));
        }
    }

    /// Sets the description, unless there is one.
    pub fn set_description(&mut self, description: &str) {
        if self.reading.description.is_none() {
            self.reading.description = Some(self.keep(description));
        }
    }

    /// Sets the first heading, unless there is one.
    pub fn set_heading(&mut self, heading: &str) {
        self.reading.heading.get_or_insert_with(|| heading.to_owned());
    }

    /// Sets the number of words, and the likeness.
    pub fn set_words(&mut self, words: u32, likeness: Option<u64>) {
        (self.reading.words, self.reading.likeness) = (words, likeness);
    }

    /// Sets the base, unless there is one.
    pub fn set_base(&mut self, base: &str) {
        if self.reading.base.is_none() {
            self.reading.base = Some(self.keep(&masked(base)));
        }
    }

    /// Stores the text of robots.txt.
    pub fn set_rules(&mut self, rules: &str) {
        self.reading.rules = Some(self.keep(rules));
    }

    /// Sets the format.
    pub fn set_format(&mut self, format: Format) {
        self.reading.format = format;
    }

    /// Sets the encoding. Queries are never encoded as UTF-16 (Encoding, "get an output
    /// encoding").
    pub fn set_encoding(&mut self, encoding: &'static Encoding) {
        self.reading.encoding = encoding.output_encoding();
    }

    /// Marks it as not valid.
    pub fn set_faulty(&mut self) {
        self.reading.faulty = true;
    }

    /// Marks its http URLs as requested by https.
    pub fn set_upgrades(&mut self) {
        self.reading.upgrades = true;
    }

    /// Marks it as kept out of search engines.
    pub fn set_noindex(&mut self) {
        self.reading.noindex = true;
    }

    /// Marks it as known only by its title.
    pub fn set_title_only(&mut self) {
        self.reading.title_only = true;
    }

    /// Marks it as having scripts.
    pub fn set_scripted(&mut self) {
        self.reading.scripted = true;
    }

    /// Sets the hashes of its text.
    pub fn set_sketch(&mut self, sketch: Option<Sketch>) {
        self.reading.sketch = sketch;
    }

    /// Adds the links of a page in an attribute of the tag with this number, except those to an
    /// anchor in the same page.
    pub fn add_nested(&mut self, inner: &Reading, region: Option<Region>, tag: u32) {
        for link in inner.links().filter(|link| !link.written.trim_start().starts_with('#')) {
            let record = LinkRecord {
                element: link.element,
                attribute: link.attribute,
                written: self.keep(link.written),
                text: link.text.map(|text| self.keep(text)),
                rel: link.rel.map(|rel| self.keep(rel)),
                title: link.title.map(|title| self.keep(title)),
                region: link.region.or(region),
                ancestor_hash: link.ancestor_hash,
                scripted: link.scripted,
                line: tag,
                column: 0,
            };
            self.add_link(record);
        }
    }

    /// Returns the reading.
    #[must_use]
    pub fn finish(mut self, cut: bool) -> Reading {
        self.reading.anchors = AnchorIndex::from_hashes(self.ids);
        self.reading.cut = cut || self.reading.links.len() > self.most_links;
        self.reading.links.truncate(self.most_links);
        self.reading
    }
}

/// Bodies are far shorter than 4 GiB, because of the size limit of a page.
fn offset(length: usize) -> u32 {
    u32::try_from(length).expect("a page's text stays far below 4 GiB")
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn the_first_title_and_description_count() {
        let mut builder = ReadingBuilder::default();
        for (title, description) in [("The museum", "A canal"), ("Another", "Another")] {
            builder.set_title(title);
            builder.set_description(description);
        }
        let reading = builder.finish(false);
        assert_eq!((reading.title(), reading.description()), (Some("The museum"), Some("A canal")));
        let titled = Reading::of_title("The museum");
        assert_eq!((titled.title(), titled.description()), (Some("The museum"), None));
        assert!(titled.title_only && titled.cut);
        assert_eq!(titled.links().len(), 0);
    }
}
