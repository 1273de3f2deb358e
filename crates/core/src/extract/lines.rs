//! From offsets to lines and columns, in one pass through the text.
//!
//! Lines end at LF, CR or CRLF, as the HTML standard normalizes newlines; columns count Unicode
//! code points; both from 1.

#[derive(Debug)]
pub(super) struct Cursor {
    offset: usize,
    line: u32,
    column: u32,
    /// The last character was a CR: an LF right after it belongs to the same line break.
    after_cr: bool,
}

impl Default for Cursor {
    fn default() -> Cursor {
        Cursor { offset: 0, line: 1, column: 1, after_cr: false }
    }
}

impl Cursor {
    /// Bytes passed so far.
    pub(super) fn offset(&self) -> usize {
        self.offset
    }

    /// Moves forward to an offset whose line and column are known.
    pub(super) fn jump(&mut self, offset: usize, (line, column): (u32, u32)) {
        *self = Cursor { offset, line, column, after_cr: false };
    }

    /// Moves forward to an offset, and returns line and column there. `rest` is the text from the
    /// current offset on.
    pub(super) fn advance_to(&mut self, offset: usize, rest: &str) -> (u32, u32) {
        if let Some(length) = offset.checked_sub(self.offset) {
            let passed = &rest.as_bytes()[..length];
            let has_cr = memchr::memchr(b'\r', passed).is_some();
            self.move_past(passed, has_cr);
        }
        (self.line, self.column)
    }

    /// Moves past a text, with or without a CR in it, and returns line and column after it.
    pub(super) fn move_past(&mut self, passed: &[u8], has_cr: bool) -> (u32, u32) {
        if has_cr || self.after_cr {
            self.pass(passed);
        } else {
            self.leap(passed);
        }
        self.offset += passed.len();
        (self.line, self.column)
    }

    fn leap(&mut self, passed: &[u8]) {
        match memchr::memrchr(b'\n', passed) {
            None => self.column += code_points(passed),
            Some(last) => {
                let ends = memchr::memchr_iter(b'\n', passed).count();
                self.line += u32::try_from(ends).expect("pages are shorter than 4 GiB");
                self.column = 1 + code_points(&passed[last + 1..]);
            }
        }
    }

    fn pass(&mut self, passed: &[u8]) {
        for &byte in passed {
            match byte {
                b'\n' if self.after_cr => {}
                b'\n' | b'\r' => {
                    self.line += 1;
                    self.column = 1;
                }
                _ => self.column += u32::from(starts_code_point(byte)),
            }
            self.after_cr = byte == b'\r';
        }
    }
}

/// Line and column on the page of what is at `within` in a text that begins at `start`.
pub(super) fn position_within(start: (u32, u32), within: (u32, u32)) -> (u32, u32) {
    let (line, column) = within;
    (start.0 + line - 1, if line == 1 { start.1 + column - 1 } else { column })
}

fn starts_code_point(byte: u8) -> bool {
    byte & 0xc0 != 0x80
}

fn code_points(bytes: &[u8]) -> u32 {
    let count = if bytes.is_ascii() {
        bytes.len()
    } else {
        bytes.iter().filter(|&&byte| starts_code_point(byte)).count()
    };
    u32::try_from(count).expect("pages are shorter than 4 GiB")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_of_line_break_counts_once() {
        for (text, expected) in [
            ("", (1, 1)),
            ("ab", (1, 3)),
            ("a\nb", (2, 2)),
            ("a\r\nb", (2, 2)),
            ("a\r\rb", (3, 2)),
            ("ü\nÄö", (2, 3)),
        ] {
            assert_eq!(Cursor::default().advance_to(text.len(), text), expected, "{text:?}");
        }
    }

    #[test]
    fn a_split_line_break_counts_once() {
        let mut cursor = Cursor::default();
        assert_eq!(cursor.advance_to(2, "a\r"), (2, 1));
        assert_eq!(cursor.advance_to(4, "\nb"), (2, 2));
    }
}
