//! What the texts and tags of a page mean: collects its links.
//!
//! It gets every text and tag in order, from `scan` or from `exact`. For each tag with links it
//! returns the tag's offset, so that the caller can determine lines.

pub(super) mod replay;

use html5gum::State;

use super::collector::{
    self, LONGEST_TEXT, LinkCollector, LinkContent, TagContext, fold, is_sent_by_get,
};
use super::css::{self, Scanner};
use super::elements::{Attribute, Element};
use super::json_ld;
use super::lines::Cursor;
use super::meta;
use super::names::Name;
use super::sketch::Sketcher;
use super::tag::Tag;
use super::tree::{StartTag, Started, Tree};
use crate::extract::reading::LinkRecord;
use crate::extract::reading_builder::ReadingBuilder;
use crate::url::fragment::hash_id;

/// How many bytes of raw text are collected for link texts and titles, including white space.
const LONGEST_RAW: usize = 8 * LONGEST_TEXT;
/// How deep pages in `srcdoc` attributes may be nested.
const DEEPEST_SRCDOC: u32 = 3;

/// Lines and columns of links within the text of their element, by the link's position in the
/// list.
pub(super) type PositionsWithin = Vec<(usize, (u32, u32))>;

/// How a page is parsed.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Reading {
    /// By the rules of XML where they differ: for XHTML.
    pub(super) xml: bool,
    /// A hash of its text is computed.
    pub(super) with_sketch: bool,
    /// In how many `srcdoc` it is nested.
    pub(super) depth: u32,
    /// How many links are kept.
    pub(super) most_links: usize,
}

/// Parses a page in an attribute. The interpreter gets this as a function, because it does not
/// know where its texts and tags come from.
pub(super) type ReadNested = fn(Reading, &str) -> crate::extract::reading::Reading;

#[derive(Debug, Default)]
pub(super) struct Interpreter {
    how: Reading,
    /// Parses a page in an attribute.
    read_nested: Option<ReadNested>,
    /// The current tag.
    pub(super) tag: Tag,
    /// The name of the last start tag whose content is text.
    last_start: Vec<u8>,
    builder: Box<ReadingBuilder>,
    tree: Tree,
    /// Open `a` elements; more than one only across a table cell or in SVG.
    anchors: Vec<Anchor>,
    /// That of a closed `a`, emptied for the next one.
    spare_text: Vec<u8>,
    title: Option<Vec<u8>>,
    /// The text of the first heading, while it is open.
    heading: Option<Vec<u8>>,
    has_heading: bool,
    /// The text of a `style` element, or of a `script` with structured data.
    inner: Option<InnerText>,
    /// Lines and columns of links in such texts, by the link's position in the list.
    within: PositionsWithin,
    /// The last form uses GET.
    form_gets: bool,
    sketcher: Sketcher,
    /// In `script`, `style` and the like, text is not shown.
    in_raw_text: bool,
    /// The number of tags with links so far.
    tags: u32,
    /// The offset of the last tag with links, until it is taken.
    placed: Option<usize>,
}

/// Text in an element that has links of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Inner {
    Stylesheet,
    JsonLd,
}

/// The text of an element that has links of its own.
#[derive(Debug)]
struct InnerText {
    kind: Inner,
    context: TagContext,
    /// The position of the tag is that of its text, as it has no links itself.
    is_placed: bool,
    text: Vec<u8>,
}

/// An `a` that is still open.
#[derive(Debug)]
struct Anchor {
    /// The link's position in the list.
    link: usize,
    text: Vec<u8>,
    /// Open markers at its start: it ends with the last of these.
    markers: u32,
    /// Open elements at its start, including itself.
    depth: usize,
    /// It is among the open elements. If it is not, because a block around it has ended, the next
    /// text within its markers opens it again.
    is_open: bool,
    /// In SVG an `a` ends like any other element: when it is no longer open.
    foreign: bool,
}

