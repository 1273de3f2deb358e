//! A line that is being typed.

use unicode_segmentation::UnicodeSegmentation as _;

use crate::keys::Key;

/// The longest text that is taken.
const LONGEST: usize = 4000;

/// A text and the position in it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Input {
    text: String,
    /// The position, in bytes, at the start of a character.
    cursor: usize,
}

impl Input {
    pub(crate) fn of(text: &str) -> Input {
        Input { text: text.to_owned(), cursor: text.len() }
    }

    pub(crate) fn text(&self) -> &str {
        &self.text
    }

    /// The text before the cursor.
    pub(crate) fn before(&self) -> &str {
        &self.text[..self.cursor]
    }

    pub(crate) fn set(&mut self, text: &str) {
        *self = Input::of(text);
    }

    /// Replaces what is before the cursor.
    pub(crate) fn set_before(&mut self, before: &str) {
        let after = self.text.split_off(self.cursor);
        self.text = format!("{before}{after}");
        self.cursor = before.len();
    }

    /// Inserts text at the cursor; what a line cannot contain is left out.
    pub(crate) fn insert(&mut self, text: &str) {
        for c in text.chars().filter(|c| !c.is_control()) {
            if self.text.len() + c.len_utf8() <= LONGEST {
                self.text.insert(self.cursor, c);
                self.cursor += c.len_utf8();
            }
        }
    }

    /// Returns whether the key was one for editing.
    pub(crate) fn handle_key(&mut self, key: Key) -> bool {
        match key {
            Key::Char(c) => self.insert(c.encode_utf8(&mut [0; 4])),
            Key::Backspace => self.remove(self.previous()),
            Key::Delete => {
                let next = self.next();
                self.text.drain(self.cursor..next);
            }
            Key::Left | Key::Ctrl('b') => self.cursor = self.previous(),
            Key::Right | Key::Ctrl('f') => self.cursor = self.next(),
            Key::Home | Key::Ctrl('a') => self.cursor = 0,
            Key::End | Key::Ctrl('e') => self.cursor = self.text.len(),
            Key::Ctrl('u') => self.remove(0),
            Key::Ctrl('k') => self.text.truncate(self.cursor),
            Key::Ctrl('w') => {
                let words = self.before().trim_end();
                self.remove(words.rfind(' ').map_or(0, |at| at + 1));
            }
            _ => return false,
        }
        true
    }

    fn remove(&mut self, from: usize) {
        self.text.drain(from..self.cursor);
        self.cursor = from;
    }

    fn previous(&self) -> usize {
        self.before().grapheme_indices(true).next_back().map_or(0, |(at, _)| at)
    }

    fn next(&self) -> usize {
        let first = self.text[self.cursor..].graphemes(true).next();
        self.cursor + first.map_or(0, str::len)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn typed(keys: &[Key]) -> (String, String) {
        let mut input = Input::of("one two");
        for key in keys {
            assert!(input.handle_key(*key), "{key:?}");
        }
        (input.text().to_owned(), input.before().to_owned())
    }

    #[test]
    fn keys_edit_the_line() {
        let is = |keys: &[Key], text: &str, before: &str| {
            assert_eq!(typed(keys), (text.to_owned(), before.to_owned()), "{keys:?}");
        };
        is(&[Key::Char('s')], "one twos", "one twos");
        is(&[Key::Backspace, Key::Left, Key::Delete], "one t", "one t");
        is(&[Key::Home, Key::Delete, Key::Right, Key::Right], "ne two", "ne");
        is(&[Key::Left, Key::Ctrl('u')], "o", "");
        is(&[Key::Ctrl('w')], "one ", "one ");
        is(&[Key::Ctrl('w'), Key::Ctrl('w')], "", "");
        is(&[Key::Home, Key::Right, Key::Ctrl('k')], "o", "o");
        is(&[Key::Home, Key::End, Key::Char('é'), Key::Backspace], "one two", "one two");
        assert!(!Input::default().handle_key(Key::Enter));
    }

    #[test]
    fn what_looks_like_one_character_is_removed_as_one() {
        let mut input = Input::of("e\u{301}");
        input.handle_key(Key::Backspace);
        assert_eq!(input.text(), "");
    }

    #[test]
    fn pasted_lines_become_one_and_end_somewhere() {
        let mut input = Input::default();
        input.insert("a\nb\u{1b}c");
        assert_eq!(input.text(), "abc");
        input.insert(&"x".repeat(2 * LONGEST));
        assert_eq!(input.text().len(), LONGEST);
    }
}
