//! From the bytes of a page to its links, while the bytes arrive.
//!
//! An [`Extractor`] takes a body in chunks of any size and keeps none of it: only
//! what stands after the last `>` waits for the next chunk, so that a tag is never
//! torn apart. The tokens come from html5gum, by the HTML standard's tokenization
//! rules; what they mean is our own: [`links`] keeps the links, [`region`] knows
//! where in the page they stand, [`lines`] on which line.
//!
//! ```
//! use rummage_core::extract::Extractor;
//!
//! let mut page = Extractor::new(None, 1 << 20);
//! page.feed(b"<title>Locks</title><nav><a hr");
//! page.feed(b"ef='/map'>The <b>map</b></a>");
//! let reading = page.finish();
//!
//! let link = reading.links().next().unwrap();
//! assert_eq!((link.written, link.text), ("/map", Some("The map")));
//! assert_eq!((link.line, link.column), (1, 26));
//! assert_eq!(reading.title(), Some("Locks"));
//! ```

mod decode;
pub mod elements;
mod feed;
mod lines;
mod links;
mod refresh;
mod region;
mod srcset;

use std::sync::Arc;
use std::sync::atomic::Ordering;

use html5gum::Tokenizer;

use crate::reading::Reading;
use decode::Decoder;
use feed::{Feed, Slot};
use lines::Cursor;
use links::{LinkEmitter, NO_TAG, Token};

/// Reads one page. See the [module](self).
pub struct Extractor {
    decoder: Decoder,
    /// Decoded text that ends in the middle of a tag or a text.
    waiting: String,
    slot: Arc<Slot>,
    tokenizer: Tokenizer<Feed, LinkEmitter>,
    open_tag: links::OpenTag,
    cursor: Cursor,
    /// Where the tags that hold links begin, in their order.
    positions: Vec<(u32, u32)>,
    /// Where the tag began that the last chunk left open.
    unfinished: Option<(usize, (u32, u32))>,
    /// Octets that may still come.
    room: usize,
    cut: bool,
}

impl Extractor {
    /// An extractor for a body of that `charset` (the parameter of its
    /// `Content-Type`, if it has one) that reads at most `limit` octets.
    #[must_use]
    pub fn new(charset: Option<&str>, limit: usize) -> Extractor {
        let slot = Arc::new(Slot::default());
        let emitter = LinkEmitter::default();
        let open_tag = emitter.open_tag();
        Extractor {
            decoder: Decoder::new(charset),
            waiting: String::new(),
            tokenizer: Tokenizer::new_with_emitter(Feed::new(Arc::clone(&slot)), emitter),
            slot,
            open_tag,
            cursor: Cursor::default(),
            positions: Vec::new(),
            unfinished: None,
            room: limit,
            cut: false,
        }
    }

    /// Takes the next bytes of the body. Gives whether more are wanted: not once
    /// the limit is reached.
    pub fn feed(&mut self, bytes: &[u8]) -> bool {
        let taken = &bytes[..bytes.len().min(self.room)];
        self.cut |= taken.len() < bytes.len();
        self.room -= taken.len();
        self.decoder.feed(taken, &mut self.waiting);
        if let Some(last) = memchr::memrchr(b'>', self.waiting.as_bytes()) {
            let mut waiting = std::mem::take(&mut self.waiting);
            self.tokenize(&waiting[..=last]);
            waiting.drain(..=last);
            self.waiting = waiting;
        }
        !self.cut
    }

    /// The body has ended: gives what was read.
    #[must_use]
    pub fn finish(mut self) -> Reading {
        self.decoder.finish(&mut self.waiting);
        let rest = std::mem::take(&mut self.waiting);
        self.slot.close();
        let mut builder = self.tokenize(&rest).expect("the end of the input yields the reading");
        for place in 0..builder.link_count() {
            let link = builder.link_mut(place);
            (link.line, link.column) = self.positions[link.line as usize];
        }
        builder.finish(self.cut)
    }

    /// Tokenizes a stretch of text that ends with a `>` or with the page.
    fn tokenize(&mut self, text: &str) -> Option<Box<crate::reading::ReadingBuilder>> {
        self.slot.fill(text);
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
                Token::Done(builder) => done = Some(builder),
            }
        }
        let open = self.open_tag.load(Ordering::Relaxed);
        if open != NO_TAG && open >= self.cursor.offset() {
            let position = self.cursor.advance_to(open, &text[self.cursor.offset() - start..]);
            self.unfinished = Some((open, position));
        }
        let rest = &text[self.cursor.offset() - start..];
        self.cursor.advance_to(start + text.len(), rest);
        done
    }
}

#[cfg(test)]
mod tests;
