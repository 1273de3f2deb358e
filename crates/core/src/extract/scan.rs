//! Tokenizes what is usual in pages: text, tags and comments without surprises.
//!
//! Nearly all of a page is usual, and to read it by the general rules takes several times as long.
//! What is unusual, such as a quote in the name of a tag, a rare character reference or something
//! that this piece of the page does not finish, is left to `exact` from its start on. So this has
//! to be right only about what it accepts (HTML, "Tokenization"); tests compare the two.

use std::ops::Range;

use html5gum::State;
use memchr::{memchr, memchr2};

use super::eight::{end_of_quoted, equal, gathered};
use super::interpreter::Interpreter;
use super::piece::{Piece, Positions};
use super::plain_tag::PlainTag;
use super::references::Reference;
use super::repeats::{RepeatFinder, Source};
use super::tag::Tag;

/// Where and why it stopped.
pub(super) enum Stop {
    /// Everything was read.
    End,
    /// What follows is unusual, and is read in this state.
    Unusual(State),
}

/// Reads on in a piece of a page, where markup begins.
pub(super) fn scan(
    page: &mut Interpreter,
    piece: &mut Piece<'_>,
    positions: &mut Positions,
    repeats: &mut RepeatFinder,
) -> Stop {
    let text = piece.text;
    let end = text.len();
    // The rules for NUL depend on where it is.
    let usual = &text.as_bytes()[..piece.next_nul()];
    let source = Source { text, usual, offset: piece.start };
    let (offset, has_cr) = (piece.start, piece.has_cr);
    let mut scanner = Scanner { page, text: usual, offset, has_cr };
    loop {
        piece.at = match scanner.read_text(piece.at, end, State::Data) {
            Ok(tag) if tag == end => {
                piece.at = end;
                repeats.handle_end_of_piece(scanner.page, source, positions);
                return Stop::End;
            }
            Ok(tag) => tag,
            Err(here) => {
                piece.at = here;
                return Stop::Unusual(State::Data);
            }
        };
        if repeats.is_cut(usual, piece.at)
            && let Some(end) = repeats.handle_cut(scanner.page, source, piece.at, positions)
        {
            piece.at = end;
            continue;
        }
        let Some((next, state)) = scanner.read_markup(piece.at) else {
            return Stop::Unusual(State::Data);
        };
        piece.at = next;
        if let Some(offset) = scanner.page.take_placed() {
            positions.place(offset, text);
        }
        if let Some(state) = state {
            match scanner.read_raw_text(next, state) {
                Ok(end_tag) => piece.at = end_tag,
                Err(here) => {
                    piece.at = here;
                    return Stop::Unusual(state);
                }
            }
        }
    }
}

struct Scanner<'a> {
    page: &'a mut Interpreter,
    /// The piece, up to the first NUL.
    text: &'a [u8],
    /// That of the piece in the page.
    offset: usize,
    has_cr: bool,
}

/// How bytes are used in tags.
const SPACE: u8 = 1;
/// Ends the name of a tag or attribute, or is unusual in one.
const ENDS_NAME: u8 = 2;
/// Ends a value without quotes, or is unusual in one.
const ENDS_VALUE: u8 = 4;
/// A capital.
const UPPER: u8 = 8;
const USES: [u8; 256] = {
    let mut uses = [0; 256];
    let mut byte = 0;
    while byte < 256 {
        uses[byte] = match byte as u8 {
            b'\t' | b'\n' | b'\x0c' | b'\r' | b' ' => SPACE | ENDS_NAME | ENDS_VALUE,
            b'>' | b'"' | b'\'' | b'<' | b'=' => ENDS_NAME | ENDS_VALUE,
            b'/' => ENDS_NAME,
            b'`' => ENDS_VALUE,
            b'A'..=b'Z' => UPPER,
            _ => 0,
        };
        byte += 1;
    }
    uses
};

