//! Parts of pages that were read before, byte for byte: menus, headers, footers.
//!
//! Most of a page is the same on every page of its site. A page is cut where elements begin that
//! pages are made of. When a part occurs for the third time, in the same place of the tree, it is
//! not read again: what it has left the second time, such as links, anchors and text, is copied.
//!
//! Little is spent on what never occurs again: of a part that occurs for the first time, only two
//! hashes are kept. Where a part ends is not looked for unless one with the same beginning is kept.

use std::collections::HashMap;
use std::fmt;
use std::hash::BuildHasherDefault;
use std::sync::atomic::{AtomicU32, AtomicUsize, Ordering};
use std::sync::{Arc, PoisonError, RwLock};

use memchr::memchr_iter;
use xxhash_rust::xxh3::xxh3_64;

use super::interpreter::Interpreter;
use super::interpreter::replay::{Outcome, Recording};
use super::piece::{Place, Positions, PositionsSince};
use crate::url::hashed::Ready;

/// Parts are at least this long, unless an element begins that often is a part as a whole. To look
/// for one takes as much time as to read some thirty bytes.
const LEAST: usize = 400;
/// So many bytes are the beginning of a part. None is shorter.
const BEGINNING: usize = 64;
/// Longer parts are not kept.
const LONGEST: usize = 64 << 10;
/// How many bytes all parts may take: much more than a site's templates have.
const MOST_BYTES: usize = 8 << 20;
/// How many hashes of each kind are kept.
const HASHES: usize = 1 << 15;

/// Parts of pages, for all that are read at the same time.
pub struct Repeats {
    /// Of the beginnings of parts.
    begun: Hashes,
    /// Of the beginnings of those that are kept.
    promising: Hashes,
    /// Of parts.
    occurred: Hashes,
    parts: RwLock<Parts>,
    /// How many bytes of pages were not read because of them.
    spared: AtomicUsize,
    sizes: Sizes,
}

#[derive(Clone, Copy)]
struct Sizes {
    least: usize,
    beginning: usize,
    most_bytes: usize,
}

/// Hashes that were met, each in the place of another: some are forgotten.
struct Hashes(Box<[AtomicU32]>);

#[derive(Default)]
struct Parts {
    by_hash: HashMap<u64, Arc<Part>, BuildHasherDefault<Ready>>,
    bytes: usize,
}

/// A part and what it leaves.
struct Part {
    text: Box<[u8]>,
    outcome: Outcome,
    positions: PositionsSince,
}

impl Hashes {
    fn new() -> Hashes {
        Hashes((0..HASHES).map(|_| AtomicU32::new(0)).collect())
    }

    #[expect(clippy::cast_possible_truncation, reason = "both halves of a hash are hashes")]
    fn place(&self, hash: u64) -> (&AtomicU32, u32) {
        (&self.0[hash as usize % HASHES], (hash >> 32) as u32)
    }

    fn has(&self, hash: u64) -> bool {
        let (place, rest) = self.place(hash);
        place.load(Ordering::Relaxed) == rest
    }

    /// Adds a hash. Returns whether it was there.
    fn add(&self, hash: u64) -> bool {
        let (place, rest) = self.place(hash);
        place.swap(rest, Ordering::Relaxed) == rest
    }
}

impl Default for Repeats {
    fn default() -> Repeats {
        Repeats::within(Sizes { least: LEAST, beginning: BEGINNING, most_bytes: MOST_BYTES })
    }
}

impl fmt::Debug for Repeats {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let parts = self.parts.read().unwrap_or_else(PoisonError::into_inner);
        f.debug_struct("Repeats").field("bytes", &parts.bytes).finish_non_exhaustive()
    }
}

impl Repeats {
    fn within(sizes: Sizes) -> Repeats {
        let [begun, promising, occurred] = [(); 3].map(|()| Hashes::new());
        Repeats {
            begun,
            promising,
            occurred,
            parts: RwLock::default(),
            spared: AtomicUsize::new(0),
            sizes,
        }
    }

    /// One whose parts may have any length.
    #[cfg(test)]
    pub(super) fn of_any_length() -> Repeats {
        Repeats::within(Sizes { least: 0, beginning: 4, most_bytes: MOST_BYTES })
    }

    /// How many bytes of pages were not read because they were known.
    #[must_use]
    pub fn spared(&self) -> usize {
        self.spared.load(Ordering::Relaxed)
    }

    fn find(&self, hash: u64) -> Option<Arc<Part>> {
        let parts = self.parts.read().unwrap_or_else(PoisonError::into_inner);
        parts.by_hash.get(&hash).cloned()
    }

    fn keep(&self, hash: u64, part: Part) {
        let bytes = part.text.len() + part.outcome.weight() + part.positions.weight();
        let mut parts = self.parts.write().unwrap_or_else(PoisonError::into_inner);
        if parts.bytes + bytes > self.sizes.most_bytes {
            *parts = Parts::default();
        }
        if parts.by_hash.insert(hash, Arc::new(part)).is_none() {
            parts.bytes += bytes;
        }
    }
}

