//! Whether a page has the anchor that a fragment names.
//!
//! HTML, "The indicated part of the document": an `id`, else an `a` with that `name`, compared as
//! written and percent-decoded.

use xxhash_rust::xxh3::xxh3_64;

/// The anchors of one page: sorted hashes of its ids.
///
/// Eight bytes per id. A collision would hide one missing anchor in some 10^13 pairs, and never
/// cause a false alarm.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AnchorIndex(Box<[u64]>);

impl AnchorIndex {
    /// Builds the index from the ids and anchor names of a page.
    pub fn new<'a>(ids: impl Iterator<Item = &'a str>) -> AnchorIndex {
        AnchorIndex::from_hashes(ids.map(hash_id).collect())
    }

    /// Builds the index from hashes by [`hash_id`].
    #[must_use]
    pub fn from_hashes(mut hashes: Vec<u64>) -> AnchorIndex {
        hashes.sort_unstable();
        hashes.dedup();
        AnchorIndex(hashes.into())
    }

    /// The hashes, sorted.
    #[must_use]
    pub fn hashes(&self) -> &[u64] {
        &self.0
    }

    fn has(&self, id: &str) -> bool {
        self.0.binary_search(&hash_id(id)).is_ok()
    }
}

/// The hash of an id.
#[must_use]
pub fn hash_id(id: &str) -> u64 {
    xxh3_64(id.as_bytes())
}

/// The result of looking up a fragment.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FragmentMatch {
    /// The page has the anchor, or needs none for this fragment (`#top`, empty).
    Present,
    /// The fragment is for a script: no anchor can be expected.
    ForScript,
    /// The page was read to its end and has no such anchor.
    Missing,
}

/// Looks up a fragment, given as in the normal form of the URL, with percent-encoding.
#[must_use]
pub fn find(index: &AnchorIndex, fragment: &str) -> FragmentMatch {
    let decoded = percent_decode(fragment);
    if fragment.is_empty() || decoded.eq_ignore_ascii_case("top") || fragment.contains(":~:") {
        return FragmentMatch::Present;
    }
    if index.has(fragment) || index.has(&decoded) {
        return FragmentMatch::Present;
    }
    if is_for_script(&decoded) { FragmentMatch::ForScript } else { FragmentMatch::Missing }
}

/// A route (`#/photos`, `#!photos`, `#?page=2`) or settings (`#page=2&zoom=50`), which also media
/// types other than HTML use (RFC 8118 §3; Media Fragments URI §4).
fn is_for_script(fragment: &str) -> bool {
    let is_setting = |part: &str| {
        let name = part.split_once('=').map_or("", |(name, _)| name);
        let is_of_name = |c: char| c.is_ascii_alphanumeric() || "_-.[]".contains(c);
        !name.is_empty() && name.chars().all(is_of_name)
    };
    fragment.starts_with(['/', '!', '?']) || fragment.split('&').all(is_setting)
}

pub(crate) fn percent_decode(text: &str) -> String {
    let bytes = text.as_bytes();
    let mut out = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while at < bytes.len() {
        let pair = (bytes[at] == b'%').then(|| bytes.get(at + 1..at + 3)).flatten();
        let byte = pair
            .filter(|pair| pair.iter().all(u8::is_ascii_hexdigit))
            .and_then(|pair| std::str::from_utf8(pair).ok())
            .and_then(|pair| u8::from_str_radix(pair, 16).ok());
        out.push(byte.unwrap_or(bytes[at]));
        at += if byte.is_some() { 3 } else { 1 };
    }
    String::from_utf8_lossy(&out).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn look(ids: &[&str], fragment: &str) -> FragmentMatch {
        find(&AnchorIndex::new(ids.iter().copied()), fragment)
    }

    #[test]
    fn ids_match_as_written_and_decoded() {
        assert_eq!(look(&["opening-times"], "opening-times"), FragmentMatch::Present);
        assert_eq!(look(&["öffnung"], "%C3%B6ffnung"), FragmentMatch::Present);
        assert_eq!(look(&["%41"], "%41"), FragmentMatch::Present);
        assert_eq!(look(&["Opening"], "opening"), FragmentMatch::Missing);
        assert_eq!(look(&["a"], "%"), FragmentMatch::Missing);
        assert_eq!(look(&["a"], "%+1"), FragmentMatch::Missing);
    }

    #[test]
    fn an_index_is_made_again_from_its_hashes() {
        let index = AnchorIndex::new(["b", "a", "b"].into_iter());
        assert_eq!(index.hashes().len(), 2);
        let again = AnchorIndex::from_hashes(index.hashes().iter().rev().copied().collect());
        assert_eq!(again, index);
        assert_eq!(find(&again, "a"), FragmentMatch::Present);
    }

    #[test]
    fn top_and_text_fragments_need_no_anchor() {
        for fragment in ["", "top", "TOP", ":~:text=lock"] {
            assert_eq!(look(&[], fragment), FragmentMatch::Present, "{fragment}");
        }
    }

    #[test]
    fn script_routes_are_not_missing_anchors() {
        for fragment in ["/photos", "!photos", "?page=2", "page=2", "page=2&zoom=50%25", "f[]=a/b"]
        {
            assert_eq!(look(&["x"], fragment), FragmentMatch::ForScript, "{fragment}");
        }
        for fragment in ["%3C/directory%3E", "a/b", "a?b", "a&b", "wow!", "=2", "page=2&x", "a b=c"]
        {
            assert_eq!(look(&["x"], fragment), FragmentMatch::Missing, "{fragment}");
        }
    }
}
