//! The anchors of all pages. Many pages have the same ones, those of their template.

use std::num::NonZeroU32;

use xxhash_rust::xxh3::xxh3_128;

use crate::crawl::messages::UrlId;
use crate::crawl::urls::ByUrl;
use crate::url::fragment::AnchorIndex;
use crate::url::hashed::{Key, Recent};

/// So many different sets are remembered at least. One that is not is kept twice.
const KEPT: usize = 10_000;

/// The anchors of pages.
#[derive(Debug)]
pub(super) struct AnchorSets {
    sets: Vec<AnchorIndex>,
    /// The position of each set in that list, by its hash.
    known: Recent,
    /// One more than that position.
    of_page: ByUrl<NonZeroU32>,
}

impl Default for AnchorSets {
    fn default() -> AnchorSets {
        AnchorSets { sets: Vec::new(), known: Recent::holding(KEPT), of_page: ByUrl::default() }
    }
}

impl AnchorSets {
    pub(super) fn get(&self, page: UrlId) -> Option<&AnchorIndex> {
        self.sets.get(self.of_page.get(page)?.get() as usize - 1)
    }

    pub(super) fn insert(&mut self, page: UrlId, anchors: AnchorIndex) {
        let next = u32::try_from(self.sets.len()).expect("there are fewer sets than URLs");
        let position = self.known.id_or(key(&anchors), next);
        if position == next {
            self.sets.push(anchors);
        }
        self.of_page.insert(page, NonZeroU32::MIN.saturating_add(position));
    }
}

fn key(anchors: &AnchorIndex) -> Key {
    let bytes: Vec<u8> = anchors.hashes().iter().flat_map(|hash| hash.to_le_bytes()).collect();
    Key::new(xxh3_128(&bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_with_the_same_anchors_share_them() {
        let mut sets = AnchorSets::default();
        let page = UrlId::from_index;
        let anchors = |ids: &[&str]| AnchorIndex::new(ids.iter().copied());
        sets.insert(page(5), anchors(&["top", "menu"]));
        sets.insert(page(1), anchors(&[]));
        sets.insert(page(3), anchors(&["menu", "top"]));
        sets.insert(page(2), anchors(&["top"]));
        assert_eq!(sets.sets.len(), 3);
        for (index, expected) in [
            (1, Some(anchors(&[]))),
            (2, Some(anchors(&["top"]))),
            (3, Some(anchors(&["top", "menu"]))),
            (4, None),
            (5, Some(anchors(&["top", "menu"]))),
        ] {
            assert_eq!(sets.get(page(index)), expected.as_ref(), "{index}");
        }
        sets.insert(page(5), anchors(&[]));
        assert_eq!(sets.get(page(5)), Some(&anchors(&[])), "the last one counts");
    }
}