impl Interpreter {
    pub(super) fn new(how: Reading, echo: &str, read_nested: ReadNested) -> Interpreter {
        Interpreter {
            how,
            read_nested: Some(read_nested),
            form_gets: false,
            sketcher: Sketcher::new(echo, how.with_sketch),
            builder: Box::new(ReadingBuilder::new(how.most_links)),
            ..Interpreter::default()
        }
    }

    /// Takes the next text, or a part of it.
    pub(super) fn take_text(&mut self, text: &[u8]) {
        if let Some(title) = &mut self.title {
            collect(title, text);
        } else if let Some(inner) = &mut self.inner {
            inner.text.extend_from_slice(text);
        } else if !self.in_raw_text && !self.tree.is_hidden() {
            self.add_text(&[text]);
            if let Some(heading) = &mut self.heading {
                collect(heading, text);
            }
            self.sketcher.feed(text);
        }
    }

    /// Takes the current tag. Returns how what follows is tokenized, if it is not markup.
    pub(super) fn take_tag(&mut self) -> Option<State> {
        if self.tag.is_end {
            self.in_raw_text = false;
            self.handle_end_tag();
            return None;
        }
        let state = self.handle_start_tag();
        if state.is_some() {
            self.last_start.clear();
            self.last_start.extend_from_slice(self.tag.name());
        }
        state
    }

    /// An element begins that only marks its text, and has no other elements. Returns whether it
    /// can be left out, so that only its text is to be taken.
    pub(super) fn begin_phrase(&mut self) -> bool {
        self.anchors.iter().all(|anchor| anchor.is_open) && self.tree.begin_phrase()
    }

    /// The offset of the last tag, if it had links. In order, all of them must be taken.
    pub(super) fn take_placed(&mut self) -> Option<usize> {
        self.placed.take()
    }

    /// The name of the element whose content is text.
    pub(super) fn text_element(&self) -> &[u8] {
        &self.last_start
    }

    /// Whether `<![CDATA[` begins text here.
    pub(super) fn has_cdata(&self) -> bool {
        self.how.xml || self.tree.is_foreign()
    }

    /// The page has ended.
    pub(super) fn finish(mut self) -> (Box<ReadingBuilder>, PositionsWithin) {
        self.close_inner();
        while let Some(anchor) = self.anchors.pop() {
            self.close_anchor(anchor);
        }
        self.close_heading();
        let content = self.sketcher.finish();
        self.builder.set_sketch(content.sketch);
        self.builder.set_words(content.words, content.likeness);
        (self.builder, self.within)
    }

    /// Returns the tokenizer state for what follows.
    fn handle_start_tag(&mut self) -> Option<State> {
        let mut name = self.tag.element();
        let bare = self.tag.is_bare();
        let value = |attribute| if bare { None } else { self.tag.value(attribute) };
        let started = self.tree.handle_start(StartTag {
            name,
            role: value("role"),
            self_closing: self.tag.self_closing,
            xml: self.how.xml,
            html_attribute: match name {
                Name::Font => ["color", "face", "size"].iter().any(|a| value(a).is_some()),
                Name::AnnotationXml => value("encoding").is_some_and(|encoding| {
                    ["text/html", "application/xhtml+xml"]
                        .iter()
                        .any(|html| encoding.eq_ignore_ascii_case(html))
                }),
                _ => false,
            },
        });
        let foreign = started == Started::Foreign;
        // `<image>` means `<img>`, except in SVG.
        if name == Name::Image && !foreign {
            name = Name::Img;
        }
        self.close_anchors();
        let self_closed = self.tag.self_closing && (self.how.xml || foreign);
        let state = if self_closed || foreign { None } else { name.text_state() };
        self.in_raw_text = state.is_some() && name != Name::Title;
        if self.tree.is_hidden() {
            return state;
        }
        self.handle_meaning(name, foreign, state.is_some());
        if name == Name::Form && started != Started::Nothing {
            self.form_gets = is_sent_by_get(&self.tag);
        }
        if started != Started::Nothing && (!bare || name == Name::Style) {
            self.keep_links(name, foreign, self_closed);
        }
        state
    }

