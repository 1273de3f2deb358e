//! The URLs in a feed: RSS 2.0 and its relatives (RSS 1.0, RSS 0.91), and Atom (RFC 4287).
//!
//! Links of channels and entries, enclosures, comments, images, and the media of the namespaces
//! that podcasts and photographs use. The HTML of an entry is not parsed: it is that of its page.
//! Everything before an XML error counts.

use quick_xml::events::{BytesStart, Event};

use super::collector::{self, LinkContent, TagContext};
use super::elements::{Attribute, Element};
use super::xml::{Position, XmlStream, attribute, resolve};
use crate::extract::reading_builder::ReadingBuilder;
use crate::url::reference::trim;

/// The longest text that is collected.
const LONGEST: usize = 64 * 1024;
/// Deeper elements have no links, and are only counted.
const DEEPEST: usize = 100;
/// Relations of Atom that are for programs (RFC 5023 §11, WebSub §4).
const FOR_PROGRAMS: &[&str] = &["edit", "edit-media", "service", "hub", "replies"];

#[derive(Debug, Default)]
pub(super) struct Syndication {
    builder: Box<ReadingBuilder>,
    stream: XmlStream,
    positions: Vec<Position>,
    /// The open elements.
    open: Vec<Open>,
    /// How many more are open.
    deeper: usize,
    /// The text that is being collected.
    text: Option<Text>,
    is_faulty: bool,
    /// Incomplete text is parsed again when it has grown to this length.
    retry_at: usize,
}

#[derive(Debug)]
struct Open {
    name: String,
    /// Its text is collected.
    is_text: bool,
}

#[derive(Debug)]
struct Text {
    what: TextOf,
    text: String,
    position: Position,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum TextOf {
    Title,
    Url(Element),
}

impl Syndication {
    /// Keeps this many links.
    pub(super) fn new(most_links: usize) -> Syndication {
        let builder = Box::new(ReadingBuilder::new(most_links));
        Syndication { builder, ..Syndication::default() }
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
        let end = match is_last {
            true => waiting.len(),
            false => waiting.rfind('>').map_or(0, |at| at + 1),
        };
        let mut stream = std::mem::take(&mut self.stream);
        let take = |event: &Event<'_>, position| self.take(event, position);
        let read = stream.read(&waiting[..end], is_last, take);
        self.stream = stream;
        waiting.drain(..read);
        self.retry_at = 2 * waiting.len();
        is_last.then(|| self.finish())
    }

    /// Whether it is no feed: nothing more will be found in it.
    pub(super) fn is_other(&self) -> bool {
        self.is_faulty
    }

    fn finish(&mut self) -> Box<ReadingBuilder> {
        if self.is_faulty || self.stream.is_faulty || !self.open.is_empty() {
            self.builder.set_faulty();
        }
        for link in self.builder.links_from(0) {
            (link.line, link.column) = self.positions[link.line as usize];
        }
        std::mem::take(&mut self.builder)
    }

    fn take(&mut self, event: &Event<'_>, position: Position) {
        match event {
            Event::Start(_) if self.open.len() >= DEEPEST => self.deeper += 1,
            Event::End(_) if self.deeper > 0 => self.deeper -= 1,
            Event::Start(tag) => {
                let is_text = self.start(tag, position);
                self.open.push(Open { name: tag.name().as_ref().to_owned(), is_text });
            }
            Event::Empty(tag) => {
                let is_text = self.start(tag, position);
                if is_text {
                    self.text = None;
                }
            }
            Event::End(_) => {
                let is_text = self.open.pop().is_some_and(|open| open.is_text);
                self.end_text(is_text);
            }
            Event::Text(text) => self.collect(Some(text)),
            Event::CData(text) => self.collect(Some(text)),
            Event::GeneralRef(entity) => {
                let text = resolve(entity);
                if text.is_none() {
                    // The entity is unknown: a URL without it would be a different one.
                    self.text = None;
                }
                self.collect(text.as_deref());
            }
            _ => {}
        }
    }

