//! Parts that stand on many pages: one edit mends all.

use crate::reading::Region;

/// From how many pages on the same link can be part of a template.
///
/// Two pages may hold the same link by chance.
const PAGES: u64 = 3;

/// Whether a link that stands on so many of `all` pages is folded to one line:
/// one edit mends all of them.
///
/// In a header, menu, footer or aside, three pages are a template. In the main
/// part, or in none, the same words may be written many times, each by hand: there
/// it takes half of the pages.
#[must_use]
pub fn is_shared(pages: u64, all: u64, region: Option<Region>) -> bool {
    let framed =
        matches!(region, Some(Region::Header | Region::Nav | Region::Aside | Region::Footer));
    pages >= PAGES && (framed || pages * 2 >= all)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_menu_is_shared_and_words_in_the_text_are_not() {
        assert!(is_shared(3, 100, Some(Region::Nav)));
        assert!(!is_shared(2, 100, Some(Region::Footer)));
        assert!(!is_shared(40, 100, Some(Region::Main)));
        assert!(is_shared(50, 100, None));
    }
}