    /// What a tag means apart from its links.
    fn handle_meaning(&mut self, name: Name, foreign: bool, opens_text: bool) {
        let id = self.tag.value("id");
        let anchor_name = self.tag.value("name").filter(|_| name == Name::A);
        for id in [id, anchor_name].into_iter().flatten().filter(|id| !id.is_empty()) {
            self.builder.add_anchor(hash_id(id));
        }
        match name {
            Name::A if !foreign => self.close_anchor_here(),
            Name::Base => {
                if let Some(base) = self.tag.value("href") {
                    self.builder.set_base(base);
                }
            }
            Name::Title if opens_text => self.title = Some(Vec::new()),
            Name::Script => self.builder.set_scripted(),
            Name::Meta => meta::take(&self.tag, &mut self.builder),
            name if name.is_heading() && !self.has_heading && !foreign => {
                self.has_heading = true;
                self.heading = Some(Vec::new());
            }
            Name::Img => {
                if let Some(alt) = self.tag.value("alt").map(str::to_owned) {
                    self.add_text(&[b" ", alt.as_bytes(), b" "]);
                }
            }
            _ => {}
        }
    }

    fn keep_links(&mut self, name: Name, foreign: bool, self_closed: bool) {
        let first = self.builder.link_count();
        let region = self.tree.region();
        let scripted = matches!(name, Name::A | Name::Area) && self.tag.is_scripted();
        let ancestor_hash = self.tree.ancestor_hash();
        let form_gets = self.tree.is_in_form().then_some(self.form_gets);
        let tag = self.tags;
        let context = TagContext { region, ancestor_hash, tag, foreign, scripted, form_gets };
        let builder = &mut *self.builder;
        LinkCollector { builder, tag: &self.tag, name, context }.collect_all();
        if name == Name::Iframe
            && self.how.depth < DEEPEST_SRCDOC
            && let Some(inner) = self.tag.value("srcdoc").and_then(|srcdoc| self.nested(srcdoc))
        {
            self.builder.add_nested(&inner, context.region, context.tag);
        }
        let inner = self.inner_of(name).filter(|_| !foreign && !self_closed);
        let has_links = self.builder.link_count() > first;
        if !has_links && inner.is_none() {
            return;
        }
        // In XML, references in the text make its columns differ from those of the page.
        let is_placed = inner.is_some() && !has_links && !self.how.xml;
        if let Some(kind) = inner {
            self.inner = Some(InnerText { kind, context, is_placed, text: Vec::new() });
        }
        self.tags += 1;
        self.placed = Some(if is_placed { self.tag.end } else { self.tag.start });
        let names_target = |link: &mut LinkRecord| link.attribute != Attribute::STYLE;
        if name == Name::A
            && !self_closed
            && self.builder.links_from(first).iter_mut().any(names_target)
        {
            let (markers, depth) = (self.tree.markers(), self.tree.depth());
            let text = std::mem::take(&mut self.spare_text);
            self.anchors.push(Anchor { link: first, text, markers, depth, is_open: true, foreign });
        }
    }

    /// What the text in an element is, if it may have links.
    fn inner_of(&self, name: Name) -> Option<Inner> {
        match name {
            Name::Style => Some(Inner::Stylesheet),
            // The text of a script with a URL is ignored.
            Name::Script if self.tag.value("src").is_none() => {
                let kind = self.tag.value("type")?.split(';').next().unwrap_or_default();
                kind.trim().eq_ignore_ascii_case("application/ld+json").then_some(Inner::JsonLd)
            }
            _ => None,
        }
    }

    /// The links of a page in an attribute.
    fn nested(&self, srcdoc: &str) -> Option<crate::extract::reading::Reading> {
        let how = Reading { xml: false, depth: self.how.depth + 1, ..self.how };
        self.read_nested.map(|read| read(how, srcdoc))
    }