    /// An element begins. Returns whether its text is collected.
    fn start(&mut self, tag: &BytesStart<'_>, position: Position) -> bool {
        let name = tag.name();
        let name = name.as_ref();
        let around = self.open.last().map(|open| open.name.as_str()).unwrap_or_default();
        if self.open.is_empty() {
            // Whatever else it is, it is no feed.
            self.is_faulty |= !matches!(name, "rss" | "feed" | "rdf:RDF" | "RDF");
            if let Some(base) = attribute(tag, "xml:base") {
                self.builder.set_base(&base);
            }
            return false;
        }
        if self.is_faulty {
            return false;
        }
        if let Some((element, attribute, written, rel)) = in_attribute(name, tag) {
            self.add(position, element, attribute, &written, rel.as_deref());
            return false;
        }
        let what = match (around, name) {
            ("channel" | "feed", "title") => TextOf::Title,
            ("channel" | "item" | "image" | "textinput" | "textInput", "link") => {
                TextOf::Url(Element::LINK)
            }
            ("image", "url") => TextOf::Url(Element::FEED_URL),
            ("item", "comments") => TextOf::Url(Element::COMMENTS),
            // The default (RSS 2.0, "guid").
            ("item", "guid") if attribute(tag, "isPermaLink").is_none_or(|is| is == "true") => {
                TextOf::Url(Element::GUID)
            }
            ("feed", "icon") => TextOf::Url(Element::ICON),
            ("feed", "logo") => TextOf::Url(Element::LOGO),
            ("author" | "contributor", "uri") => TextOf::Url(Element::URI),
            _ => return false,
        };
        self.text = Some(Text { what, text: String::new(), position });
        true
    }

    fn collect(&mut self, more: Option<&str>) {
        let direct = self.deeper == 0 && self.open.last().is_some_and(|open| open.is_text);
        if let (Some(Text { text, .. }), Some(more)) = (&mut self.text, more)
            && direct
            && text.len() < LONGEST
        {
            text.push_str(more);
        }
    }

    /// An element ends, and with it perhaps the text that was collected.
    fn end_text(&mut self, is_text: bool) {
        let ended = if is_text { self.text.take() } else { None };
        let Some(Text { what, text, position }) = ended else { return };
        match what {
            TextOf::Title => {
                let title = text.split_whitespace().collect::<Vec<_>>().join(" ");
                self.builder.set_title(&title);
            }
            // An identifier that is none, such as `tag:a.test,2026:1`, leads nowhere.
            TextOf::Url(Element::GUID) if !trim(&text).contains("://") => {}
            TextOf::Url(element) => self.add(position, element, Attribute::CONTENT, &text, None),
        }
    }

    fn add(
        &mut self,
        position: Position,
        element: Element,
        attribute: Attribute,
        written: &str,
        rel: Option<&str>,
    ) {
        let written = trim(written);
        if written.is_empty() {
            return;
        }
        let tag = u32::try_from(self.positions.len()).expect("feeds are shorter than 4 GiB");
        self.positions.push(position);
        let content = LinkContent { element, attribute, written, text: None, rel, title: None };
        collector::add(&mut self.builder, TagContext::bare(tag), content);
    }
}

/// A URL in an attribute: element, attribute, reference, relation.
type InAttribute = (Element, Attribute, String, Option<String>);

fn in_attribute(name: &str, tag: &BytesStart<'_>) -> Option<InAttribute> {
    let (element, from) = match name {
        "link" | "atom:link" => {
            let href = attribute(tag, "href")?;
            // RFC 4287 §4.2.7.2.
            let rel = attribute(tag, "rel").unwrap_or_else(|| "alternate".to_owned());
            let is_for_programs = FOR_PROGRAMS.iter().any(|known| rel.eq_ignore_ascii_case(known));
            return (!is_for_programs).then_some((Element::LINK, Attribute::HREF, href, Some(rel)));
        }
        "enclosure" => (Element::ENCLOSURE, Attribute::URL),
        "media:content" => (Element::MEDIA_CONTENT, Attribute::URL),
        "media:thumbnail" => (Element::MEDIA_THUMBNAIL, Attribute::URL),
        "itunes:image" => (Element::PODCAST_IMAGE, Attribute::HREF),
        "content" => (Element::CONTENT, Attribute::SRC),
        _ => return None,
    };
    Some((element, from, attribute(tag, from.name())?, None))
}

#[cfg(test)]
mod tests {
    use crate::extract::reading::{Format, Reading};
    use crate::extract::{Extractor, Limits};

    fn read_in(pieces: usize, text: &str) -> Reading {
        let limits = Limits::of_bytes(1 << 20);
        let mut extractor = Extractor::of_url("", Format::Feed, None, limits, false);
        for piece in text.as_bytes().chunks(text.len().div_ceil(pieces).max(1)) {
            extractor.feed(piece);
        }
        extractor.finish()
    }

    fn links(reading: &Reading) -> Vec<String> {
        reading
            .links()
            .map(|link| {
                let rel = link.rel.map(|rel| format!(" {rel}")).unwrap_or_default();
                let (element, attribute) = (link.element.name(), link.attribute.name());
                format!("{}:{} {element} {attribute} {}{rel}", link.line, link.column, link.written)
            })
            .collect()
    }

