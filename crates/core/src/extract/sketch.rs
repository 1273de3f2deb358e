//! Hashes of a page's text: of the whole text, of the text except for numbers, and of the text
//! except for numbers and parts of its URL.
//!
//! Pages that are generated endlessly, such as the months of a calendar, have the same text
//! except for dates and counters. So in the outline, a run of digits counts as one character, and
//! words that are only digits as one word. A server's response to any nonexistent URL is the same
//! except for that URL, a date or a number: so for the likeness, words with digits or slashes,
//! and those at the end of the URL, do not count.

use xxhash_rust::xxh3::xxh3_64;

use crate::extract::reading::Sketch;

#[derive(Debug, Default)]
pub(super) struct Sketcher {
    /// All words count, not only the first ones.
    whole: bool,
    text: u64,
    outline: u64,
    likeness: u64,
    words: u32,
    /// The number of words that count for the likeness.
    alike: u32,
    /// The start of an incomplete word.
    partial: Vec<u8>,
    /// The previous word was a number.
    after_number: bool,
    /// Parts of its URL that the page may contain: the last segment of the path, with and without
    /// its extension.
    echoes: Vec<Vec<u8>>,
}

/// The hashes of a page's text.
pub(super) struct TextSummary {
    pub(super) sketch: Option<Sketch>,
    pub(super) words: u32,
    pub(super) likeness: Option<u64>,
}

/// Longer words are split.
const LONGEST_WORD: usize = 256;
/// A page with more words than this is not an error page: it has no likeness, and is not read
/// further to compute one.
const MOST_WORDS: u32 = 1000;
/// With fewer words there is no likeness: many pages say just "Welcome".
const FEWEST_WORDS: u32 = 3;

/// What a byte is, of what matters to words.
const SPACE: u8 = 1;
const DIGIT: u8 = 2;
const SLASH: u8 = 4;
const KINDS: [u8; 256] = {
    let mut kinds = [0; 256];
    let mut byte = 0;
    while byte < 128 {
        kinds[byte as usize] = match byte {
            b'\t' | b'\n' | b'\x0c' | b'\r' | b' ' => SPACE,
            b'0'..=b'9' => DIGIT,
            b'/' => SLASH,
            _ => 0,
        };
        byte += 1;
    }
    kinds
};

impl Sketcher {
    /// For the page at this URL. `whole`: the sketch is needed too.
    pub(super) fn new(url: &str, whole: bool) -> Sketcher {
        let path = url.split(['?', '#']).next().unwrap_or_default().trim_end_matches('/');
        let last = path.rsplit('/').next().unwrap_or_default();
        let stem = last.split('.').next().unwrap_or_default();
        let mut echoes: Vec<Vec<u8>> = [last, stem]
            .iter()
            .filter(|echo| echo.len() >= 3)
            .map(|echo| echo.as_bytes().to_ascii_lowercase())
            .collect();
        echoes.dedup();
        Sketcher { whole, echoes, ..Sketcher::default() }
    }

    pub(super) fn feed(&mut self, text: &[u8]) {
        if self.words > MOST_WORDS && !self.whole {
            return;
        }
        let (mut start, mut kinds) = (0, 0);
        for (at, byte) in text.iter().enumerate() {
            let kind = KINDS[usize::from(*byte)];
            kinds |= kind;
            if kind != SPACE {
                continue;
            }
            let word = &text[start..at];
            if self.partial.is_empty() {
                self.end_word(word, kinds);
            } else {
                self.partial.extend_from_slice(word);
                self.end_incomplete();
            }
            (start, kinds) = (at + 1, 0);
        }
        self.partial.extend_from_slice(&text[start..]);
        if self.partial.len() >= LONGEST_WORD {
            self.end_incomplete();
        }
    }

    pub(super) fn finish(&mut self) -> TextSummary {
        self.end_incomplete();
        let Sketcher { text, outline, likeness, words, alike, .. } = *self;
        TextSummary {
            sketch: (words > 0 && self.whole).then_some(Sketch { text, outline }),
            words,
            likeness: (alike >= FEWEST_WORDS && words <= MOST_WORDS).then_some(likeness),
        }
    }

    fn end_incomplete(&mut self) {
        let word = std::mem::take(&mut self.partial);
        self.end_word(&word, word.iter().fold(0, |kinds, byte| kinds | KINDS[usize::from(*byte)]));
        self.partial = word;
        self.partial.clear();
    }

