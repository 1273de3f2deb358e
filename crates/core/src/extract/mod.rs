//! From the bytes of a page to its links, while the bytes arrive.
//!
//! An [`Extractor`] takes a body in chunks of any size and stores none of it: only an incomplete
//! part, such as the text after the last `>`, waits for the next chunk. It parses pages,
//! stylesheets, sitemaps and robots.txt. A page is tokenized by `scan` where it is usual, and by
//! html5gum, with all the tokenization rules of the HTML standard, where it is not. What the
//! tokens mean is determined by `interpreter`: `collector` collects the links of a tag, `tree`
//! knows where in the page it is, `lines` on which line.
//!
//! ```
//! use rummage_core::extract::{Extractor, Format};
//!
//! let mut page = Extractor::new(Format::Html, None, 1 << 20);
//! page.feed(b"<title>Locks</title><nav><a hr");
//! page.feed(b"ef='/map'>The <b>map</b></a>");
//! let reading = page.finish();
//!
//! let link = reading.links().next().unwrap();
//! assert_eq!((link.written, link.text), ("/map", Some("The map")));
//! assert_eq!((link.line, link.column), (1, 26));
//! assert_eq!(reading.title(), Some("Locks"));
//! ```

pub mod access_log;
mod collector;
mod css;
mod decode;
mod eight;
pub mod elements;
mod exact;
mod feed;
mod interpreter;
mod json;
mod json_ld;
mod lines;
pub mod link_header;
pub mod lists;
mod manifest;
mod markup;
mod meta;
mod names;
mod parked;
mod piece;
mod plain_tag;
pub(crate) mod plain_words;
mod prescan;
pub mod reading;
pub mod reading_builder;
mod references;
mod refresh;
pub mod repeats;
pub mod robots_meta;
pub mod robots_txt;
mod scan;
pub mod shared_parts;
pub mod signs;
mod sitemap;
mod sketch;
mod srcset;
mod stylesheet;
mod syndication;
mod tag;
mod tree;
mod xml;

use std::sync::Arc;

use crate::extract::reading::{MOST_LINKS, Reading};
use crate::extract::reading_builder::ReadingBuilder;
use crate::extract::robots_txt::Robots;
use collector::{LinkContent, TagContext};
use decode::{Decoder, Hints};
use elements::{Attribute, Element};
use markup::Markup;
use repeats::Repeats;
use sitemap::Sitemap;
use stylesheet::Stylesheet;
use syndication::Syndication;

pub use crate::extract::reading::Format;

/// How much of a body is parsed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Bytes, decoded.
    pub bytes: usize,
    /// Links.
    pub links: usize,
}

impl Limits {
    /// This many bytes, and as many links as by default.
    #[must_use]
    pub fn of_bytes(bytes: usize) -> Limits {
        Limits { bytes, links: MOST_LINKS }
    }
}

/// Parses one body. See the [module](self).
pub struct Extractor {
    format: Format,
    decoder: Decoder,
    /// Decoded text that ends in the middle of something.
    waiting: String,
    body: Body,
    /// `Link` headers of the response: target and relation.
    link_header: Vec<link_header::Link>,
    /// How many more bytes are read.
    room: usize,
    cut: bool,
}

enum Body {
    Markup(Box<Markup>),
    Stylesheet(Box<Stylesheet>),
    Sitemap(Box<Sitemap>),
    Feed(Box<Syndication>),
    /// With the number of links to keep.
    Manifest(usize),
    Robots,
}

impl Extractor {
    /// An extractor for a body with this format and `charset` (the parameter of its
    /// `Content-Type`, if it has one) that reads at most `limit` bytes.
    #[must_use]
    pub fn new(format: Format, charset: Option<&str>, limit: usize) -> Extractor {
        Extractor::with_sketch(format, charset, limit, false)
    }

    /// The same, with or without a hash of the text (see [`Reading::sketch`]).
    #[must_use]
    pub fn with_sketch(
        format: Format,
        charset: Option<&str>,
        limit: usize,
        with_sketch: bool,
    ) -> Extractor {
        Extractor::of_url("", format, charset, Limits::of_bytes(limit), with_sketch)
    }

    /// The same for the page at this URL, which its text may contain (see
    /// [`Signs::likeness`](crate::extract::signs::Signs::likeness)).
    #[must_use]
    pub fn of_url(
        url: &str,
        format: Format,
        charset: Option<&str>,
        limits: Limits,
        with_sketch: bool,
    ) -> Extractor {
        let most_links = limits.links;
        let markup = |xml| {
            let how = interpreter::Reading { xml, with_sketch, depth: 0, most_links };
            Body::Markup(Box::new(Markup::new(how, url)))
        };
        let body = match format {
            Format::Html => markup(false),
            Format::Xhtml => markup(true),
            Format::Css => Body::Stylesheet(Box::new(Stylesheet::new(most_links))),
            Format::Sitemap => Body::Sitemap(Box::new(Sitemap::new(most_links))),
            Format::Feed => Body::Feed(Box::new(Syndication::new(most_links))),
            Format::Manifest => Body::Manifest(most_links),
            // Lists are parsed in one piece, by `lists`.
            Format::Robots | Format::List => Body::Robots,
        };
        Extractor {
            format,
            decoder: Decoder::new(charset, hints(format)),
            waiting: String::new(),
            body,
            link_header: Vec::new(),
            room: limits.bytes,
            cut: false,
        }
    }