    const RSS: &str = r#"<?xml version="1.0"?>
<rss version="2.0" xmlns:atom="http://www.w3.org/2005/Atom"><channel>
<title>Ashlock
 Canal</title><link> https://a.test/ </link>
<atom:link rel="self" href="/feed.xml"/>
<image><url>/logo.png</url><link>/</link><title>no</title></image>
<item><title>Ice &amp; locks</title><link>/ice?a=1&amp;b=2</link>
<guid>https://a.test/ice</guid><comments><![CDATA[/ice#c]]></comments>
<description>&lt;a href="/in-html"&gt;</description>
<enclosure url="/ice.mp3" length="1" type="audio/mpeg"/>
<media:content url="/ice.jpg"/><itunes:image href="/cover.jpg"/></item>
<item><guid isPermaLink="false">https://a.test/no</guid><guid>tag:a.test,2026:1</guid><link/></item>
</channel></rss>"#;

    #[test]
    fn rss_has_links_in_texts_and_attributes() {
        let expected = [
            "4:15 link content https://a.test/",
            "5:1 link href /feed.xml self",
            "6:8 url content /logo.png",
            "6:28 link content /",
            "7:37 link content /ice?a=1&b=2",
            "8:1 guid content https://a.test/ice",
            "8:32 comments content /ice#c",
            "10:1 enclosure url /ice.mp3",
            "11:1 media:content url /ice.jpg",
            "11:32 itunes:image href /cover.jpg",
        ];
        for pieces in [1, 7, 200] {
            let reading = read_in(pieces, RSS);
            assert_eq!(links(&reading), expected, "in {pieces} pieces");
            assert_eq!(reading.title(), Some("Ashlock Canal"));
            assert!(!reading.faulty);
        }
    }

    #[test]
    fn atom_has_links_with_relations() {
        let atom = r#"<feed xmlns="http://www.w3.org/2005/Atom" xml:base="https://a.test/blog/">
<title>Diary</title><id>https://a.test/id</id><icon>/i.png</icon><logo>/l.png</logo>
<link href="."/><link rel="hub" href="https://hub.test/"/>
<author><name>x</name><uri>/about</uri></author>
<entry><title>Ice</title><id>https://a.test/1</id><link href="ice"/>
<link rel="enclosure" href="ice.mp3"/><link rel="edit" href="/edit/1"/>
<content type="video/mp4" src="ice.mp4"/></entry></feed>"#;
        let reading = read_in(1, atom);
        let expected = [
            "2:47 icon content /i.png",
            "2:66 logo content /l.png",
            "3:1 link href . alternate",
            "4:23 uri content /about",
            "5:51 link href ice alternate",
            "6:1 link href ice.mp3 enclosure",
            "7:1 content src ice.mp4",
        ];
        assert_eq!(links(&reading), expected);
        assert_eq!(
            (reading.base(), reading.title()),
            (Some("https://a.test/blog/"), Some("Diary"))
        );
    }

    #[test]
    fn deep_elements_are_only_counted() {
        let (open, close) = ("<b>".repeat(100_000), "</b>".repeat(100_000));
        let text =
            format!("<rss><channel>{open}<link>/no</link>{close}<link>/a</link></channel></rss>");
        let reading = read_in(1, &text);
        let written: Vec<&str> = reading.links().map(|link| link.written).collect();
        assert_eq!((written, reading.faulty), (vec!["/a"], false));
    }

    #[test]
    fn xml_that_is_no_feed_is_not_read_on() {
        let mut extractor = Extractor::new(Format::Feed, Some("utf-8"), 1 << 20);
        assert!(extractor.feed(b"<?xml version='1.0'?>"), "it may be a feed");
        assert!(!extractor.feed(b"<data><row>"));
        assert!(!extractor.feed(b"</row>"));
        let mut extractor = Extractor::new(Format::Feed, Some("utf-8"), 1 << 20);
        assert!(extractor.feed(b"<rss><channel>"));
    }

    #[test]
    fn other_documents_have_no_links_and_errors_keep_what_comes_before() {
        for text in
            ["<urlset><link>/a</link></urlset>", "", "text", "<html><link href='/a'/></html>"]
        {
            let reading = read_in(1, text);
            assert_eq!(links(&reading), Vec::<String>::new(), "{text}");
        }
        let cut = "<rss><channel><link>/a</link><item><link>/b";
        assert_eq!(links(&read_in(1, cut)), ["1:15 link content /a"]);
        assert!(read_in(1, cut).faulty);
        let unknown = "<rss><channel><link>/a&x;b</link><link>/c</link></channel></rss>";
        assert_eq!(links(&read_in(1, unknown)), ["1:34 link content /c"]);
    }
}