/// Finds the parts of one page.
#[derive(Default)]
pub(super) struct RepeatFinder {
    repeats: Option<Arc<Repeats>>,
    /// Where the next part may begin in the current piece.
    next: usize,
    /// Where it may begin with any element.
    next_of_any: usize,
    begun: Option<Begun>,
}

/// A part that is being read.
struct Begun {
    start: usize,
    /// A hash of where it is.
    place: u64,
    /// A hash of its beginning.
    beginning: u64,
    /// Where it seems to end, and its hash.
    known: Option<(usize, u64)>,
    recording: Option<(Recording, Place)>,
}

/// What there is of a piece.
#[derive(Clone, Copy)]
pub(super) struct Source<'a> {
    pub(super) text: &'a str,
    /// The piece without what follows the next NUL.
    pub(super) usual: &'a [u8],
    /// That of the piece in the page.
    pub(super) offset: usize,
}

impl RepeatFinder {
    pub(super) fn new(repeats: Option<Arc<Repeats>>) -> RepeatFinder {
        RepeatFinder { repeats, ..RepeatFinder::default() }
    }

    /// A piece begins. Parts are within one piece. Those with a CR are not looked for.
    pub(super) fn begin_piece(&mut self, has_cr: bool) {
        self.begun = None;
        let is_on = self.repeats.is_some() && !has_cr;
        (self.next, self.next_of_any) = if is_on { (0, 0) } else { (usize::MAX, usize::MAX) };
    }

    /// Whether a part may begin with the tag at this place.
    #[inline]
    pub(super) fn is_cut(&self, text: &[u8], at: usize) -> bool {
        at >= self.next && begins_part(&text[at + 1..], at >= self.next_of_any)
    }

    /// The page has been read up to where a part begins. Returns where that ends if it is known,
    /// after what it leaves has been added.
    pub(super) fn handle_cut(
        &mut self,
        page: &mut Interpreter,
        source: Source<'_>,
        at: usize,
        positions: &mut Positions,
    ) -> Option<usize> {
        self.handle_end(page, source, at, positions);
        let repeats = self.repeats.as_deref()?;
        let Sizes { least, beginning, .. } = repeats.sizes;
        (self.next, self.next_of_any) = (at + beginning, at + least);
        let rest = &source.usual[at..];
        let beginning = rest.get(..beginning).filter(|_| page.is_between_texts())?;
        let place = page.state_hash();
        let beginning = hash_of(beginning, place);
        let mut known = None;
        if repeats.promising.has(beginning)
            && let Some(end) = self.end_of_part(source, at)
        {
            let text = &source.usual[at..end];
            let hash = hash_of(text, place);
            if let Some(part) = repeats.find(hash)
                && *part.text == *text
                && page.replay(&part.outcome)
            {
                let [from, to] = [at, end].map(|at| source.offset + at);
                positions.replay(&part.positions, from, to, source.text);
                (self.next, self.next_of_any) = (end, end);
                repeats.spared.fetch_add(text.len(), Ordering::Relaxed);
                return Some(end);
            }
            known = Some((end, hash));
        }
        let recording = repeats
            .begun
            .add(beginning)
            .then(|| (page.begin_recording(), positions.begin(source.offset + at, source.text)));
        self.begun = Some(Begun { start: at, place, beginning, known, recording });
        None
    }

    /// Where the part ends that begins at this place.
    fn end_of_part(&self, source: Source<'_>, at: usize) -> Option<usize> {
        memchr_iter(b'<', &source.usual[self.next..])
            .map(|found| self.next + found)
            .find(|&end| self.is_cut(source.usual, end))
            .or_else(|| is_end_of_page(source).then_some(source.usual.len()))
            .filter(|&end| end > at)
    }

    /// The page has been read up to here, where a part ends.
    fn handle_end(
        &mut self,
        page: &mut Interpreter,
        source: Source<'_>,
        at: usize,
        positions: &mut Positions,
    ) {
        let (Some(begun), Some(repeats)) = (self.begun.take(), &self.repeats) else {
            return page.stop_recording();
        };
        let Begun { start, place, beginning, known, recording } = begun;
        let text = &source.usual[start..at];
        let known = known.filter(|(end, _)| *end == at);
        let hash = known.map_or_else(|| hash_of(text, place), |(_, hash)| hash);
        let has_occurred = repeats.occurred.add(hash) && text.len() <= LONGEST;
        let Some((recording, place)) = recording else { return };
        page.stop_recording();
        if has_occurred && let Some(outcome) = page.recorded(recording) {
            let positions = positions.since(place, source.offset + at, source.text);
            repeats.keep(hash, Part { text: text.into(), outcome, positions });
            repeats.promising.add(beginning);
        }
    }

    /// The piece has been read, and perhaps the page: then, a part ends.
    pub(super) fn handle_end_of_piece(
        &mut self,
        page: &mut Interpreter,
        source: Source<'_>,
        positions: &mut Positions,
    ) {
        if is_end_of_page(source) {
            self.handle_end(page, source, source.text.len(), positions);
        }
    }
}