    fn handle_end_tag(&mut self) {
        let name = self.tag.element();
        match name {
            Name::A if !self.tree.is_foreign() => self.close_anchor_here(),
            Name::Title => {
                if let Some(title) = self.title.take() {
                    self.builder.set_title(&fold(&title));
                }
            }
            Name::Style | Name::Script => self.close_inner(),
            _ if name.is_heading() => self.close_heading(),
            _ => {}
        }
        self.tree.handle_end(name);
        self.close_anchors();
    }

    /// The end tag of any heading ends a heading (HTML, "An end tag whose tag name is one of").
    fn close_heading(&mut self) {
        if let Some(text) = self.heading.take() {
            self.builder.set_heading(&fold(&text));
        }
    }

    fn close_inner(&mut self) {
        let Some(InnerText { kind, context, is_placed, text }) = self.inner.take() else { return };
        let text = String::from_utf8_lossy(&text);
        let mut cursor = Cursor::default();
        let Interpreter { builder, within, .. } = self;
        let mut add = |element, attribute, written: &str, rel: Option<&str>, offset| {
            let link = builder.link_count();
            let content = LinkContent { element, attribute, written, text: None, rel, title: None };
            collector::add(builder, context, content);
            if is_placed && builder.link_count() > link {
                within.push((link, cursor.advance_to(offset, &text[cursor.offset()..])));
            }
        };
        match kind {
            Inner::JsonLd => json_ld::urls(&text, |found| {
                let (element, attribute) = (Element::SCRIPT, Attribute::CONTENT);
                add(element, attribute, &found.url, Some(&found.property), found.offset);
            }),
            Inner::Stylesheet => {
                Scanner::new(&text, true).scan(&mut css::State::default(), |found| {
                    let attribute =
                        if found.is_import { Attribute::IMPORT } else { Attribute::URL };
                    add(Element::STYLE, attribute, &found.url, None, found.offset);
                });
            }
        }
    }

    /// `</a>`, or another `a`, ends the one that is open in the same cell.
    fn close_anchor_here(&mut self) {
        let markers = self.tree.markers();
        let here = |anchor: &mut Anchor| anchor.markers == markers && !anchor.foreign;
        if let Some(anchor) = self.anchors.pop_if(here) {
            self.close_anchor(anchor);
        }
    }

    /// Ends the links whose cell, or in SVG whose element, has ended.
    fn close_anchors(&mut self) {
        let (markers, fewest) = (self.tree.markers(), self.tree.take_fewest());
        if self.anchors.is_empty() {
            return;
        }
        for anchor in &mut self.anchors {
            anchor.is_open &= anchor.depth <= fewest;
        }
        let is_over =
            |anchor: &mut Anchor| anchor.markers > markers || (anchor.foreign && !anchor.is_open);
        while let Some(anchor) = self.anchors.pop_if(is_over) {
            self.close_anchor(anchor);
        }
    }

    /// Adds text, or its replacement, to the links that are open here.
    fn add_text(&mut self, pieces: &[&[u8]]) {
        if self.anchors.is_empty() {
            return;
        }
        let (markers, depth) = (self.tree.markers(), self.tree.depth());
        let may_open = self.tree.takes_html();
        for anchor in &mut self.anchors {
            if !anchor.is_open && anchor.markers == markers && may_open {
                (anchor.is_open, anchor.depth) = (true, depth);
            }
            if anchor.is_open {
                pieces.iter().for_each(|piece| collect(&mut anchor.text, piece));
            }
        }
    }

    fn close_anchor(&mut self, anchor: Anchor) {
        let text = self.builder.keep(&fold(&anchor.text));
        // An SVG `a` may have its URL twice, or a `style` with one.
        let line = self.builder.link_mut(anchor.link).line;
        for link in self.builder.links_from(anchor.link) {
            if link.line == line && link.element.name() == "a" {
                link.text = Some(text);
            }
        }
        self.spare_text = anchor.text;
        self.spare_text.clear();
    }
}

fn collect(raw: &mut Vec<u8>, bytes: &[u8]) {
    let room = LONGEST_RAW.saturating_sub(raw.len());
    raw.extend_from_slice(&bytes[..bytes.len().min(room)]);
}
