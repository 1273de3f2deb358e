//! Hashes of a page's text: of the whole text, of the text except for numbers, and of the text
//! except for numbers and parts of its URL.
//!
//! Pages that are generated endlessly, such as the months of a calendar, have the same text
//! except for dates and counters. So in the outline, a run of digits counts as one character, and
//! words that are only digits as one word. A server's response to any nonexistent URL is the same
//! except for that URL, a date or a number: so for the likeness, words with digits or slashes,
//! and those at the end of the URL, do not count.

use super::eight::{gathered, marks, spaces};
use crate::extract::reading::Sketch;

#[derive(Debug, Default)]
pub(super) struct Sketcher {
    /// The sketch is needed, and not only what tells notices from other pages.
    whole: bool,
    /// Bytes of text so far, without indentation.
    length: usize,
    outline: u64,
    /// Of words with digits, with their positions: what the outline leaves out.
    numbers: u64,
    likeness: u64,
    words: u32,
    /// The number of words that count for the likeness.
    alike: u32,
    /// Text that has not been read yet: pieces are gathered, because most are short.
    waiting: Vec<u8>,
    is_recording: bool,
    /// The text since the beginning of a part of the page that may be needed again.
    recorded: Vec<u8>,
    /// The number of words up to the last one that was a number.
    last_number: Option<u32>,
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
/// A page with more bytes of text than this is not an error page: it has no likeness, and its
/// words are not counted.
const LONGEST_NOTICE: usize = 12 * 1024;
/// What a longer page has instead of the number of its words.
const MANY: u32 = 10_000;
/// So much text is gathered before it is read for a sketch.
const ENOUGH: usize = 4096;
/// So many bytes are looked at together.
const BLOCK: usize = 64;
/// With fewer words there is no likeness: many pages say just "Welcome".
const FEWEST_WORDS: u32 = 3;

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

    /// Takes the next piece of text. Where pieces end makes no difference.
    pub(super) fn feed(&mut self, text: &[u8]) {
        let text = without_indentation(text);
        if self.is_recording {
            self.recorded.extend_from_slice(text);
        }
        self.take(text);
    }

    pub(super) fn begin_recording(&mut self) {
        self.is_recording = true;
        self.recorded.clear();
    }

    pub(super) fn stop_recording(&mut self) {
        self.is_recording = false;
    }

    /// All text in between.
    pub(super) fn recorded(&self) -> &[u8] {
        &self.recorded
    }

    /// Takes text that was recorded.
    pub(super) fn feed_recorded(&mut self, text: &[u8]) {
        self.take(text);
    }

    fn take(&mut self, text: &[u8]) {
        self.length += text.len();
        if self.is_long() && !self.whole {
            return;
        }
        self.waiting.extend_from_slice(text);
        if self.whole && self.waiting.len() >= ENOUGH {
            self.read_waiting();
        }
    }

    pub(super) fn finish(&mut self) -> TextSummary {
        if self.whole || !self.is_long() {
            self.waiting.push(b' ');
            self.read_waiting();
        }
        let Sketcher { outline, likeness, words, alike, .. } = *self;
        let text = mix(self.numbers, outline);
        TextSummary {
            sketch: (words > 0 && self.whole).then_some(Sketch { text, outline }),
            words: if self.is_long() { MANY } else { words },
            likeness: (alike >= FEWEST_WORDS && !self.is_long()).then_some(likeness),
        }
    }

    fn is_long(&self) -> bool {
        self.length > LONGEST_NOTICE
    }

    /// Reads all words that have ended.
    fn read_waiting(&mut self) {
        let mut text = std::mem::take(&mut self.waiting);
        let end = text.len();
        // Whole blocks, and eight bytes after the start of any word.
        text.resize(end.next_multiple_of(BLOCK) + 8, 0);
        let is_long = self.is_long();
        // Where the current word starts, and whether a block before this one may have marked it.
        let (mut start, mut was_marked) = (0, false);
        let (blocks, _) = text[..end.next_multiple_of(BLOCK)].as_chunks::<BLOCK>();
        for (number, block) in blocks.iter().enumerate() {
            let (mut ends, is_marked) = look_at(block);
            was_marked |= is_marked;
            while ends != 0 {
                let at = number * BLOCK + ends.trailing_zeros() as usize;
                ends &= ends - 1;
                if at >= end {
                    break;
                }
                if at > start {
                    if was_marked || !is_long || at - start > 8 {
                        self.end_words(&text[start..at], was_marked);
                    } else {
                        self.end_plain_word(hash_at(&text, start, at - start));
                    }
                }
                start = at + 1;
                was_marked = is_marked;
            }
        }
        text.truncate(end);
        // A word that is too long does not wait for its end: it might never come.
        while end - start >= LONGEST_WORD {
            self.end_words(&text[start..start + LONGEST_WORD], true);
            start += LONGEST_WORD;
        }
        text.drain(..start);
        self.waiting = text;
    }

