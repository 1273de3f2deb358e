//! What the tokens of a page mean: an emitter for html5gum that keeps links.
//!
//! It is told of every tag, attribute and text, and builds no tokens of them: a
//! tag's name and attributes stand in one buffer that is used again for the next
//! tag. For each tag that holds links it yields one [`Token::Tag`] with the
//! tag's offset, in order, so that the caller can work out lines.

use std::ops::Range;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use html5gum::{Emitter, Error, State};

use super::elements::{Element, Grammar, Purpose, link_attributes};
use super::region::Stack;
use super::{refresh, srcset};
use crate::address::trim;
use crate::fragment::hash_id;
use crate::reading::{LinkRecord, ReadingBuilder};

/// Link texts and titles are kept up to so many characters.
const LONGEST_TEXT: usize = 1000;
/// Raw text collected for them, in octets, white space and all.
const LONGEST_RAW: usize = 8 * LONGEST_TEXT;
/// References are kept up to so many octets: far more than any server takes.
const LONGEST_REFERENCE: usize = 64 * 1024;

/// What the emitter yields.
pub(super) enum Token {
    /// A tag with links, and its offset.
    Tag(usize),
    /// The page has ended.
    Done(Box<ReadingBuilder>),
}

/// The offset of the tag that is being read; [`NO_TAG`] between tags.
pub(super) type OpenTag = Arc<AtomicUsize>;
pub(super) const NO_TAG: usize = usize::MAX;

#[derive(Debug, Default)]
pub(super) struct LinkEmitter {
    offset: usize,
    open_tag: OpenTagCell,
    tag: Tag,
    last_start: Vec<u8>,
    builder: Box<ReadingBuilder>,
    stack: Stack,
    anchor: Option<Anchor>,
    title: Option<Vec<u8>>,
    /// In `script`, `style` and the like, text is not for reading.
    in_raw_text: bool,
    /// How many tags with links there were.
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
            Token::Done(_) => f.write_str("Done"),
        }
    }
}

/// An `a` whose end has not come.
#[derive(Debug)]
struct Anchor {
    /// The link's place in the list.
    link: usize,
    text: Vec<u8>,
}

/// The tag that is being read.
#[derive(Debug, Default)]
struct Tag {
    is_end: bool,
    start: usize,
    name: Vec<u8>,
    /// Names and values of the attributes, one after the other.
    buffer: Vec<u8>,
    attributes: Vec<Span>,
}

#[derive(Debug, Default)]
struct Span {
    start: usize,
    value: Option<usize>,
    end: usize,
}

impl Tag {
    fn clear(&mut self, is_end: bool) {
        self.is_end = is_end;
        self.name.clear();
        self.buffer.clear();
        self.attributes.clear();
    }

    fn push(&mut self, bytes: &[u8]) {
        self.buffer.extend_from_slice(bytes);
        if let Some(last) = self.attributes.last_mut() {
            last.end = self.buffer.len();
        }
    }

    /// Where the value of an attribute stands; the first counts when it is there twice.
    fn range(&self, name: &str) -> Option<Range<usize>> {
        self.attributes.iter().find_map(|span| {
            let value = span.value.unwrap_or(span.end);
            let same = &self.buffer[span.start..value] == name.as_bytes();
            same.then_some(value..span.end)
        })
    }

    fn value(&self, name: &str) -> Option<&str> {
        let bytes = &self.buffer[self.range(name)?];
        // The input is text and entities decode to text; only a cut can tear a character.
        std::str::from_utf8(bytes).ok()
    }
}

impl LinkEmitter {
    /// Where the emitter tells of the tag that is being read.
    pub(super) fn open_tag(&self) -> OpenTag {
        Arc::clone(&self.open_tag.0)
    }