    /// `kinds`: those of all its bytes.
    fn end_word(&mut self, word: &[u8], kinds: u8) {
        if word.is_empty() {
            return;
        }
        self.words = self.words.saturating_add(1);
        let hash = xxh3_64(word);
        if self.whole {
            add(&mut self.text, hash);
        }
        if kinds & DIGIT == 0 {
            if self.whole {
                add(&mut self.outline, hash);
                self.after_number = false;
            }
            if self.words <= MOST_WORDS && !self.is_echo(word, kinds) {
                add(&mut self.likeness, hash);
                self.alike = self.alike.saturating_add(1);
            }
            return;
        }
        if !self.whole {
            return;
        }
        let outline = without_digits(word);
        let is_number = outline == b"#";
        if !(is_number && self.after_number) {
            add(&mut self.outline, xxh3_64(&outline));
        }
        self.after_number = is_number;
    }

    /// Whether a word comes from the URL.
    fn is_echo(&self, word: &[u8], kinds: u8) -> bool {
        if word.len() > 1 && kinds & SLASH != 0 {
            return true;
        }
        let may_be = |echo: &Vec<u8>| word.len() >= echo.len() && word.len() <= echo.len() + 6;
        if !self.echoes.iter().any(may_be) {
            return false;
        }
        let is_sign = |byte: &u8| byte.is_ascii_punctuation();
        let start = word.iter().position(|byte| !is_sign(byte)).unwrap_or(word.len());
        let end = word.iter().rposition(|byte| !is_sign(byte)).map_or(start, |last| last + 1);
        let bare = &word[start..end];
        self.echoes.iter().any(|echo| echo.eq_ignore_ascii_case(bare))
    }
}

/// The order of words matters.
fn add(hash: &mut u64, word: u64) {
    *hash = (hash.rotate_left(5) ^ word).wrapping_mul(0x9e37_79b9_7f4a_7c15);
}

/// Each run of digits as one character.
fn without_digits(word: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(word.len());
    for &byte in word {
        match byte {
            b'0'..=b'9' if out.last() == Some(&b'#') => {}
            b'0'..=b'9' => out.push(b'#'),
            _ => out.push(byte),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sketch(text: &str) -> Option<Sketch> {
        let mut sketcher = Sketcher::new("", true);
        sketcher.feed(text.as_bytes());
        sketcher.finish().sketch
    }

    fn outline(text: &str) -> u64 {
        sketch(text).unwrap().outline
    }

    #[test]
    fn outlines_ignore_numbers_only() {
        assert_eq!(outline("May 2026 1 2 3"), outline(" May\n2031  1 2 3 4"));
        assert_ne!(outline("May 2026"), outline("June 2026"));
        assert_ne!(outline("a1b"), outline("a1c"));
        assert_eq!(sketch("May  2026"), sketch(" May\n2026"));
        assert_ne!(sketch("May 2026").unwrap().text, sketch("May 2027").unwrap().text);
        assert_eq!(sketch("\n "), None);
    }

    #[test]
    fn pieces_of_any_size_give_the_same_hashes() {
        let mut pieces = Sketcher::new("", true);
        for byte in b"Session 12ab34, 7 visitors" {
            pieces.feed(&[*byte]);
        }
        assert_eq!(pieces.finish().sketch, sketch("Session 12ab34, 7 visitors"));
    }

    #[test]
    fn the_likeness_ignores_parts_of_the_url() {
        let likeness = |url: &str, text: &str| {
            let mut sketcher = Sketcher::new(url, false);
            sketcher.feed(text.as_bytes());
            sketcher.finish().likeness
        };
        let sorry = |what: &str| format!("Sorry, we have no '{what}' for you. 12:04:33 id 8f3a");
        assert_eq!(
            likeness("http://a.test/boats/hazel.html", &sorry("Hazel.html")),
            likeness("http://a.test/boats/x1.html", &sorry("/boats/x1.html")),
        );
        assert_ne!(
            likeness("http://a.test/a", "A boat of oak, built here"),
            likeness("http://a.test/b", "A boat of elm, built here"),
        );
        assert_eq!(likeness("http://a.test/a", "Welcome back"), None);
    }

    #[test]
    fn words_with_a_slash_may_be_the_url_and_do_not_count() {
        let likeness = |text: &str| {
            let mut sketcher = Sketcher::new("", true);
            sketcher.feed(text.as_bytes());
            sketcher.finish().likeness
        };
        assert_eq!(likeness("nothing is at /walks/one sorry"), likeness("nothing is at /x sorry"));
        assert_ne!(likeness("nothing is at one sorry"), likeness("nothing is at two sorry"));
        assert_ne!(likeness("red / green and blue"), likeness("red green and blue"));
    }
}
