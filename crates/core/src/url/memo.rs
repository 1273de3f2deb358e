//! A cache in front of URL parsing.
//!
//! Most links of a page, in its menu and footer, were on the page before. Parsing them again
//! costs as much as tokenizing the page; looking up the raw text costs a twentieth. A reference
//! resolves to the same URL on two pages if these have the same part of the base that it depends
//! on: nothing for an absolute reference, the origin for one that begins with `/`, the folder for
//! all others.

use url::{Position, Url};
use xxhash_rust::xxh3::xxh3_128_with_seed;

use crate::url::hashed::{self, Recent};

/// So many references are kept at least: far more than a site has in its menus.
const KEPT: usize = 200_000;

/// The ids of resolved references, by their raw text and the part of the base they depend on.
#[derive(Debug)]
pub(crate) struct Memo {
    known: Recent,
}

/// The base of a page, prepared for look-ups.
#[derive(Debug)]
pub(crate) struct BaseKeys {
    origin: u64,
    folder: u64,
}

impl BaseKeys {
    /// Hashes of the origin, and of the folder.
    pub(crate) fn parts(&self) -> [u64; 2] {
        [self.origin, self.folder]
    }

    pub(crate) fn new(base: &Url) -> BaseKeys {
        let bare = &base[..Position::AfterPath];
        let folder = bare.rfind('/').map_or(bare, |at| &bare[..=at]);
        BaseKeys { origin: hash(&base[..Position::AfterPort]), folder: hash(folder) }
    }
}

fn hash(text: &str) -> u64 {
    xxhash_rust::xxh3::xxh3_64(text.as_bytes())
}

impl Memo {
    pub(crate) fn new() -> Memo {
        Memo { known: Recent::holding(KEPT) }
    }

    pub(crate) fn find(&mut self, key: Key) -> Option<u32> {
        self.known.find(key.0)
    }

    pub(crate) fn keep(&mut self, key: Key, id: u32) {
        self.known.keep(key.0, id);
    }
}

/// The key of a reference in the cache.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Key(hashed::Key);

/// The key of a reference on a page with this base; `None` if it depends on the whole base and is
/// not worth caching.
pub(crate) fn key(base: &BaseKeys, written: &str) -> Option<Key> {
    let hash = xxh3_128_with_seed(written.as_bytes(), depends_on(base, written)?);
    Some(Key(hashed::Key::new(hash)))
}

/// Whether a reference, or what precedes its fragment, depends on the folder of its base; `None` if
/// it depends on the whole base, or if that is hard to determine.
pub(crate) fn depends_on_folder(base: &BaseKeys, written: &str) -> Option<bool> {
    let written = written.split('#').next().unwrap_or_default();
    depends_on(base, written).map(|part| part == base.folder)
}

/// A hash of the part of the base that a reference depends on; `None` if it depends on all of it,
/// or is hard to determine.
fn depends_on(base: &BaseKeys, written: &str) -> Option<u64> {
    let first = *written.as_bytes().first()?;
    // The URL parser removes white space and control characters: rare, so parsed each time. A
    // fragment is not part of the URL.
    let is_odd = written.bytes().any(|byte| byte <= b' ' || byte == b'#');
    match first {
        _ if is_odd => None,
        b'/' => Some(base.origin),
        first if !first.is_ascii_alphanumeric() && first != b'.' => None,
        _ => match after_scheme(written) {
            None => Some(base.folder),
            Some(rest) if rest.starts_with("//") => Some(0),
            // `http:` with nothing after it resolves to the page itself.
            Some(_) => None,
        },
    }
}

/// The rest after the scheme and its colon, if a reference has a scheme (URL, "scheme start
/// state": it begins with a letter).
fn after_scheme(written: &str) -> Option<&str> {
    if !written.starts_with(|c: char| c.is_ascii_alphabetic()) {
        return None;
    }
    let end = written.find(|c: char| !(c.is_ascii_alphanumeric() || "+-.".contains(c)))?;
    written[end..].strip_prefix(':')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The URL parser drops the white space: `http:` alone resolves to the page itself.
    #[test]
    fn references_with_white_space_are_not_cached() {
        let base = BaseKeys::new(&Url::parse("http://a.test/walks/").unwrap());
        for written in ["h\nttp:", "a b", "/a\t"] {
            assert!(key(&base, written).is_none(), "{written:?}");
        }
        assert!(key(&base, "a").is_some() && key(&base, "http:").is_none());
    }

    fn reference() -> impl Strategy<Value = String> {
        let piece = prop::sample::select(vec![
            "a",
            "b/",
            "/",
            "//",
            "..",
            ".",
            "?",
            "q=1",
            "#",
            "f",
            "http:",
            "https://",
            "c.test",
            ":",
            "\\",
            " ",
            "\t",
            "\n",
            "%20",
            "mailto:",
            "javascript:",
            "é",
            "@",
            "[",
        ]);
        prop::collection::vec(piece, 0..6).prop_map(|pieces| pieces.concat())
    }

    proptest! {
        #[test]
        fn a_memo_changes_nothing(
            pages in prop::collection::vec((0usize..6, prop::collection::vec(reference(), 1..6)), 1..12),
        ) {
            let bases = [
                "http://a.test/", "http://a.test/x/", "http://a.test/x/p.html?q/r", "https://a.test/x/",
                "http://a.test:81/x/", "http://b.test/x/#/y/",
            ];
            let mut seen: Vec<Option<Url>> = Vec::new();
            let mut memo = Memo::new();
            for (base, references) in pages {
                let base = Url::parse(bases[base]).unwrap();
                let keys = BaseKeys::new(&base);
                for reference in references {
                    let key = key(&keys, &reference);
                    let index = key.and_then(|key| memo.find(key)).unwrap_or_else(|| {
                        seen.push(base.join(&reference).ok());
                        u32::try_from(seen.len()).unwrap() - 1
                    });
                    if let Some(key) = key {
                        memo.keep(key, index);
                    }
                    prop_assert_eq!(&seen[index as usize], &base.join(&reference).ok(), "{:?}", reference);
                }
            }
        }
    }

    #[test]
    fn references_depend_on_the_whole_base_its_folder_its_origin_or_nothing() {
        let base = BaseKeys::new(&Url::parse("http://a.test/walks/").unwrap());
        for (written, expected) in [
            ("../x", Some(base.folder)),
            ("x", Some(base.folder)),
            ("7", Some(base.folder)),
            ("/x", Some(base.origin)),
            ("https://b.test/", Some(0)),
            ("#x", None),
            ("?x", None),
            ("", None),
        ] {
            assert_eq!(depends_on(&base, written), expected, "{written}");
        }
        for (written, expected) in [("../x#a/b", Some(true)), ("/x#y#z", Some(false)), ("#x", None)]
        {
            assert_eq!(depends_on_folder(&base, written), expected, "{written}");
        }
    }
}