    /// Parts of a page that were read before are not read again: see [`Repeats`].
    pub fn set_repeats(&mut self, repeats: &Arc<Repeats>) {
        if let Body::Markup(markup) = &mut self.body {
            markup.set_repeats(Arc::clone(repeats));
        }
    }

    /// Takes the `Link` headers of the response (RFC 8288), each value as sent.
    pub fn take_link_headers<'a>(&mut self, values: impl Iterator<Item = &'a str>) {
        self.link_header.extend(values.flat_map(link_header::links));
    }

    /// Takes the next bytes of the body. Returns whether more are needed: not once the limit is
    /// reached, nor if it is XML that is no feed.
    pub fn feed(&mut self, bytes: &[u8]) -> bool {
        let taken = &bytes[..bytes.len().min(self.room)];
        self.cut |= taken.len() < bytes.len();
        self.room -= taken.len();
        if self.waiting.is_empty()
            && let Body::Markup(page) = &mut self.body
            && let Some(text) = self.decoder.view(taken)
        {
            let read = feed_whole_tags(page, text);
            self.waiting.push_str(&text[read..]);
            return !self.cut;
        }
        self.decoder.feed(taken, &mut self.waiting);
        let done = match &mut self.body {
            Body::Markup(page) => {
                let read = feed_whole_tags(page, &self.waiting);
                self.waiting.drain(..read);
                None
            }
            Body::Stylesheet(stylesheet) => stylesheet.feed(&mut self.waiting, false),
            Body::Sitemap(sitemap) => sitemap.feed(&mut self.waiting, false),
            Body::Feed(feed) => feed.feed(&mut self.waiting, false),
            Body::Manifest(_) | Body::Robots => None,
        };
        debug_assert!(done.is_none(), "only the end of the body gives the reading");
        let is_other = matches!(&self.body, Body::Feed(feed) if feed.is_other());
        !self.cut && !is_other
    }

    /// The body has ended: returns what was parsed.
    #[must_use]
    pub fn finish(mut self) -> Reading {
        self.decoder.finish(&mut self.waiting);
        let waiting = &mut self.waiting;
        let builder = match &mut self.body {
            Body::Markup(page) => page.feed(waiting, true),
            Body::Stylesheet(stylesheet) => stylesheet.feed(waiting, true),
            Body::Sitemap(sitemap) => sitemap.feed(waiting, true),
            Body::Feed(feed) => feed.feed(waiting, true),
            Body::Manifest(most_links) => Some(manifest::read(waiting, *most_links)),
            Body::Robots => Some(robots(waiting)),
        };
        let mut builder = builder.expect("the end of the input gives the reading");
        for field in &self.link_header {
            let content = LinkContent {
                element: Element::LINK,
                attribute: Attribute::HEADER,
                written: &field.target,
                text: None,
                rel: field.rel.as_deref(),
                title: None,
            };
            collector::add(&mut builder, TagContext::bare(0), content);
        }
        builder.set_format(self.format);
        builder.set_encoding(self.decoder.encoding());
        builder.finish(self.cut)
    }
}

/// Reads a page up to the end of the last tag of this text. Returns where that is.
fn feed_whole_tags(page: &mut Markup, text: &str) -> usize {
    let Some(last) = memchr::memrchr(b'>', text.as_bytes()) else { return 0 };
    page.feed(&text[..=last], false);
    last + 1
}

/// The text of a page or stylesheet without its byte order mark, and its encoding, by the same rules
/// as an [`Extractor`] that knows no `Content-Type`.
#[must_use]
pub fn decode_text(bytes: &[u8], format: Format) -> (String, &'static encoding_rs::Encoding) {
    let mut decoder = Decoder::new(None, hints(format));
    let mut text = String::new();
    decoder.feed(bytes, &mut text);
    decoder.finish(&mut text);
    (text, decoder.encoding())
}

/// How a body of this format names its encoding.
fn hints(format: Format) -> Hints {
    match format {
        Format::Html => Hints::Html,
        Format::Xhtml | Format::Sitemap | Format::Feed => Hints::Xml,
        Format::Css => Hints::Css,
        Format::Manifest | Format::Robots | Format::List => Hints::Utf8,
    }
}

/// The rules are stored as they are; `Sitemap` lines are links.
fn robots(text: &str) -> Box<ReadingBuilder> {
    let mut builder = Box::<ReadingBuilder>::default();
    builder.set_rules(text);
    for sitemap in Robots::parse(text).sitemaps() {
        let content = LinkContent {
            element: Element::SITEMAP,
            attribute: Attribute::CONTENT,
            written: &sitemap.url,
            text: None,
            rel: None,
            title: None,
        };
        let context = TagContext::bare(sitemap.line);
        collector::add(&mut builder, context, content);
    }
    for link in builder.links_from(0) {
        link.column = 1;
    }
    builder
}

#[cfg(test)]
mod tests;
