//! XML in pieces: events with their positions, as far as the text is complete.

use quick_xml::Reader;
use quick_xml::errors::Error;
use quick_xml::escape::resolve_predefined_entity;
use quick_xml::events::{BytesRef, BytesStart, Event};

use super::lines::Cursor;

/// Line and column.
pub(super) type Position = (u32, u32);

#[derive(Debug, Default)]
pub(super) struct XmlStream {
    pub(super) cursor: Cursor,
    /// It is not well-formed.
    pub(super) is_faulty: bool,
}

impl XmlStream {
    /// Calls back with the events of a text that continues the one before. Returns how much of it
    /// was read. Everything before an error counts.
    pub(super) fn read(
        &mut self,
        text: &str,
        is_last: bool,
        mut take: impl FnMut(&Event<'_>, Position),
    ) -> usize {
        let start = self.cursor.offset();
        let mut reader = Reader::from_str(text);
        let config = reader.config_mut();
        config.check_end_names = false;
        config.allow_unmatched_ends = true;
        let mut read = 0;
        loop {
            match reader.read_event() {
                Ok(Event::Eof) => break,
                Ok(event) => {
                    let rest = &text[self.cursor.offset() - start..];
                    let position = self.cursor.advance_to(start + read, rest);
                    take(&event, position);
                    read = offset(reader.buffer_position());
                }
                // For example, a comment that contains a `>` and is incomplete.
                Err(Error::Syntax(_)) if !is_last => break,
                Err(_) => {
                    self.is_faulty = true;
                    read = offset(reader.buffer_position()).max(read);
                    if reader.buffer_position() == reader.error_position() {
                        read = text.len();
                        break;
                    }
                }
            }
        }
        self.cursor.advance_to(start + read, &text[self.cursor.offset() - start..]);
        read
    }
}

/// The value of an attribute, with entities resolved.
pub(super) fn attribute(tag: &BytesStart<'_>, name: &str) -> Option<String> {
    let attribute = tag.try_get_attribute(name).ok().flatten()?;
    let value = attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).ok()?;
    Some(value.into_owned())
}

/// The text of an entity; `None` if it is unknown.
pub(super) fn resolve(entity: &BytesRef<'_>) -> Option<String> {
    if let Ok(Some(c)) = entity.resolve_char_ref() {
        return Some(c.to_string());
    }
    resolve_predefined_entity(entity).map(str::to_owned)
}

fn offset(position: u64) -> usize {
    usize::try_from(position).expect("the text fits into memory")
}
