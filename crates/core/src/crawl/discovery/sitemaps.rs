//! How many sitemaps are read, and how deep: an index may name others without end.

use std::collections::HashMap;

use crate::crawl::messages::UrlId;

/// How many sitemaps are read in all.
const MOST: usize = 2000;
/// How many indexes may lead to a sitemap. The protocol allows one (sitemaps.org, "Sitemap index
/// files").
const DEEPEST: u32 = 3;

/// The sitemaps that are named by others.
#[derive(Debug, Default)]
pub(super) struct Sitemaps {
    depths: HashMap<UrlId, u32>,
}

impl Sitemaps {
    /// A sitemap names another one. Returns whether that is read.
    pub(super) fn admits(&mut self, index: UrlId, sitemap: UrlId) -> bool {
        if self.depths.contains_key(&sitemap) {
            return true;
        }
        let depth = self.depths.get(&index).map_or(1, |depth| depth + 1);
        let admitted = depth <= DEEPEST && self.depths.len() < MOST;
        if admitted {
            self.depths.insert(sitemap, depth);
        }
        admitted
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sitemaps_are_bounded_in_depth_and_number() {
        let id = UrlId::from_index;
        let mut sitemaps = Sitemaps::default();
        let chain: Vec<bool> =
            (0..5).map(|number| sitemaps.admits(id(number), id(number + 1))).collect();
        assert_eq!(
            chain,
            [true, true, true, false, true],
            "the fourth is not read, so the next is new"
        );
        assert!(sitemaps.admits(id(0), id(1)), "it is known");
        let mut wide = Sitemaps::default();
        let admitted = (1..9000).filter(|number| wide.admits(id(0), id(*number))).count();
        assert_eq!(admitted, MOST);
    }
}