    fn handle_start_tag(&mut self) {
        let Ok(name) = std::str::from_utf8(&self.tag.name) else { return };
        self.stack.handle_start(name, self.tag.value("role"));
        if self.stack.in_template() {
            return;
        }
        for id in [self.tag.value("id"), self.tag.value("name").filter(|_| name == "a")] {
            if let Some(id) = id.filter(|id| !id.is_empty()) {
                self.builder.add_place(hash_id(id));
            }
        }
        match name {
            "a" => self.close_anchor(),
            "base" => {
                if let Some(base) = self.tag.value("href") {
                    self.builder.set_base(base);
                }
            }
            "title" if !self.stack.in_foreign() => self.title = Some(Vec::new()),
            "img" => {
                if let (Some(anchor), Some(alt)) = (&mut self.anchor, self.tag.value("alt")) {
                    for piece in [" ", alt, " "] {
                        collect(&mut anchor.text, piece.as_bytes());
                    }
                }
            }
            _ => {}
        }
        self.keep_links();
    }

    fn keep_links(&mut self) {
        let first = self.builder.link_count();
        for (element, attribute, grammar) in link_attributes(&self.tag.name) {
            let Some(value) = self.tag.value(attribute.name()) else { continue };
            match grammar {
                Grammar::Url => keep(&mut self.builder, &self.tag, element, attribute, value),
                Grammar::Srcset => {
                    for candidate in srcset::candidates(value) {
                        keep(&mut self.builder, &self.tag, element, attribute, candidate);
                    }
                }
                Grammar::Refresh => {
                    let is_refresh = self.tag.value("http-equiv");
                    let is_refresh = is_refresh.is_some_and(|v| v.eq_ignore_ascii_case("refresh"));
                    if let Some(target) = refresh::target(value).filter(|_| is_refresh) {
                        keep(&mut self.builder, &self.tag, element, attribute, target);
                    }
                }
            }
        }
        if self.builder.link_count() == first {
            return;
        }
        let region = self.stack.region();
        for link in self.builder.links_from(first) {
            link.region = region;
            link.line = self.tags;
        }
        self.tags += 1;
        self.token = Some(Token::Tag(self.tag.start));
        if self.tag.name == b"a" {
            self.anchor = Some(Anchor { link: first, text: Vec::new() });
        }
    }

    fn handle_end_tag(&mut self) {
        let Ok(name) = std::str::from_utf8(&self.tag.name) else { return };
        match name {
            "a" => self.close_anchor(),
            "title" => {
                if let Some(title) = self.title.take() {
                    self.builder.set_title(&fold(&title));
                }
            }
            _ => {}
        }
        if let Ok(name) = std::str::from_utf8(&self.tag.name) {
            self.stack.handle_end(name);
        }
    }

    fn close_anchor(&mut self) {
        if let Some(anchor) = self.anchor.take() {
            let text = self.builder.keep(&fold(&anchor.text));
            self.builder.link_mut(anchor.link).text = Some(text);
        }
    }
}

/// Keeps one link of a tag; region and tag number follow.
fn keep(
    builder: &mut ReadingBuilder,
    tag: &Tag,
    element: Element,
    attribute: super::elements::Attribute,
    written: &str,
) {
    let rel = tag.value("rel").filter(|rel| !rel.is_empty());
    if trim(written).is_empty() && element.purpose(rel) != Purpose::Visit {
        return;
    }
    let written = builder.keep(cut(written, LONGEST_REFERENCE));
    let rel = rel.map(|rel| builder.keep(cut(rel, LONGEST_TEXT)));
    let alt = tag.value("alt").filter(|_| matches!(element.name(), "img" | "area"));
    let text = alt.map(|alt| builder.keep(&fold(alt.as_bytes())));
    builder.add_link(LinkRecord {
        element,
        attribute,
        written,
        text,
        rel,
        region: None,
        line: 0,
        column: 0,
    });
}

/// The longest start of a text that fits into so many octets.
fn cut(text: &str, most: usize) -> &str {
    &text[..text.floor_char_boundary(most)]
}

