//! How many visitors are likely to meet a link, which decides what to fix first.
//!
//! Links do not show how many visitors a page has. But more visitors see a page near the start
//! than one deep below, a link on many pages than one on a single page, and a link in a menu or
//! in the text than one in a footer.

use crate::extract::reading::Region;

/// The weight of the start page.
const AT_START: u32 = 64;
/// The depth assumed for pages that no link from the start leads to.
const FAR: u32 = 6;

/// The pages on which a link appears, weighted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub struct Prominence {
    /// The sum of the pages' weights.
    pub weight: u32,
    /// The number of pages.
    pub pages: u32,
    /// One more than [`Prominence::nearest`]; 0 for none. Compact, because there may be a million
    /// of these.
    nearest: u32,
}

impl Prominence {
    /// Adds a page at this depth, with the link in this region of it.
    pub fn add(&mut self, depth: Option<u32>, region: Option<Region>) {
        let at_page = AT_START >> depth.unwrap_or(FAR).min(FAR);
        let covered = !matches!(region, Some(Region::Aside | Region::Footer));
        self.weight = self.weight.saturating_add(at_page * if covered { 2 } else { 1 });
        self.pages += 1;
        let nearest = match (self.nearest(), depth) {
            (Some(one), Some(other)) => Some(one.min(other)),
            (one, other) => one.or(other),
        };
        self.nearest = nearest.map_or(0, |nearest| nearest.saturating_add(1));
    }

    /// The depth of the nearest page; `None` if the start leads to none of them.
    #[must_use]
    pub fn nearest(&self) -> Option<u32> {
        self.nearest.checked_sub(1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn prominence(pages: &[(Option<u32>, Option<Region>)]) -> Prominence {
        let mut prominence = Prominence::default();
        for (depth, region) in pages {
            prominence.add(*depth, *region);
        }
        prominence
    }

    #[test]
    fn near_pages_weigh_more_than_deep_ones_and_several_more_than_one() {
        let home = prominence(&[(Some(0), None)]);
        let deep = prominence(&[(Some(4), None)]);
        assert!(home.weight > deep.weight);
        assert!(prominence(&[(Some(4), None); 9]).weight > deep.weight);
        assert!(prominence(&[(Some(90), None)]).weight > 0);
        assert_eq!(prominence(&[(Some(90), None)]).weight, prominence(&[(None, None)]).weight);
    }

    #[test]
    fn a_menu_weighs_more_than_a_footer() {
        let weight = |region| prominence(&[(Some(1), region)]).weight;
        assert!(weight(Some(Region::Nav)) > weight(Some(Region::Footer)));
        assert_eq!(weight(Some(Region::Main)), weight(None));
    }

    #[test]
    fn the_nearest_page_is_kept() {
        assert_eq!(
            prominence(&[(Some(3), None), (Some(1), None), (None, None)]).nearest(),
            Some(1)
        );
        assert_eq!(prominence(&[(None, None)]).nearest(), None);
    }
}
