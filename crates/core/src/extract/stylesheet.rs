//! A stylesheet in a file of its own, parsed while it arrives.

use super::collector::{self, LinkContent, TagContext};
use super::css::{Scanner, State};
use super::elements::{Attribute, Element};
use super::lines::Cursor;
use crate::extract::reading_builder::ReadingBuilder;

#[derive(Debug, Default)]
pub(super) struct Stylesheet {
    builder: Box<ReadingBuilder>,
    cursor: Cursor,
    positions: Vec<(u32, u32)>,
    state: State,
    /// Incomplete text is scanned again when it has grown to this length, because an image in a
    /// URL may arrive in many pieces.
    retry_at: usize,
}

impl Stylesheet {
    /// Keeps this many links.
    pub(super) fn new(most_links: usize) -> Stylesheet {
        Stylesheet { builder: Box::new(ReadingBuilder::new(most_links)), ..Stylesheet::default() }
    }

    /// Scans as much of the waiting text as possible, and removes it.
    pub(super) fn feed(
        &mut self,
        waiting: &mut String,
        is_last: bool,
    ) -> Option<Box<ReadingBuilder>> {
        if waiting.len() >= self.retry_at || is_last {
            let read = self.read(waiting, is_last);
            waiting.drain(..read);
            self.retry_at = 2 * waiting.len();
        }
        is_last.then(|| {
            for link in self.builder.links_from(0) {
                (link.line, link.column) = self.positions[link.line as usize];
            }
            std::mem::take(&mut self.builder)
        })
    }

    fn read(&mut self, text: &str, is_last: bool) -> usize {
        let Stylesheet { builder, cursor, positions, state, .. } = self;
        let start = cursor.offset();
        let read = Scanner::new(text, is_last).scan(state, |found| {
            let rest = &text[cursor.offset() - start..];
            positions.push(cursor.advance_to(start + found.offset, rest));
            let tag = u32::try_from(positions.len() - 1).expect("sheets are shorter than 4 GiB");
            let attribute = if found.is_import { Attribute::IMPORT } else { Attribute::URL };
            let content = LinkContent {
                element: Element::STYLE,
                attribute,
                written: &found.url,
                text: None,
                rel: None,
                title: None,
            };
            collector::add(builder, TagContext::bare(tag), content);
        });
        cursor.advance_to(start + read, &text[cursor.offset() - start..]);
        read
    }
}
