//! Tokenizes by every rule of the HTML standard, with html5gum.
//!
//! It takes over where `scan` meets something unusual, and hands the page back after the next tag.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use html5gum::{Emitter, Error, State, Tokenizer};

use super::feed::{Feed, Slot};
use super::interpreter::Interpreter;
use super::piece::{Piece, Positions};

/// Between tags, in place of an offset.
const NO_TAG: usize = usize::MAX;

pub(super) struct Exact {
    slot: Arc<Slot>,
    tokenizer: Tokenizer<Feed, Adapter>,
    /// The offset of the tag that is being tokenized.
    open_tag: Arc<AtomicUsize>,
}

impl Exact {
    /// Takes over at this offset of the page, in this state, for at least so many tags.
    pub(super) fn new(page: Box<Interpreter>, offset: usize, state: State, tags: u32) -> Exact {
        let slot = Arc::new(Slot::default());
        let open_tag = Arc::new(AtomicUsize::new(NO_TAG));
        let adapter = Adapter {
            page: Some(page),
            offset,
            open_tag: Arc::clone(&open_tag),
            tags,
            is_between: false,
        };
        let mut tokenizer = Tokenizer::new_with_emitter(Feed::new(Arc::clone(&slot)), adapter);
        tokenizer.set_state(state);
        Exact { slot, tokenizer, open_tag }
    }

    /// Reads on in a piece until a tag has ended: then it returns the page.
    pub(super) fn read(
        &mut self,
        piece: &mut Piece<'_>,
        positions: &mut Positions,
    ) -> Option<Box<Interpreter>> {
        let text = piece.text;
        // A short part first: most unusual tags are followed by usual ones.
        let mut size = 1;
        loop {
            let from = text.len().min(piece.at + size);
            let next = memchr::memchr(b'>', &text.as_bytes()[from..]);
            let end = next.map_or(text.len(), |next| from + next + 1);
            self.slot.fill(&text[piece.at..end]);
            if piece.is_last && end == text.len() {
                self.slot.close();
            }
            while let Some(Ok(token)) = self.tokenizer.next() {
                match token {
                    Token::Tag(offset) => positions.place(offset, text),
                    Token::Between(page, offset) => {
                        piece.at = offset - piece.start;
                        return Some(page);
                    }
                }
            }
            piece.at = end;
            if end == text.len() {
                let open = self.open_tag.load(Ordering::Relaxed);
                positions.leave_unfinished(Some(open).filter(|&open| open != NO_TAG), text);
                return None;
            }
            size *= 2;
        }
    }
}

enum Token {
    /// A tag with links, and its offset.
    Tag(usize),
    /// A tag, comment or the page has ended: the page, and the offset.
    Between(Box<Interpreter>, usize),
}

impl std::fmt::Debug for Token {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Token::Tag(offset) => write!(f, "Tag({offset})"),
            Token::Between(_, offset) => write!(f, "Between({offset})"),
        }
    }
}

/// Passes the tokens of html5gum on.
#[derive(Debug)]
struct Adapter {
    /// Until it is handed back.
    page: Option<Box<Interpreter>>,
    offset: usize,
    open_tag: Arc<AtomicUsize>,
    /// How many tags and comments are left until the page may be handed back.
    tags: u32,
    /// It may be: what follows is markup, and nothing of it has been tokenized.
    is_between: bool,
}

impl Adapter {
    fn page(&mut self) -> &mut Interpreter {
        self.page.as_mut().expect("the tokenizer is not run after the page was handed back")
    }

    /// A tag, comment or doctype has ended, and what follows is markup.
    fn end_markup(&mut self) {
        self.open_tag.store(NO_TAG, Ordering::Relaxed);
        self.tags = self.tags.saturating_sub(1);
        self.is_between = self.tags == 0;
    }
}

impl Emitter for Adapter {
    type Token = Token;

    fn pop_token(&mut self) -> Option<Token> {
        if let Some(offset) = self.page.as_mut()?.take_placed() {
            return Some(Token::Tag(offset));
        }
        let page = self.page.take_if(|_| self.is_between)?;
        Some(Token::Between(page, self.offset))
    }

    fn emit_eof(&mut self) {
        self.is_between = true;
    }

    fn emit_string(&mut self, text: &[u8]) {
        self.page().take_text(text);
    }

    fn start_open_tag(&mut self) {
        // The `<` has already been consumed.
        let start = self.offset - 1;
        self.page().tag.start = start;
        self.open_tag.store(start, Ordering::Relaxed);
    }

    fn init_start_tag(&mut self) {
        self.page().tag.clear(false);
    }

    fn init_end_tag(&mut self) {
        self.page().tag.clear(true);
    }

    fn emit_current_tag(&mut self) -> Option<State> {
        self.page().tag.end = self.offset;
        let state = self.page().take_tag();
        self.open_tag.store(NO_TAG, Ordering::Relaxed);
        if state.is_none() {
            self.end_markup();
        }
        state
    }

    fn current_is_appropriate_end_tag_token(&mut self) -> bool {
        let page = self.page();
        page.tag.is_end && page.tag.name() == page.text_element()
    }

    fn adjusted_current_node_present_but_not_in_html_namespace(&mut self) -> bool {
        self.page().has_cdata()
    }

    fn push_tag_name(&mut self, name: &[u8]) {
        self.page().tag.push_tag_name(name);
    }

    fn init_attribute(&mut self) {
        self.page().tag.begin_attribute();
    }

    fn push_attribute_name(&mut self, name: &[u8]) {
        self.page().tag.push_name(name);
    }

    fn push_attribute_value(&mut self, value: &[u8]) {
        self.page().tag.push_value(value);
    }

    fn move_position(&mut self, by: isize) {
        self.offset = self.offset.saturating_add_signed(by);
    }

    fn set_self_closing(&mut self) {
        self.page().tag.self_closing = true;
    }

    fn emit_current_comment(&mut self) {
        self.end_markup();
    }

    fn emit_current_doctype(&mut self) {
        self.end_markup();
    }

    fn should_emit_errors(&mut self) -> bool {
        false
    }

    fn set_last_start_tag(&mut self, _: Option<&[u8]>) {}
    fn emit_error(&mut self, _: Error) {}
    fn init_comment(&mut self) {}
    fn set_force_quirks(&mut self) {}
    fn push_comment(&mut self, _: &[u8]) {}
    fn push_doctype_name(&mut self, _: &[u8]) {}
    fn init_doctype(&mut self) {}
    fn set_doctype_public_identifier(&mut self, _: &[u8]) {}
    fn set_doctype_system_identifier(&mut self, _: &[u8]) {}
    fn push_doctype_public_identifier(&mut self, _: &[u8]) {}
    fn push_doctype_system_identifier(&mut self, _: &[u8]) {}
}
