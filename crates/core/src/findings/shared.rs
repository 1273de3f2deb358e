//! Links that many pages share, which one edit fixes.

use xxhash_rust::xxh3::xxh3_64;

use crate::extract::reading::{Link, Region};

/// From how many pages on the same link can be part of a template.
///
/// Two pages may have the same link by chance.
const PAGES: u64 = 3;

/// Whether a link that appears on `pages` of `all` pages is folded to one line, because one edit
/// fixes all of them.
///
/// In a header, menu, footer or aside, three pages make a template. In the main part, or outside
/// all landmarks, the same words may be written by hand on many pages: there it takes half of all
/// pages.
#[must_use]
pub fn is_shared(pages: u64, all: u64, region: Option<Region>) -> bool {
    pages >= PAGES && (is_framed(region) || pages * 2 >= all)
}

/// Whether a region usually comes from a template: all except the main part.
#[must_use]
pub fn is_framed(region: Option<Region>) -> bool {
    matches!(region, Some(Region::Header | Region::Nav | Region::Aside | Region::Footer))
}

/// A hash of what makes a link the same on every page: its target (a number from the caller, and
/// the fragment), element, attribute, text, region, and the blocks around it.
///
/// The form of the reference does not matter, since `../rota.html` and `rota.html` may come from
/// one template; nor does `rel`, nor elements that only change the look of text.
///
/// ```
/// use rummage_core::extract::{Extractor, Format};
/// use rummage_core::findings::shared::fingerprint;
///
/// let read = |page: &str| {
///     let mut extractor = Extractor::new(Format::Html, Some("utf-8"), 1 << 20);
///     extractor.feed(page.as_bytes());
///     extractor.finish()
/// };
/// let home = read("<nav><ul><li class=open><b><a href=/boats>Boats</a></b></ul></nav>");
/// let boat = read("<nav><ul><li><a href=../boats>Boats</a></ul></nav>");
/// let of = |page: &rummage_core::extract::reading::Reading| fingerprint(7, None,
/// &page.links().next().unwrap());
/// assert_eq!(of(&home), of(&boat));
/// ```
#[must_use]
pub fn fingerprint(target: u64, fragment: Option<&str>, link: &Link<'_>) -> u64 {
    let mut hashed = Vec::with_capacity(128);
    hashed.extend_from_slice(&target.to_le_bytes());
    hashed.extend_from_slice(link.element.name().as_bytes());
    hashed.extend_from_slice(&[0]);
    hashed.extend_from_slice(link.attribute.name().as_bytes());
    hashed.extend_from_slice(&link.ancestor_hash.to_le_bytes());
    hashed.extend_from_slice(&[link.region.map_or(0, |region| region as u8 + 1)]);
    for text in [fragment, link.text] {
        // The length of each text comes first, so that different texts never run together to the
        // same bytes.
        let length = text.map_or(u64::MAX, |text| text.len() as u64);
        hashed.extend_from_slice(&length.to_le_bytes());
        hashed.extend_from_slice(text.unwrap_or_default().as_bytes());
    }
    xxh3_64(&hashed)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::extract::{Extractor, Format};

    #[test]
    fn a_menu_is_shared_and_links_in_the_text_are_not() {
        assert!(is_shared(3, 100, Some(Region::Nav)));
        assert!(!is_shared(2, 100, Some(Region::Footer)));
        assert!(!is_shared(40, 100, Some(Region::Main)));
        assert!(is_shared(50, 100, None));
        assert!(!is_shared(2, 2, None));
    }

    /// The fingerprints of the links of a page, with the references as targets.
    fn prints(page: &str) -> Vec<u64> {
        let mut extractor = Extractor::new(Format::Html, Some("utf-8"), 1 << 20);
        extractor.feed(page.as_bytes());
        let reading = extractor.finish();
        let print = |link: Link<'_>| {
            let target = xxhash_rust::xxh3::xxh3_64(link.written.as_bytes());
            fingerprint(target, None, &link)
        };
        reading.links().map(print).collect()
    }

    #[test]
    fn a_highlighted_entry_is_still_the_same_menu() {
        let plain = prints("<nav><ul><li><a href=/a>A</a><li><a href=/b>B</a></ul></nav>");
        let open = prints(
            "<nav class=x><ul><li id=on class=on><strong><a href=/a aria-current=page>A</a></strong>
             <li><span><a href=/b>B</a></span></ul></nav>",
        );
        assert_eq!(plain, open);
    }

    #[test]
    fn other_text_or_another_target_is_another_link() {
        let one = prints("<footer><ul><li><a href=/a>A</a></ul></footer>");
        for other in [
            "<footer><ul><li><a href=/b>A</a></ul></footer>",
            "<footer><ul><li><a href=/a>B</a></ul></footer>",
            "<footer><p><a href=/a>A</a></p></footer>",
            "<nav><ul><li><a href=/a>A</a></ul></nav>",
            "<footer><ul><li><a href=/a><img alt=A></a></ul></footer>",
        ] {
            let same = other.contains("<img");
            assert_eq!(prints(other)[0] == one[0], same, "{other}");
        }
        let twice = prints("<footer><p><a href=/a>More</a> <a href=/b>More</a></p></footer>");
        assert_ne!(twice[0], twice[1], "two links with equal text");
        let moved = prints("<div><div><footer><ul><li><a href=/a>A</a></ul></footer></div></div>");
        assert_eq!(moved, one, "elements around the landmark do not matter");
    }
}