fn collect(raw: &mut Vec<u8>, bytes: &[u8]) {
    let room = LONGEST_RAW.saturating_sub(raw.len());
    raw.extend_from_slice(&bytes[..bytes.len().min(room)]);
}

/// Folds white space and cuts what is too long.
fn fold(raw: &[u8]) -> String {
    let text = String::from_utf8_lossy(raw);
    let mut folded = String::with_capacity(text.len());
    for word in text.split_whitespace() {
        if !folded.is_empty() {
            folded.push(' ');
        }
        folded.push_str(word);
    }
    if let Some((end, _)) = folded.char_indices().nth(LONGEST_TEXT) {
        folded.truncate(end);
        folded.push('…');
    }
    folded
}

/// The tokenizer's state after the start tag of an element whose content is not markup.
fn raw_text_state(name: &[u8]) -> Option<State> {
    match name {
        b"textarea" | b"title" => Some(State::RcData),
        b"plaintext" => Some(State::PlainText),
        b"script" => Some(State::ScriptData),
        // `noscript` is read: it holds what visitors without scripts get.
        b"style" | b"xmp" | b"iframe" | b"noembed" | b"noframes" => Some(State::RawText),
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
            self.close_anchor();
            self.token = Some(Token::Done(std::mem::take(&mut self.builder)));
        }
    }

    fn emit_string(&mut self, text: &[u8]) {
        if let Some(title) = &mut self.title {
            collect(title, text);
        } else if let Some(anchor) = self.anchor.as_mut().filter(|_| !self.in_raw_text) {
            collect(&mut anchor.text, text);
        }
    }

    fn start_open_tag(&mut self) {
        // The `<` has been read already.
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
        self.handle_start_tag();
        let foreign = self.stack.in_foreign();
        let state = raw_text_state(&self.tag.name).filter(|_| !foreign);
        self.in_raw_text = state.is_some() && self.tag.name != b"title";
        state
    }

    fn current_is_appropriate_end_tag_token(&mut self) -> bool {
        self.tag.is_end && !self.last_start.is_empty() && self.tag.name == self.last_start
    }

    fn adjusted_current_node_present_but_not_in_html_namespace(&mut self) -> bool {
        self.stack.in_foreign()
    }

    fn push_tag_name(&mut self, name: &[u8]) {
        self.tag.name.extend_from_slice(name);
    }

    fn init_attribute(&mut self) {
        let start = self.tag.buffer.len();
        self.tag.attributes.push(Span { start, value: None, end: start });
    }

    fn init_attribute_value(&mut self) {
        let end = self.tag.buffer.len();
        if let Some(last) = self.tag.attributes.last_mut() {
            last.value = Some(end);
        }
    }

    fn push_attribute_name(&mut self, name: &[u8]) {
        self.tag.push(name);
    }

    fn push_attribute_value(&mut self, value: &[u8]) {
        // html5gum may give the value without announcing it.
        let end = self.tag.buffer.len();
        if let Some(last) = self.tag.attributes.last_mut() {
            last.value.get_or_insert(end);
        }
        self.tag.push(value);
    }

    fn set_last_start_tag(&mut self, name: Option<&[u8]>) {
        self.last_start.clear();
        self.last_start.extend_from_slice(name.unwrap_or_default());
    }

    fn move_position(&mut self, by: isize) {
        self.offset = self.offset.saturating_add_signed(by);
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
    fn set_self_closing(&mut self) {}
    fn set_force_quirks(&mut self) {}
    fn push_comment(&mut self, _: &[u8]) {}
    fn push_doctype_name(&mut self, _: &[u8]) {}
    fn init_doctype(&mut self) {}
    fn set_doctype_public_identifier(&mut self, _: &[u8]) {}
    fn set_doctype_system_identifier(&mut self, _: &[u8]) {}
    fn push_doctype_public_identifier(&mut self, _: &[u8]) {}
    fn push_doctype_system_identifier(&mut self, _: &[u8]) {}
}
