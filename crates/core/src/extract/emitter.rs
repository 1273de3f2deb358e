//! What the tokens of a page mean: an emitter for html5gum that collects links.
//!
//! It gets every tag, attribute and text, and builds no tokens from them. For each tag with links
//! it yields one [`Token::Tag`] with the tag's offset, in order, so that the caller can determine
//! lines.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use html5gum::{Emitter, Error, State};

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
use crate::extract::reading::{LinkRecord, ReadingBuilder};
use crate::url::fragment::hash_id;

/// How many bytes of raw text are collected for link texts and titles, including white space.
const LONGEST_RAW: usize = 8 * LONGEST_TEXT;
/// How deep pages in `srcdoc` attributes may be nested.
const DEEPEST_SRCDOC: u32 = 3;

/// What the emitter yields.
pub(super) enum Token {
    /// A tag with links, and its offset.
    Tag(usize),
    /// The page has ended. With lines and columns of links within the text of their element, by
    /// the link's position in the list.
    Done(Box<ReadingBuilder>, Vec<(usize, (u32, u32))>),
}

/// The offset of the tag that is being tokenized; [`NO_TAG`] between tags.
pub(super) type OpenTag = Arc<AtomicUsize>;
pub(super) const NO_TAG: usize = usize::MAX;

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

/// Parses a page in an attribute. The emitter gets this as a function, because it does not know
/// the tokenizer's driver.
pub(super) type ReadNested = fn(Reading, &str) -> crate::extract::reading::Reading;

#[derive(Debug, Default)]
pub(super) struct LinkEmitter {
    how: Reading,
    /// Parses a page in an attribute.
    read_nested: Option<ReadNested>,
    offset: usize,
    open_tag: OpenTagCell,
    tag: Tag,
    last_start: Vec<u8>,
    builder: Box<ReadingBuilder>,
    tree: Tree,
    /// Open `a` elements; more than one only across a table cell or in SVG.
    anchors: Vec<Anchor>,
    title: Option<Vec<u8>>,
    /// The text of the first heading, while it is open.
    heading: Option<Vec<u8>>,
    has_heading: bool,
    /// The text of a `style` element, or of a `script` with structured data.
    inner: Option<InnerText>,
    /// Lines and columns of links in such texts, by the link's position in the list.
    within: Vec<(usize, (u32, u32))>,
    /// The last form uses GET.
    form_gets: bool,
    sketcher: Sketcher,
    /// In `script`, `style` and the like, text is not shown.
    in_raw_text: bool,
    /// The number of tags with links so far.
    tags: u32,
    token: Option<Token>,
    ended: bool,
}

#[derive(Debug)]
struct OpenTagCell(OpenTag);

impl Default for OpenTagCell {
    fn default() -> OpenTagCell {
        OpenTagCell(Arc::new(AtomicUsize::new(NO_TAG)))
    }
}

impl std::fmt::Debug for Token {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Token::Tag(offset) => write!(f, "Tag({offset})"),
            Token::Done(..) => f.write_str("Done"),
        }
    }
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

impl LinkEmitter {
    pub(super) fn new(how: Reading, echo: &str, read_nested: ReadNested) -> LinkEmitter {
        LinkEmitter {
            how,
            read_nested: Some(read_nested),
            form_gets: false,
            sketcher: Sketcher::new(echo, how.with_sketch),
            builder: Box::new(ReadingBuilder::new(how.most_links)),
            ..LinkEmitter::default()
        }
    }

    /// Where the emitter stores the offset of the tag that is being tokenized.
    pub(super) fn open_tag(&self) -> OpenTag {
        Arc::clone(&self.open_tag.0)
    }

