//! A piece of a page that is being read, and where its tags are on the page.

use super::lines::Cursor;

/// A piece of the page, of which a part has been read.
pub(super) struct Piece<'a> {
    pub(super) text: &'a str,
    /// The offset in the page at which it starts.
    pub(super) start: usize,
    /// How much of it has been read.
    pub(super) at: usize,
    pub(super) is_last: bool,
    /// There is a CR in it: hardly any page has one.
    pub(super) has_cr: bool,
    /// Where the next NUL is, or the end.
    nul: usize,
}

impl<'a> Piece<'a> {
    pub(super) fn new(text: &'a str, start: usize, is_last: bool) -> Piece<'a> {
        let has_cr = memchr::memchr(b'\r', text.as_bytes()).is_some();
        let nul = memchr::memchr(b'\0', text.as_bytes()).unwrap_or(text.len());
        Piece { text, start, at: 0, is_last, has_cr, nul }
    }

    /// Where the next NUL is, or the end.
    pub(super) fn next_nul(&mut self) -> usize {
        // Searched only once for each: the page may have much that is unusual.
        if self.nul < self.at {
            let next = memchr::memchr(b'\0', &self.text.as_bytes()[self.at..]);
            self.nul = next.map_or(self.text.len(), |next| self.at + next);
        }
        self.nul
    }
}

/// Where a part of a page begins.
#[derive(Clone, Copy)]
pub(super) struct Place {
    position: (u32, u32),
    /// The number of tags with links before it.
    tags: usize,
}

/// Positions in a part of a page: lines from 0, columns on line 0 relative to its start.
pub(super) struct PositionsSince {
    list: Vec<(u32, u32)>,
    end: (u32, u32),
}

impl PositionsSince {
    /// How many bytes they take in memory, about.
    pub(super) fn weight(&self) -> usize {
        size_of_val(self.list.as_slice())
    }
}

fn relative_to(start: (u32, u32), (line, column): (u32, u32)) -> (u32, u32) {
    (line - start.0, if line == start.0 { column - start.1 } else { column })
}

fn absolute_from(start: (u32, u32), (line, column): (u32, u32)) -> (u32, u32) {
    (start.0 + line, if line == 0 { start.1 + column } else { column })
}

/// Where the tags with links begin.
#[derive(Default)]
pub(super) struct Positions {
    cursor: Cursor,
    /// The offset at which the current piece starts.
    pub(super) piece_start: usize,
    /// There is a CR in it.
    has_cr: bool,
    /// Line and column of each tag with links, in order.
    pub(super) list: Vec<(u32, u32)>,
    /// Where the tag began that the last piece left unfinished.
    unfinished: Option<(usize, (u32, u32))>,
}

impl Positions {
    /// Adds the position of the tag at this offset, in the current piece.
    pub(super) fn place(&mut self, offset: usize, text: &str) {
        let position = match self.unfinished.take() {
            Some((at, position)) if at == offset => position,
            _ => self.advance_to(offset, text),
        };
        self.list.push(position);
    }

    /// The current piece ends in the middle of the tag at this offset.
    pub(super) fn leave_unfinished(&mut self, open: Option<usize>, text: &str) {
        if let Some(open) = open.filter(|&open| open >= self.cursor.offset()) {
            self.unfinished = Some((open, self.advance_to(open, text)));
        }
    }

    /// A part of the page begins at this offset.
    pub(super) fn begin(&mut self, offset: usize, text: &str) -> Place {
        Place { position: self.advance_to(offset, text), tags: self.list.len() }
    }

    /// The positions since then, relative to it, up to this offset.
    pub(super) fn since(&mut self, place: Place, end: usize, text: &str) -> PositionsSince {
        let relative = |position| relative_to(place.position, position);
        let list = self.list[place.tags..].iter().copied().map(relative).collect();
        PositionsSince { list, end: relative(self.advance_to(end, text)) }
    }

    /// Adds the positions of a part of the page that is left out.
    pub(super) fn replay(&mut self, part: &PositionsSince, start: usize, end: usize, text: &str) {
        let start = self.advance_to(start, text);
        self.list.extend(part.list.iter().map(|&position| absolute_from(start, position)));
        self.cursor.jump(end, absolute_from(start, part.end));
        self.unfinished = None;
    }

    pub(super) fn begin_piece(&mut self, piece: &Piece<'_>) {
        self.has_cr = piece.has_cr;
    }

    pub(super) fn end_piece(&mut self, text: &str) {
        let end = self.piece_start + text.len();
        self.advance_to(end, text);
        self.piece_start = end;
    }

    fn advance_to(&mut self, offset: usize, text: &str) -> (u32, u32) {
        let within = |offset: usize| offset.saturating_sub(self.piece_start);
        // Nothing is passed if that is behind the cursor.
        let passed = text.as_bytes().get(within(self.cursor.offset())..within(offset));
        self.cursor.move_past(passed.unwrap_or_default(), self.has_cr)
    }
}
