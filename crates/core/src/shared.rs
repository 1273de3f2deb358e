//! Parts that stand on many pages: one edit mends all.

/// From how many pages on the same link counts as part of a template.
///
/// Two pages may hold the same link by chance; three with the same target, text,
/// element, attribute and region are a menu, a header or a footer.
const PAGES: u64 = 3;

/// Whether a link that stands on that many pages is folded to one line.
#[must_use]
pub fn is_shared(pages: u64) -> bool {
    pages >= PAGES
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_pages_are_chance_and_three_are_a_template() {
        assert!(!is_shared(2));
        assert!(is_shared(3));
    }
}