/// A hash of a text in its place.
fn hash_of(text: &[u8], place: u64) -> u64 {
    xxh3_64(text) ^ place
}

/// Whether hardly anything follows on the page after this piece.
fn is_end_of_page(source: Source<'_>) -> bool {
    source.usual.len() == source.text.len() && source.usual.ends_with(b"</html>")
}

/// Whether an element begins here that pages are made of: any, or only one that often has the
/// same content on many pages.
#[inline]
fn begins_part(tag: &[u8], any: bool) -> bool {
    let [first, second, ..] = tag else { return false };
    let is_likely = SECOND[usize::from(*first)] >> (second & 31) & 1 == 1;
    is_likely && is_named(tag, if any { &ALL } else { COMMON })
}

const ALL: [&[u8]; 17] = [
    b"ul", b"ol", b"nav", b"main", b"table", b"form", b"header", b"footer", b"aside", b"div", b"p",
    b"li", b"tr", b"dl", b"dt", b"dd", b"section",
];
/// Those that often have the same content.
const COMMON: &[&[u8]] = ALL.split_at(9).0;
/// By the first byte of a name, a bit for each second byte, or for what ends the name.
const SECOND: [u32; 256] = {
    let mut second = [0; 256];
    let mut number = 0;
    while number < ALL.len() {
        let name = ALL[number];
        second[name[0] as usize] |= match name {
            [_, byte, ..] => 1 << (*byte & 31),
            _ => 1 << (b' ' & 31) | 1 << (b'>' & 31) | 1 << (b'\n' & 31),
        };
        number += 1;
    }
    second
};

#[inline(never)]
fn is_named(tag: &[u8], names: &[&[u8]]) -> bool {
    let is_end = |byte: &u8| matches!(byte, b' ' | b'>' | b'\n');
    let name = tag.iter().take(8).position(is_end).map(|end| &tag[..end]);
    name.is_some_and(|name| names.contains(&name))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::extract::reading::Reading;
    use crate::extract::{Extractor, Format};

    fn read(page: &str, repeats: &Arc<Repeats>) -> Reading {
        let mut extractor = Extractor::new(Format::Html, Some("utf-8"), 1 << 20);
        extractor.set_repeats(repeats);
        extractor.feed(page.as_bytes());
        extractor.finish()
    }

    /// A page with an own title, and a menu of this many entries.
    fn page(title: &str, menu: char, entries: usize) -> String {
        let entry = |number| format!("<li><a href='/{menu}/{number}'>Lock {number}</a>\n");
        let entries: String = (0..entries).map(entry).collect();
        format!("<title>{title}</title>\n<p>{title}\n<nav><ul>{entries}</ul></nav>{title}</html>")
    }

    #[test]
    fn a_part_is_read_twice_and_then_known() {
        let repeats = Arc::new(Repeats::default());
        let mut spared = Vec::new();
        for title in ["One", "Two", "Three", "Four"] {
            let reading = read(&page(title, 'a', 100), &repeats);
            assert_eq!(reading.links().len(), 100);
            spared.push(repeats.spared());
        }
        assert_eq!(spared[..2], [0, 0]);
        let menu = page("", 'a', 100).len();
        assert!(spared[2] > menu * 7 / 10 && spared[2] < menu, "{spared:?} of {menu}");
        assert_eq!(spared[3], 2 * spared[2]);
        let other = read(&page("One", 'b', 100), &repeats);
        assert_eq!(repeats.spared(), spared[3], "other links");
        assert!(other.links().all(|link| link.written.starts_with("/b/")));
    }

    #[test]
    fn what_is_kept_is_limited() {
        let sizes = Sizes { least: LEAST, beginning: BEGINNING, most_bytes: 20_000 };
        let repeats = Arc::new(Repeats::within(sizes));
        for menu in 'a'..='z' {
            for _ in 0..3 {
                read(&page("One", menu, 50), &repeats);
                assert!(repeats.parts.read().unwrap().bytes <= sizes.most_bytes);
            }
        }
        assert!(repeats.spared() > 0);
    }

    #[test]
    fn only_elements_that_pages_are_made_of_begin_parts() {
        let begins = |tag: &str, any| begins_part(tag.as_bytes(), any);
        for name in ALL {
            let name = std::str::from_utf8(name).unwrap();
            for end in ["", " id=x", "\n"] {
                assert!(begins(&format!("{name}{end}>"), true), "{name}");
            }
            for other in [format!("/{name}>"), format!("{name}s>"), name.to_owned()] {
                assert!(!begins(&other, true), "{other}");
            }
        }
        assert!(begins("nav>", false) && !begins("div>", false));
        for other in ["a href=x>", "pre>", "link>", "span>", "h1>", "hr>", "!-- nav>", "e>", ""] {
            assert!(!begins(other, true), "{other}");
        }
    }
}
