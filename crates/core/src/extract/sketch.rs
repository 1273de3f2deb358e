//! Hashes of a page's text: of all of it, and of it but for numbers.
//!
//! Pages that a machine makes without end, such as the months of a calendar, say
//! the same but for dates and counters. So in the outline runs of digits count as
//! one sign, and words that are nothing else as one word.

use xxhash_rust::xxh3::Xxh3;

use crate::reading::Sketch;

#[derive(Default)]
pub(super) struct Sketcher {
    text: Xxh3,
    outline: Xxh3,
    word: Vec<u8>,
    /// The same with its digits.
    word_as_is: Vec<u8>,
    /// The word before was a number.
    after_number: bool,
    any: bool,
}

/// Longer words are parted.
const LONGEST_WORD: usize = 256;

impl Sketcher {
    pub(super) fn feed(&mut self, text: &[u8]) {
        for &byte in text {
            match byte {
                b' ' | b'\t' | b'\n' | b'\r' | 0x0c => self.end_word(),
                b'0'..=b'9' => {
                    if self.word.last() != Some(&b'#') {
                        self.word.push(b'#');
                    }
                    self.word_as_is.push(byte);
                }
                _ => {
                    self.word.push(byte);
                    self.word_as_is.push(byte);
                }
            }
            if self.word_as_is.len() >= LONGEST_WORD {
                self.end_word();
            }
        }
    }

    /// The hashes; `None` for a page without text.
    pub(super) fn finish(&mut self) -> Option<Sketch> {
        self.end_word();
        self.any.then(|| Sketch { text: self.text.digest(), outline: self.outline.digest() })
    }

    fn end_word(&mut self) {
        if self.word.is_empty() {
            return;
        }
        let is_number = self.word == b"#";
        if !(is_number && self.after_number) {
            self.outline.update(&self.word);
            self.outline.update(b" ");
        }
        self.text.update(&self.word_as_is);
        self.text.update(b" ");
        self.after_number = is_number;
        self.any = true;
        self.word.clear();
        self.word_as_is.clear();
    }
}

impl std::fmt::Debug for Sketcher {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Sketcher").finish_non_exhaustive()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sketch(text: &str) -> Option<Sketch> {
        let mut sketcher = Sketcher::default();
        sketcher.feed(text.as_bytes());
        sketcher.finish()
    }

    fn outline(text: &str) -> u64 {
        sketch(text).unwrap().outline
    }

    #[test]
    fn in_the_outline_only_numbers_may_differ() {
        assert_eq!(outline("May 2026 1 2 3"), outline(" May\n2031  1 2 3 4"));
        assert_ne!(outline("May 2026"), outline("June 2026"));
        assert_ne!(outline("a1b"), outline("a1c"));
        assert_eq!(sketch("May  2026"), sketch(" May\n2026"));
        assert_ne!(sketch("May 2026").unwrap().text, sketch("May 2027").unwrap().text);
        assert_eq!(sketch("\n "), None);
    }

    #[test]
    fn pieces_of_any_size_give_the_same() {
        let mut pieces = Sketcher::default();
        for byte in b"Session 12ab34, 7 visitors" {
            pieces.feed(&[*byte]);
        }
        assert_eq!(pieces.finish(), sketch("Session 12ab34, 7 visitors"));
    }
}