impl Scanner<'_> {
    /// Reads text up to the next `<`, or to the end of the piece. Returns where that is, or where
    /// something unusual is.
    fn read_text(&mut self, start: usize, end: usize, state: State) -> Result<usize, usize> {
        let mut at = start;
        loop {
            let until = self.text.len().min(end);
            let found = next_mark(&self.text[at..until]).map(|found| at + found);
            let text_end = found.unwrap_or(until);
            if text_end > at {
                self.take_text(at, text_end);
            }
            match found {
                None if until == end => return Ok(until),
                // There is a NUL.
                None => return Err(until),
                Some(here) if self.text[here] == b'<' && matches!(state, State::Data) => {
                    return Ok(here);
                }
                Some(here) if self.text[here] == b'<' => {
                    self.page.take_text(b"<");
                    at = here + 1;
                }
                Some(here) => match Reference::in_text(&self.text[here + 1..until]) {
                    Reference::Character(character, length) => {
                        self.page.take_text(character.encode_utf8(&mut [0; 4]).as_bytes());
                        at = here + 1 + length;
                    }
                    Reference::Ampersand => {
                        self.page.take_text(b"&");
                        at = here + 1;
                    }
                    Reference::Unknown => return Err(here),
                },
            }
        }
    }

    /// Takes text without references. CR and CRLF count as LF (Infra, "normalize newlines").
    fn take_text(&mut self, start: usize, end: usize) {
        let mut text = &self.text[start..end];
        while self.has_cr
            && let Some(cr) = memchr(b'\r', text)
        {
            self.page.take_text(&text[..cr]);
            self.page.take_text(b"\n");
            let is_pair = text.get(cr + 1) == Some(&b'\n');
            text = &text[cr + 1 + usize::from(is_pair)..];
        }
        if !text.is_empty() {
            self.page.take_text(text);
        }
    }

    /// Reads what the `<` at this place begins. Returns where it ends, and how what follows is
    /// tokenized if it is not markup; `None` if it is unusual.
    fn read_markup(&mut self, start: usize) -> Option<(usize, Option<State>)> {
        match self.text.get(start + 1)? {
            b'/' if self.text.get(start + 2)?.is_ascii_alphabetic() => {
                self.read_tag(start, start + 2)
            }
            b'/' => None,
            first if first.is_ascii_alphabetic() => self.read_tag(start, start + 1),
            b'!' => Some((self.end_of_declaration(start + 2)?, None)),
            // A processing instruction is a comment in HTML.
            b'?' => Some((self.after_next(start + 2)?, None)),
            _ => {
                self.page.take_text(b"<");
                Some((start + 1, None))
            }
        }
    }

    /// The offset after the next `>`.
    fn after_next(&self, at: usize) -> Option<usize> {
        memchr(b'>', &self.text[at..]).map(|found| at + found + 1)
    }

    /// Where a comment or doctype ends, whose `<!` has been read.
    fn end_of_declaration(&self, at: usize) -> Option<usize> {
        let text = &self.text[at..];
        if text.get(..7)?.eq_ignore_ascii_case(b"doctype") {
            // Wherever it is, even in quotes.
            return self.after_next(at + 7);
        }
        let comment = text.strip_prefix(b"--")?;
        if comment.starts_with(b">") || comment.starts_with(b"->") {
            return None;
        }
        let mut end = memchr(b'>', comment)?;
        loop {
            let inner = &comment[..end];
            if inner.ends_with(b"--") || inner.ends_with(b"--!") {
                return Some(at + 2 + end + 1);
            }
            end += 1 + memchr(b'>', &comment[end + 1..])?;
        }
    }

    /// Reads a tag whose name begins at `name`.
    fn read_tag(&mut self, start: usize, name: usize) -> Option<(usize, Option<State>)> {
        let end = if let Some(plain) = PlainTag::at_name(&self.text[name..], name - start == 2) {
            let end = name + plain.length;
            if plain.begins_phrase()
                && let Some(end) = self.read_phrase(plain, end)
            {
                return Some((end, None));
            }
            self.page.tag.set_plain(plain);
            end
        } else {
            self.read_attributes(start, name)?
        };
        (self.page.tag.start, self.page.tag.end) = (self.offset + start, self.offset + end);
        Some((end, self.page.take_tag()))
    }

    /// Reads on after the start tag of an element that only marks its text, if nothing but that
    /// text and the end tag follows. Returns where this ends.
    fn read_phrase(&mut self, tag: PlainTag, start: usize) -> Option<usize> {
        let end = start + next_mark(&self.text[start..])?;
        let end_tag = tag.end_of_phrase(&self.text[end..])?;
        if !self.page.begin_phrase() {
            return None;
        }
        if end > start {
            self.take_text(start, end);
        }
        Some(end + end_tag)
    }

    /// Reads the current tag. Returns where it ends.
    fn read_attributes(&mut self, start: usize, name: usize) -> Option<usize> {
        let source = &self.text[name..];
        let tag = &mut self.page.tag;
        tag.clear(name - start == 2);
        let mut uses = 0;
        let tag_name = end_of_name(source, 0, &mut uses)?;
        let mut at = tag_name;
        loop {
            at = after_spaces(source, at)?;
            match source[at] {
                b'>' => break,
                b'/' if source.get(at + 1) == Some(&b'>') => {
                    tag.self_closing = true;
                    at += 1;
                    break;
                }
                _ => {}
            }
            let attribute = at..end_of_name(source, at, &mut uses)?;
            if attribute.is_empty() {
                return None;
            }
            at = after_spaces(source, attribute.end)?;
            match source[at] {
                b'=' => {
                    let value = Value::at(source, after_spaces(source, at + 1)?)?;
                    at = value.end;
                    tag.add(attribute, value.place.clone());
                    let written = &source[value.place];
                    if self.has_cr && memchr(b'\r', written).is_some() {
                        return None;
                    }
                    if value.has_ampersand {
                        decode_value(tag, written)?;
                    }
                }
                b'"' | b'\'' | b'<' => return None,
                _ => tag.add(attribute.clone(), attribute.end..attribute.end),
            }
        }
        tag.finish(&source[..at], tag_name, uses & UPPER != 0);
        Some(name + at + 1)
    }

    /// Reads the text of an element that contains no markup. Returns where its end tag begins, or
    /// where something unusual is.
    fn read_raw_text(&mut self, start: usize, state: State) -> Result<usize, usize> {
        let end = self.end_of_raw_text(start, state).ok_or(start)?;
        if matches!(state, State::RcData) {
            self.read_text(start, end, state)
        } else {
            self.take_text(start, end);
            Ok(end)
        }
    }

    fn end_of_raw_text(&self, start: usize, state: State) -> Option<usize> {
        if matches!(state, State::PlainText) {
            return None;
        }
        let name = self.page.text_element();
        let mut at = start;
        loop {
            at += memchr(b'<', &self.text[at..])?;
            let rest = &self.text[at + 1..];
            // From here on, `</script>` may be text.
            if matches!(state, State::ScriptData) && rest.starts_with(b"!--") {
                return None;
            }
            if rest.first() == Some(&b'/')
                && rest.get(1..=name.len())?.eq_ignore_ascii_case(name)
                && (USES[usize::from(*rest.get(1 + name.len())?)] & SPACE != 0
                    || matches!(rest[1 + name.len()], b'/' | b'>'))
            {
                return Some(at);
            }
            at += 1;
        }
    }
}

