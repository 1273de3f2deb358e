//! Builds a reading, piece by piece.

use encoding_rs::Encoding;

use super::reading::{Format, LinkRecord, MOST_LINKS, Reading, Region, Sketch, Span, offset};
use super::shared_parts::PartId;
use crate::url::fragment::AnchorIndex;
use crate::url::userinfo::masked;

/// How much of a reading there was at some time.
#[derive(Debug, Clone, Copy)]
pub struct Mark {
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
pub struct Excerpt {
    id: PartId,
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
    #[must_use]
    pub fn weight(&self) -> usize {
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
        // Room for a usual page, so that little is moved while it grows.
        let (text, links) = (String::with_capacity(2048), Vec::with_capacity(32));
        let reading = Reading { text, links, ..Reading::default() };
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
    #[must_use]
    pub fn mark(&self) -> Mark {
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
    #[must_use]
    pub fn since(&self, mark: Mark) -> Option<Excerpt> {
        let Reading { text, links, .. } = &self.reading;
        if links.len() > self.most_links {
            return None;
        }
        let at = |span: Span| Span { start: span.start - offset(mark.text), ..span };
        let links = links[mark.links..].iter().map(|link| link.with_spans(at)).collect();
        let (text, ids) = (text[mark.text..].into(), self.ids[mark.ids..].into());
        Some(Excerpt { id: PartId::unique(), text, links, ids })
    }

    /// Adds the same again, with numbers of tags from this one on, if there is room.
    pub(crate) fn add_excerpt(&mut self, excerpt: &Excerpt, tags: u32) -> bool {
        self.add_excerpt_as(excerpt, |link| LinkRecord { line: tags + link.line, ..link })
    }

    /// Adds the same again, with these lines and columns, if there is room.
    pub fn add_excerpt_at(
        &mut self,
        excerpt: &Excerpt,
        mut positions: impl Iterator<Item = (u32, u32)>,
    ) -> bool {
        self.add_excerpt_as(excerpt, |link| {
            let (line, column) = positions.next().unwrap_or_default();
            LinkRecord { line, column, ..link }
        })
    }

    fn add_excerpt_as(
        &mut self,
        excerpt: &Excerpt,
        mut place: impl FnMut(LinkRecord) -> LinkRecord,
    ) -> bool {
        let Reading { text, links, parts, .. } = &mut self.reading;
        let first = links.len();
        if first + excerpt.links.len() > self.most_links {
            return false;
        }
        let start = offset(text.len());
        let at = |span: Span| Span { start: start + span.start, ..span };
        text.push_str(&excerpt.text);
        links.extend(excerpt.links.iter().map(|link| place(link.with_spans(at))));
        parts.add(first..links.len(), excerpt.id);
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

impl Reading {
    /// What is known of a page of which only the title was kept.
    #[must_use]
    pub fn of_title(title: &str) -> Reading {
        let mut builder = ReadingBuilder::default();
        builder.set_title(title);
        builder.set_title_only();
        builder.finish(true)
    }
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
