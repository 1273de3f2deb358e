//! Tokenizes decoded HTML piece by piece, and adds line numbers to its links.

use std::sync::Arc;
use std::sync::atomic::Ordering;

use html5gum::Tokenizer;

use super::emitter::{LinkEmitter, NO_TAG, OpenTag, Reading, Token};
use super::feed::{Feed, Slot};
use super::lines::{Cursor, position_within};
use crate::extract::reading::ReadingBuilder;

pub(super) struct Markup {
    slot: Arc<Slot>,
    tokenizer: Tokenizer<Feed, LinkEmitter>,
    open_tag: OpenTag,
    cursor: Cursor,
    /// Where the tags with links begin, in order.
    positions: Vec<(u32, u32)>,
    /// Where the tag began that the last piece left unfinished.
    unfinished: Option<(usize, (u32, u32))>,
}

impl Markup {
    pub(super) fn new(how: Reading, url: &str) -> Markup {
        let slot = Arc::new(Slot::default());
        let emitter = LinkEmitter::new(how, url, Markup::read_nested);
        let open_tag = emitter.open_tag();
        Markup {
            tokenizer: Tokenizer::new_with_emitter(Feed::new(Arc::clone(&slot)), emitter),
            slot,
            open_tag,
            cursor: Cursor::default(),
            positions: Vec::new(),
            unfinished: None,
        }
    }

    /// Parses a page in an attribute.
    fn read_nested(how: Reading, srcdoc: &str) -> crate::extract::reading::Reading {
        let mut page = Markup::new(how, "");
        page.feed(srcdoc, true).expect("the end of the input gives the reading").finish(false)
    }

    /// Takes a piece that ends with a `>`, or the last one, which returns the reading.
    pub(super) fn feed(&mut self, text: &str, is_last: bool) -> Option<Box<ReadingBuilder>> {
        self.slot.fill(text);
        if is_last {
            self.slot.close();
        }
        let start = self.cursor.offset();
        let mut done = None;
        while let Some(Ok(token)) = self.tokenizer.next() {
            match token {
                Token::Tag(offset) => {
                    let position = match self.unfinished.take() {
                        Some((at, position)) if at == offset => position,
                        _ => self.cursor.advance_to(offset, &text[self.cursor.offset() - start..]),
                    };
                    self.positions.push(position);
                }
                Token::Done(builder, within) => done = Some((builder, within)),
            }
        }
        let open = self.open_tag.load(Ordering::Relaxed);
        if open != NO_TAG && open >= self.cursor.offset() {
            let position = self.cursor.advance_to(open, &text[self.cursor.offset() - start..]);
            self.unfinished = Some((open, position));
        }
        let rest = &text[self.cursor.offset() - start..];
        self.cursor.advance_to(start + text.len(), rest);
        let (mut builder, within) = done?;
        for link in builder.links_from(0) {
            (link.line, link.column) = self.positions[link.line as usize];
        }
        for (number, within) in within {
            let link = builder.link_mut(number);
            (link.line, link.column) = position_within((link.line, link.column), within);
        }
        Some(builder)
    }
}