/// Where the next `<` or `&` is. Most texts are short.
#[inline]
fn next_mark(text: &[u8]) -> Option<usize> {
    let marks = |bytes: &[u8; 8]| {
        let bytes = u64::from_le_bytes(*bytes);
        gathered(equal(bytes, b'<') | equal(bytes, b'&'))
    };
    let start = match text.as_chunks::<8>().0 {
        [first, second, ..] => {
            let marks = marks(first) | marks(second) << 8;
            if marks != 0 {
                return Some(marks.trailing_zeros() as usize);
            }
            16
        }
        _ => 0,
    };
    memchr2(b'<', b'&', &text[start..]).map(|found| start + found)
}

/// Where the name ends that begins at this place. Adds the uses of its bytes.
fn end_of_name(source: &[u8], at: usize, uses: &mut u8) -> Option<usize> {
    let mut is_end = |&byte: &u8| {
        let here = USES[usize::from(byte)];
        *uses |= here;
        here & ENDS_NAME != 0
    };
    source[at..].iter().position(&mut is_end).map(|length| at + length)
}

fn after_spaces(source: &[u8], at: usize) -> Option<usize> {
    let found = source[at..].iter().position(|&byte| USES[usize::from(byte)] & SPACE == 0);
    found.map(|found| at + found)
}

/// The value of an attribute.
struct Value {
    /// Where it is, without its quotes.
    place: Range<usize>,
    /// The offset after it and its quotes.
    end: usize,
    has_ampersand: bool,
}

impl Value {
    /// The one that begins at this place.
    fn at(source: &[u8], at: usize) -> Option<Value> {
        if let quote @ (b'"' | b'\'') = source[at] {
            let (length, has_ampersand) = end_of_quoted(&source[at + 1..], quote)?;
            let place = at + 1..at + 1 + length;
            return Some(Value { end: place.end + 1, place, has_ampersand });
        }
        let ends = |&byte: &u8| USES[usize::from(byte)] & ENDS_VALUE != 0;
        let place = at..at + source[at..].iter().position(ends)?;
        let end = source[place.end];
        let is_usual = end == b'>' || USES[usize::from(end)] & SPACE != 0;
        let has_ampersand = source[place.clone()].contains(&b'&');
        (is_usual && !place.is_empty()).then_some(Value { end: place.end, place, has_ampersand })
    }
}

/// Replaces the references in the last value of a tag.
fn decode_value(tag: &mut Tag, written: &[u8]) -> Option<()> {
    tag.restart_value();
    let mut rest = written;
    while let Some(ampersand) = memchr(b'&', rest) {
        tag.push_decoded(&rest[..ampersand]);
        rest = &rest[ampersand + 1..];
        match Reference::in_value(rest) {
            Reference::Character(character, length) => {
                tag.push_decoded(character.encode_utf8(&mut [0; 4]).as_bytes());
                rest = &rest[length..];
            }
            Reference::Ampersand => tag.push_decoded(b"&"),
            Reference::Unknown => return None,
        }
    }
    tag.push_decoded(rest);
    Some(())
}
