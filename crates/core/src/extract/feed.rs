//! A reader for the tokenizer that can run out of text and be refilled.

use std::fmt;
use std::sync::{Arc, Mutex};

use html5gum::Reader;

/// Holds the next piece of text.
#[derive(Debug, Default)]
pub(super) struct Slot(Mutex<Next>);

#[derive(Debug, Default)]
struct Next {
    text: String,
    /// No more text will come.
    closed: bool,
}

impl Slot {
    /// Adds the next piece. The previous one must have been read.
    pub(super) fn fill(&self, text: &str) {
        self.lock().text.push_str(text);
    }

    /// No more text will come after the current piece.
    pub(super) fn close(&self) {
        self.lock().closed = true;
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Next> {
        self.0.lock().expect("nothing panics while it holds the slot")
    }
}

/// All text so far has been read; more may come.
#[derive(Debug)]
pub(super) struct Dry;

impl fmt::Display for Dry {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("more of the page is still to come")
    }
}

impl std::error::Error for Dry {}

/// The reader. It takes the lock once per piece, not once per byte.
#[derive(Debug)]
pub(super) struct Feed {
    slot: Arc<Slot>,
    text: String,
    at: usize,
    /// The piece contains a CR or a NUL. The tokenizer looks for them everywhere, and hardly any
    /// page has one.
    has_rare: bool,
}

impl Feed {
    pub(super) fn new(slot: Arc<Slot>) -> Feed {
        Feed { slot, text: String::new(), at: 0, has_rare: false }
    }

    fn rest(&self) -> &[u8] {
        &self.text.as_bytes()[self.at..]
    }

    /// Returns whether there is text; `Err` if there may be later.
    fn has_text(&mut self) -> Result<bool, Dry> {
        if self.at < self.text.len() { Ok(true) } else { self.next_piece() }
    }

    #[cold]
    fn next_piece(&mut self) -> Result<bool, Dry> {
        let mut next = self.slot.lock();
        self.text.clear();
        self.at = 0;
        std::mem::swap(&mut self.text, &mut next.text);
        self.has_rare = memchr::memchr2(b'\r', b'\0', self.text.as_bytes()).is_some();
        match (self.text.is_empty(), next.closed) {
            (false, _) => Ok(true),
            (true, true) => Ok(false),
            (true, false) => Err(Dry),
        }
    }

    /// How much of the text may be returned at once: up to the first of these bytes, or less. At
    /// least one byte.
    fn run(&self, needle: &[u8]) -> usize {
        let rest = self.rest();
        let found = match *needle {
            [a, b, b'\0', b'\r'] if !self.has_rare => memchr::memchr2(a, b, rest),
            [a, b'\0', b'\r'] if !self.has_rare => memchr::memchr(a, rest),
            [a] => memchr::memchr(a, rest),
            [a, b] => memchr::memchr2(a, b, rest),
            [a, b, c] => memchr::memchr3(a, b, c, rest),
            [a, b, c, d] => {
                let first = memchr::memchr3(a, b, c, rest);
                memchr::memchr(d, &rest[..first.unwrap_or(rest.len())]).or(first)
            }
            // Within tags: names are short, and end at punctuation.
            _ => {
                debug_assert!(!needle.iter().any(|&byte| is_word(byte)), "{needle:?}");
                rest.iter().position(|&byte| !is_word(byte))
            }
        };
        found.map_or(rest.len(), |at| at.max(1))
    }
}

/// What no state of the tokenizer looks for.
fn is_word(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_' || byte >= 0x80
}

impl Reader for Feed {
    type Error = Dry;

    fn read_byte(&mut self) -> Result<Option<u8>, Dry> {
        if !self.has_text()? {
            return Ok(None);
        }
        let byte = self.rest()[0];
        self.at += 1;
        Ok(Some(byte))
    }

    fn try_read_string(&mut self, wanted: &[u8], case_sensitive: bool) -> Result<bool, Dry> {
        if !self.has_text()? {
            return Ok(false);
        }
        let Some(seen) = self.rest().get(..wanted.len()) else {
            return Ok(false);
        };
        let same = seen == wanted || (!case_sensitive && seen.eq_ignore_ascii_case(wanted));
        if same {
            self.at += wanted.len();
        }
        Ok(same)
    }

    fn read_until<'b>(
        &'b mut self,
        needle: &[u8],
        _: &'b mut [u8; 4],
    ) -> Result<Option<&'b [u8]>, Dry> {
        if !self.has_text()? {
            return Ok(None);
        }
        let start = self.at;
        let length = self.run(needle);
        self.at += length;
        Ok(Some(&self.text.as_bytes()[start..start + length]))
    }
}
