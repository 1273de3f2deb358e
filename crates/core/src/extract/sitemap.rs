//! The URLs in a sitemap (sitemaps.org protocol 0.9): an XML list of pages or of other sitemaps,
//! or plain text with one URL per line.
//!
//! Apart from `loc`, the images of `image:loc` and the translations of `xhtml:link` are
//! extracted. Everything before an XML error counts.

use quick_xml::events::{BytesStart, Event};

use super::collector::{self, LinkContent, TagContext};
use super::elements::{Attribute, Element};
use super::xml::{XmlStream, attribute, resolve};
use crate::extract::reading_builder::ReadingBuilder;
use crate::url::reference::trim;

#[derive(Debug, Default)]
pub(super) struct Sitemap {
    builder: Box<ReadingBuilder>,
    stream: XmlStream,
    positions: Vec<(u32, u32)>,
    form: Form,
    /// Local names of the open elements, as far as they matter.
    open: Vec<Part>,
    /// The URL that is being parsed, and where its element begins.
    url: Option<(String, (u32, u32))>,
    is_faulty: bool,
    /// Incomplete text is parsed again when it has grown to this length, because a comment may
    /// arrive in many pieces.
    retry_at: usize,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
enum Form {
    #[default]
    Unknown,
    Xml,
    Text,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Part {
    Root,
    Sitemap,
    Image,
    Loc,
    Other,
}

impl Sitemap {
    /// Keeps this many links.
    pub(super) fn new(most_links: usize) -> Sitemap {
        Sitemap { builder: Box::new(ReadingBuilder::new(most_links)), ..Sitemap::default() }
    }

    /// Parses as much of the waiting text as possible, and removes it.
    pub(super) fn feed(
        &mut self,
        waiting: &mut String,
        is_last: bool,
    ) -> Option<Box<ReadingBuilder>> {
        if waiting.len() < self.retry_at && !is_last {
            return None;
        }
        if self.form == Form::Unknown
            && let Some(first) = waiting.chars().find(|c| !c.is_whitespace())
        {
            self.form = if first == '<' { Form::Xml } else { Form::Text };
        }
        let end = match self.form {
            _ if is_last => waiting.len(),
            Form::Unknown => 0,
            Form::Xml => waiting.rfind('>').map_or(0, |at| at + 1),
            Form::Text => waiting.rfind('\n').map_or(0, |at| at + 1),
        };
        let read = match self.form {
            Form::Xml => self.read_xml(&waiting[..end], is_last),
            Form::Text => self.read_lines(&waiting[..end]),
            Form::Unknown => end,
        };
        waiting.drain(..read);
        self.retry_at = 2 * waiting.len();
        is_last.then(|| self.finish())
    }

    fn finish(&mut self) -> Box<ReadingBuilder> {
        if self.is_faulty
            || self.stream.is_faulty
            || self.form == Form::Unknown
            || !self.open.is_empty()
        {
            self.builder.set_faulty();
        }
        for link in self.builder.links_from(0) {
            (link.line, link.column) = self.positions[link.line as usize];
        }
        std::mem::take(&mut self.builder)
    }

    fn read_lines(&mut self, text: &str) -> usize {
        let start = self.stream.cursor.offset();
        let mut at = 0;
        for line in text.split_inclusive('\n') {
            let written = trim(line);
            // A text without a single URL is not a sitemap.
            let is_url = written.contains("://");
            self.is_faulty |= !is_url && !written.is_empty();
            if is_url {
                let cursor = &mut self.stream.cursor;
                let rest = &text[cursor.offset() - start..];
                let position = cursor.advance_to(start + at, rest);
                self.collector(position, Element::LOC, Attribute::CONTENT, written, None);
            }
            at += line.len();
        }
        let cursor = &mut self.stream.cursor;
        cursor.advance_to(start + at, &text[cursor.offset() - start..]);
        at
    }

    fn read_xml(&mut self, text: &str, is_last: bool) -> usize {
        let mut stream = std::mem::take(&mut self.stream);
        let read = stream.read(text, is_last, |event, position| self.take(event, position));
        self.stream = stream;
        read
    }

    fn take(&mut self, event: &Event<'_>, position: (u32, u32)) {
        match event {
            Event::Start(tag) => {
                let part = self.part(tag.local_name().as_ref());
                self.open.push(part);
                if part == Part::Loc {
                    self.url = Some((String::new(), position));
                }
                self.take_translation(tag, position);
            }
            Event::Empty(tag) => self.take_translation(tag, position),
            Event::End(_) => {
                let ended = self.open.pop();
                if ended == Some(Part::Loc) {
                    self.end_url();
                }
            }
            Event::Text(text) => self.collect(Some(text)),
            Event::CData(text) => self.collect(Some(text)),
            Event::GeneralRef(entity) => {
                let text = resolve(entity);
                if text.is_none() && self.url.is_some() {
                    // The entity is unknown: the URL without it would be a different one.
                    (self.is_faulty, self.url) = (true, None);
                }
                self.collect(text.as_deref());
            }
            _ => {}
        }
    }

    fn part(&mut self, name: &str) -> Part {
        if self.open.is_empty() {
            self.is_faulty |= !matches!(name, "urlset" | "sitemapindex");
            return Part::Root;
        }
        match name {
            "sitemap" => Part::Sitemap,
            "image" => Part::Image,
            "loc" => Part::Loc,
            _ => Part::Other,
        }
    }

    fn collect(&mut self, text: Option<&str>) {
        if let (Some((url, _)), Some(text)) = (&mut self.url, text)
            && url.len() < 64 * 1024
        {
            url.push_str(text);
        }
    }

    fn end_url(&mut self) {
        let Some((url, position)) = self.url.take() else { return };
        let (element, rel) = match self.open.last() {
            Some(Part::Image) => (Element::IMAGE_LOC, None),
            Some(Part::Sitemap) => (Element::LOC, Some("sitemap")),
            _ => (Element::LOC, None),
        };
        self.collector(position, element, Attribute::CONTENT, trim(&url), rel);
    }

    /// `<xhtml:link rel="alternate" hreflang="…" href="…"/>`
    fn take_translation(&mut self, tag: &BytesStart<'_>, position: (u32, u32)) {
        if tag.local_name().as_ref() != "link" {
            return;
        }
        if let Some(href) = attribute(tag, "href") {
            let rel = attribute(tag, "rel");
            let rel = rel.as_deref().or(Some("alternate"));
            self.collector(position, Element::LINK, Attribute::HREF, trim(&href), rel);
        }
    }

    fn collector(
        &mut self,
        position: (u32, u32),
        element: Element,
        attribute: Attribute,
        written: &str,
        rel: Option<&str>,
    ) {
        if written.is_empty() {
            return;
        }
        let tag = u32::try_from(self.positions.len()).expect("sitemaps are shorter than 4 GiB");
        self.positions.push(position);
        let context = TagContext::bare(tag);
        collector::add(
            &mut self.builder,
            context,
            LinkContent { element, attribute, written, text: None, rel, title: None },
        );
    }
}