    /// Returns the tokenizer state for what follows.
    fn handle_start_tag(&mut self) -> Option<State> {
        let mut name = Name::of(&self.tag.name);
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
        let state = if self_closed || foreign { None } else { raw_text_state(name) };
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
        self.token = Some(Token::Tag(if is_placed { self.offset } else { self.tag.start }));
        let names_target = |link: &mut LinkRecord| link.attribute != Attribute::STYLE;
        if name == Name::A
            && !self_closed
            && self.builder.links_from(first).iter_mut().any(names_target)
        {
            let (markers, depth) = (self.tree.markers(), self.tree.depth());
            let text = Vec::new();
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
        let how = Reading { xml: false, with_sketch: false, depth: self.how.depth + 1, ..self.how };
        self.read_nested.map(|read| read(how, srcdoc))
    }

    fn handle_end_tag(&mut self) {
        let name = Name::of(&self.tag.name);
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
        let LinkEmitter { builder, within, .. } = self;
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
    }
}

fn collect(raw: &mut Vec<u8>, bytes: &[u8]) {
    let room = LONGEST_RAW.saturating_sub(raw.len());
    raw.extend_from_slice(&bytes[..bytes.len().min(room)]);
}

/// The tokenizer's state after the start tag of an element whose content is not markup.
fn raw_text_state(name: Name) -> Option<State> {
    match name {
        Name::Textarea | Name::Title => Some(State::RcData),
        Name::Plaintext => Some(State::PlainText),
        Name::Script => Some(State::ScriptData),
        // `noscript` is parsed: it is what visitors without scripts get.
        Name::Style | Name::Xmp | Name::Iframe | Name::Noembed | Name::Noframes => {
            Some(State::RawText)
        }
        _ => None,
    }
}

impl Emitter for LinkEmitter {
    type Token = Token;

    fn pop_token(&mut self) -> Option<Token> {
        self.token.take()
    }

    fn emit_eof(&mut self) {
        if !self.ended {
            self.ended = true;
            self.close_inner();
            while let Some(anchor) = self.anchors.pop() {
                self.close_anchor(anchor);
            }
            self.close_heading();
            let content = self.sketcher.finish();
            self.builder.set_sketch(content.sketch);
            self.builder.set_words(content.words, content.likeness);
            let within = std::mem::take(&mut self.within);
            self.token = Some(Token::Done(std::mem::take(&mut self.builder), within));
        }
    }

    fn emit_string(&mut self, text: &[u8]) {
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

    fn start_open_tag(&mut self) {
        // The `<` has already been consumed.
        self.tag.start = self.offset - 1;
        self.open_tag.0.store(self.tag.start, Ordering::Relaxed);
    }

    fn init_start_tag(&mut self) {
        self.tag.clear(false);
    }

    fn init_end_tag(&mut self) {
        self.tag.clear(true);
    }

    fn emit_current_tag(&mut self) -> Option<State> {
        self.open_tag.0.store(NO_TAG, Ordering::Relaxed);
        if self.tag.is_end {
            self.in_raw_text = false;
            self.handle_end_tag();
            return None;
        }
        self.last_start.clone_from(&self.tag.name);
        self.handle_start_tag()
    }

    fn current_is_appropriate_end_tag_token(&mut self) -> bool {
        self.tag.is_end && !self.last_start.is_empty() && self.tag.name == self.last_start
    }

    fn adjusted_current_node_present_but_not_in_html_namespace(&mut self) -> bool {
        self.how.xml || self.tree.is_foreign()
    }

    fn push_tag_name(&mut self, name: &[u8]) {
        self.tag.name.extend_from_slice(name);
    }

    fn init_attribute(&mut self) {
        self.tag.begin_attribute();
    }

    fn init_attribute_value(&mut self) {
        self.tag.begin_value();
    }

    fn push_attribute_name(&mut self, name: &[u8]) {
        self.tag.push_name(name);
    }

    fn push_attribute_value(&mut self, value: &[u8]) {
        // html5gum may pass the value without announcing it.
        self.tag.begin_value();
        self.tag.push(value);
    }

    fn set_last_start_tag(&mut self, name: Option<&[u8]>) {
        self.last_start.clear();
        self.last_start.extend_from_slice(name.unwrap_or_default());
    }

    fn move_position(&mut self, by: isize) {
        self.offset = self.offset.saturating_add_signed(by);
    }

    fn set_self_closing(&mut self) {
        self.tag.self_closing = true;
    }

    fn should_emit_errors(&mut self) -> bool {
        false
    }

    fn emit_error(&mut self, _: Error) {}
    fn init_comment(&mut self) {}
    fn emit_current_comment(&mut self) {
        self.open_tag.0.store(NO_TAG, Ordering::Relaxed);
    }
    fn emit_current_doctype(&mut self) {
        self.open_tag.0.store(NO_TAG, Ordering::Relaxed);
    }
    fn set_force_quirks(&mut self) {}
    fn push_comment(&mut self, _: &[u8]) {}
    fn push_doctype_name(&mut self, _: &[u8]) {}
    fn init_doctype(&mut self) {}
    fn set_doctype_public_identifier(&mut self, _: &[u8]) {}
    fn set_doctype_system_identifier(&mut self, _: &[u8]) {}
    fn push_doctype_public_identifier(&mut self, _: &[u8]) {}
    fn push_doctype_system_identifier(&mut self, _: &[u8]) {}
}