    /// Takes a word without digits that does not count for the likeness: in long texts, most.
    fn end_plain_word(&mut self, hash: u64) {
        self.words = self.words.saturating_add(1);
        add(&mut self.outline, hash);
    }

    /// Takes a word, or several if it is too long.
    #[inline(never)]
    fn end_words(&mut self, bytes: &[u8], may_be_marked: bool) {
        for bytes in bytes.chunks(LONGEST_WORD) {
            self.end_word(&Word { bytes, hash: hash_of(bytes), may_be_marked });
        }
    }

    fn end_word(&mut self, word: &Word<'_>) {
        self.words = self.words.saturating_add(1);
        if self.whole {
            self.add_to_outline(word);
        }
        if !word.has_digits() && !self.is_echo(word) {
            add(&mut self.likeness, word.hash);
            self.alike = self.alike.saturating_add(1);
        }
    }

    fn add_to_outline(&mut self, word: &Word<'_>) {
        if !word.has_digits() {
            return add(&mut self.outline, word.hash);
        }
        add(&mut self.numbers, word.hash ^ u64::from(self.words));
        let mut outline = [0; LONGEST_WORD];
        let outline = without_digits(word.bytes, &mut outline);
        let is_number = outline == b"#";
        let after_number = self.last_number == Some(self.words - 1);
        if !(is_number && after_number) {
            add(&mut self.outline, hash_of(outline));
        }
        if is_number {
            self.last_number = Some(self.words);
        }
    }

    /// Whether a word comes from the URL.
    fn is_echo(&self, word: &Word<'_>) -> bool {
        let bytes = word.bytes;
        if bytes.len() > 1 && word.may_be_marked && bytes.contains(&b'/') {
            return true;
        }
        let may_be = |echo: &Vec<u8>| bytes.len() >= echo.len() && bytes.len() <= echo.len() + 6;
        if !self.echoes.iter().any(may_be) {
            return false;
        }
        let is_sign = |byte: &u8| byte.is_ascii_punctuation();
        let start = bytes.iter().position(|byte| !is_sign(byte)).unwrap_or(bytes.len());
        let end = bytes.iter().rposition(|byte| !is_sign(byte)).map_or(start, |last| last + 1);
        let bare = &bytes[start..end];
        self.echoes.iter().any(|echo| echo.eq_ignore_ascii_case(bare))
    }
}

/// A word: bytes without spaces.
struct Word<'a> {
    bytes: &'a [u8],
    hash: u64,
    /// It may have a digit or a slash.
    may_be_marked: bool,
}

impl Word<'_> {
    fn has_digits(&self) -> bool {
        self.may_be_marked && self.bytes.iter().any(u8::is_ascii_digit)
    }
}

/// The hash of a word of one to eight bytes.
fn hash_at(text: &[u8], start: usize, length: usize) -> u64 {
    match text[start..].first_chunk::<8>() {
        Some(bytes) => mix(0, u64::from_le_bytes(*bytes) & (u64::MAX >> (64 - 8 * length))),
        None => hash_of(&text[start..start + length]),
    }
}

#[inline(never)]
fn hash_of(word: &[u8]) -> u64 {
    let (chunks, rest) = word.as_chunks::<8>();
    let hash = chunks.iter().fold(0, |hash, chunk| mix(hash, u64::from_le_bytes(*chunk)));
    if rest.is_empty() {
        return hash;
    }
    let mut last = [0; 8];
    last[..rest.len()].copy_from_slice(rest);
    mix(hash, u64::from_le_bytes(last))
}

fn mix(hash: u64, bytes: u64) -> u64 {
    let mixed = (hash ^ bytes).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    mixed ^ mixed >> 32
}

