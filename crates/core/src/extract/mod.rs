//! From the bytes of a page to its links, while the bytes arrive.
//!
//! An [`Extractor`] takes a body in chunks of any size and keeps none of it: only
//! what may be torn, such as what stands after the last `>`, waits for the next
//! chunk. It reads pages, style sheets, sitemaps and robots.txt. The tokens of a
//! page come from html5gum, by the HTML standard's tokenization rules; what they
//! mean is our own: [`emitter`] is told of them, [`keep`] knows which links a tag
//! holds, [`tree`] where in the page it stands, [`lines`] on which line.
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
mod css;
mod decode;
pub mod elements;
mod emitter;
mod feed;
pub mod fields;
mod keep;
mod lines;
pub mod lists;
mod markup;
mod names;
mod prescan;
pub mod reading;
mod refresh;
pub mod robots_txt;
mod sheet;
pub mod signs;
mod sitemap;
mod sketch;
mod srcset;
mod tag;
mod tree;

use crate::extract::reading::{Reading, ReadingBuilder};
use crate::extract::robots_txt::Robots;
use decode::{Decoder, Hints};
use elements::{Attribute, Element};
use keep::{LinkContent, TagContext};
use markup::Markup;
use sheet::Sheet;
use sitemap::Sitemap;

pub use crate::extract::reading::Format;

/// Reads one body. See the [module](self).
pub struct Extractor {
    format: Format,
    decoder: Decoder,
    /// Decoded text that ends in the middle of something.
    waiting: String,
    body: Body,
    /// `Link` fields of the answer: what they name, and its relation.
    fields: Vec<fields::Link>,
    /// Octets that may still come.
    room: usize,
    cut: bool,
}

enum Body {
    Markup(Box<Markup>),
    Sheet(Box<Sheet>),
    Sitemap(Box<Sitemap>),
    Robots,
}

impl Extractor {
    /// An extractor for a body of that format and `charset` (the parameter of its
    /// `Content-Type`, if it has one) that reads at most `limit` octets.
    #[must_use]
    pub fn new(format: Format, charset: Option<&str>, limit: usize) -> Extractor {
        Extractor::with_sketch(format, charset, limit, false)
    }

    /// The same, and whether to make a hash of the text as well
    /// (see [`Reading::sketch`]).
    #[must_use]
    pub fn with_sketch(
        format: Format,
        charset: Option<&str>,
        limit: usize,
        with_sketch: bool,
    ) -> Extractor {
        Extractor::of_url("", format, charset, limit, with_sketch)
    }

    /// The same of the page that has this address, which its text may repeat
    /// (see [`Signs::likeness`](crate::extract::signs::Signs::likeness)).
    #[must_use]
    pub fn of_url(
        url: &str,
        format: Format,
        charset: Option<&str>,
        limit: usize,
        with_sketch: bool,
    ) -> Extractor {
        let markup = |xml| {
            let how = emitter::Reading { xml, with_sketch, depth: 0 };
            Body::Markup(Box::new(Markup::new(how, url)))
        };
        let (body, hints) = match format {
            Format::Html => (markup(false), Hints::Html),
            Format::Xhtml => (markup(true), Hints::Xml),
            Format::Css => (Body::Sheet(Box::default()), Hints::Css),
            Format::Sitemap => (Body::Sitemap(Box::default()), Hints::Xml),
            // Lists are read in one piece, by `lists`.
            Format::Robots | Format::List => (Body::Robots, Hints::Utf8),
        };
        Extractor {
            format,
            decoder: Decoder::new(charset, hints),
            waiting: String::new(),
            body,
            fields: Vec::new(),
            room: limit,
            cut: false,
        }
    }

    /// Takes the `Link` fields of the answer (RFC 8288), each value as sent.
    pub fn take_fields<'a>(&mut self, values: impl Iterator<Item = &'a str>) {
        self.fields.extend(values.flat_map(fields::links));
    }

    /// Takes the next bytes of the body. Gives whether more are wanted: not once
    /// the limit is reached.
    pub fn feed(&mut self, bytes: &[u8]) -> bool {
        let taken = &bytes[..bytes.len().min(self.room)];
        self.cut |= taken.len() < bytes.len();
        self.room -= taken.len();
        self.decoder.feed(taken, &mut self.waiting);
        let done = match &mut self.body {
            Body::Markup(page) => {
                if let Some(last) = memchr::memrchr(b'>', self.waiting.as_bytes()) {
                    page.feed(&self.waiting[..=last], false);
                    self.waiting.drain(..=last);
                }
                None
            }
            Body::Sheet(sheet) => sheet.feed(&mut self.waiting, false),
            Body::Sitemap(sitemap) => sitemap.feed(&mut self.waiting, false),
            Body::Robots => None,
        };
        debug_assert!(done.is_none(), "only the end of the body gives the reading");
        !self.cut
    }

    /// The body has ended: gives what was read.
    #[must_use]
    pub fn finish(mut self) -> Reading {
        self.decoder.finish(&mut self.waiting);
        let waiting = &mut self.waiting;
        let builder = match &mut self.body {
            Body::Markup(page) => page.feed(waiting, true),
            Body::Sheet(sheet) => sheet.feed(waiting, true),
            Body::Sitemap(sitemap) => sitemap.feed(waiting, true),
            Body::Robots => Some(robots(waiting)),
        };
        let mut builder = builder.expect("the end of the input gives the reading");
        for field in &self.fields {
            let content = LinkContent {
                element: Element::LINK,
                attribute: Attribute::HEADER,
                written: &field.target,
                text: None,
                rel: field.rel.as_deref(),
            };
            keep::add(&mut builder, TagContext::bare(0), content);
        }
        builder.set_format(self.format);
        builder.set_encoding(self.decoder.encoding());
        builder.finish(self.cut)
    }
}

/// The rules are kept as they stand; `Sitemap` lines are links.
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
        };
        let context = TagContext::bare(sitemap.line);
        keep::add(&mut builder, context, content);
    }
    for link in builder.links_from(0) {
        link.column = 1;
    }
    builder
}

#[cfg(test)]
mod tests;