/// A text with at most one of the spaces at its start: between tags, there is often nothing but
/// indentation.
fn without_indentation(text: &[u8]) -> &[u8] {
    match text {
        [b'\n' | b'\r' | b'\t' | b' ', next, ..] if *next <= b' ' => {
            let spaces = text.iter().take_while(|&&byte| byte <= b' ').count();
            &text[spaces - 1..]
        }
        _ => text,
    }
}

/// A bit for each byte that is a space (the first byte is the lowest bit), and whether any byte is
/// a digit or a slash. Eight bytes at a time: a page may have as much text as markup.
#[inline(never)]
fn look_at(block: &[u8; BLOCK]) -> (u64, bool) {
    let (mut ends, mut marked) = (0, 0);
    let (chunks, _) = block.as_chunks::<8>();
    for (number, chunk) in chunks.iter().enumerate() {
        let bytes = u64::from_le_bytes(*chunk);
        ends |= gathered(spaces(bytes)) << (8 * number);
        marked |= marks(bytes);
    }
    (ends, marked != 0)
}

/// The order of words matters.
fn add(hash: &mut u64, word: u64) {
    *hash = (hash.rotate_left(5) ^ word).wrapping_mul(0x9e37_79b9_7f4a_7c15);
}

/// Each run of digits as one character.
fn without_digits<'a>(word: &[u8], out: &'a mut [u8; LONGEST_WORD]) -> &'a [u8] {
    let (mut length, mut after_digit) = (0, false);
    for &byte in word {
        let is_digit = byte.is_ascii_digit();
        if !(is_digit && after_digit) {
            out[length] = if is_digit { b'#' } else { byte };
            length += 1;
        }
        after_digit = is_digit;
    }
    &out[..length]
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
    fn long_texts_are_no_notices() {
        let summary = |text: &str, whole| {
            let mut sketcher = Sketcher::new("", whole);
            text.split_inclusive('>').for_each(|piece| sketcher.feed(piece.as_bytes()));
            sketcher.finish()
        };
        let indented = format!("not found here{}", "\n        >".repeat(2000));
        let long = "not found ".repeat(2000);
        for whole in [false, true] {
            let short = summary(&indented, whole);
            assert_eq!((short.words, short.likeness.is_some()), (2003, true), "{whole}");
            let long = summary(&long, whole);
            assert_eq!((long.words, long.likeness), (MANY, None), "{whole}");
            assert_eq!(long.sketch.is_some(), whole);
        }
        assert_ne!(summary(&long, true).sketch, summary(&format!("{long}x"), true).sketch);
    }

    #[test]
    fn long_words_are_split_at_the_same_places_whatever_the_pieces() {
        let text = format!("{} b {}", "x1é".repeat(300), "y".repeat(LONGEST_WORD));
        let whole = {
            let mut sketcher = Sketcher::new("", true);
            sketcher.feed(text.as_bytes());
            sketcher.finish()
        };
        assert_eq!(whole.words, 5 + 1 + 1, "1200 bytes, `b`, and 256 bytes");
        for size in [1, 7, 100, 255, 256, 257, 1000] {
            let mut pieces = Sketcher::new("", true);
            text.as_bytes().chunks(size).for_each(|piece| pieces.feed(piece));
            let pieces = pieces.finish();
            assert_eq!((pieces.sketch, pieces.words), (whole.sketch, whole.words), "{size}");
        }
    }

    #[test]
    fn a_text_without_spaces_does_not_wait_for_one() {
        let mut sketcher = Sketcher::new("", true);
        for _ in 0..10_000 {
            sketcher.feed(b"longer");
        }
        assert!(sketcher.waiting.len() < 2 * ENOUGH, "{}", sketcher.waiting.len());
        assert_eq!(sketcher.finish().sketch, sketch(&"longer".repeat(10_000)));
    }

    #[test]
    fn spaces_are_found_in_blocks() {
        let mut block = [b'x'; BLOCK];
        block[..7].copy_from_slice(b"a bc  d");
        block[62..].copy_from_slice(b"\xc3 ");
        assert_eq!(look_at(&block), (0b0011_0010 | 1 << 63, false));
        for length in 1..=8 {
            let text = b"abcdefghijklmnopqrst12345678";
            assert_eq!(hash_at(text, 0, length), hash_of(&text[..length]));
        }
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
