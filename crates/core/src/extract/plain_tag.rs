//! Tags that mean no more than their name does: `</td>`, `<p>`, `<span class="n">`.
//!
//! Most tags of a page are such. They are recognized at sight, without being split into their
//! parts. Nothing else is: what is written in another way is read by the general rules.

use super::eight::{end_of_quoted, equal};
use super::names::Name;

/// A tag that means no more than its name.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct PlainTag {
    pub(super) name: Name,
    pub(super) is_end: bool,
    /// Of what begins with its name.
    pub(super) length: usize,
    /// If it begins an element that only marks its text: the bytes of the name and `>`.
    phrase: u64,
}

const CLASS: u64 = u64::from_le_bytes(*b" class=\"");

impl PlainTag {
    /// The tag whose name is at the start of this text, if it is such a one.
    #[inline]
    pub(super) fn at_name(text: &[u8], is_end: bool) -> Option<PlainTag> {
        let bytes = u64::from_le_bytes(*text.first_chunk()?);
        let ends = equal(bytes, b'>') | equal(bytes, b' ');
        if ends == 0 {
            return None;
        }
        let length = ends.trailing_zeros() / 8;
        let name = bytes & (1_u64 << (8 * length)).wrapping_sub(1);
        let element = Name::of_key(name.swap_bytes().checked_shr(64 - 8 * length)?);
        // Where text follows that is no markup, the name is needed as it is written.
        if element == Name::Other || (!is_end && element.text_state().is_some()) {
            return None;
        }
        let name_length = length as usize;
        let length = match text[name_length] {
            b'>' => name_length + 1,
            _ if is_end || element == Name::A => return None,
            _ => end_of_class(text, name_length)?,
        };
        let is_phrase = !is_end && element.is_phrase();
        let phrase = if is_phrase { name | u64::from(b'>') << (8 * name_length) } else { 0 };
        Some(PlainTag { name: element, is_end, length, phrase })
    }

    /// If it begins an element that only marks its text, and the end tag of this is all there is at
    /// the start of the text: how long that is.
    #[inline]
    pub(super) fn end_of_phrase(self, text: &[u8]) -> Option<usize> {
        let bytes = u64::from_le_bytes(*text.strip_prefix(b"</")?.first_chunk()?);
        let after = self.phrase.leading_zeros() & !7;
        ((bytes ^ self.phrase) << after == 0).then_some(2 + 8 - after as usize / 8)
    }

    #[inline]
    pub(super) fn begins_phrase(self) -> bool {
        self.phrase != 0
    }
}

/// Where a tag ends whose only attribute is a class, after its name.
#[inline]
fn end_of_class(text: &[u8], name: usize) -> Option<usize> {
    let (attribute, value) = text[name..].split_first_chunk()?;
    if u64::from_le_bytes(*attribute) != CLASS {
        return None;
    }
    let (length, _) = end_of_quoted(value, b'"')?;
    (value.get(length + 1) == Some(&b'>')).then_some(name + 8 + length + 2)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn only_tags_without_meaning_of_their_own_are_plain() {
        let name = |tag: &str| {
            let is_end = tag.starts_with('/');
            let text = format!("{tag} and some more text");
            let plain = PlainTag::at_name(&text.as_bytes()[usize::from(is_end)..], is_end)?;
            assert_eq!(plain.length + usize::from(is_end), tag.len(), "{tag}");
            Some(plain.name.text())
        };
        for (tag, expected) in [
            ("td>", "td"),
            ("/td>", "td"),
            ("/section>", "section"),
            ("a>", "a"),
            ("/title>", "title"),
            ("span class=\"n\">", "span"),
            ("section class=\"a '>' b\">", "section"),
            ("p class=\"\">", "p"),
        ] {
            assert_eq!(name(tag), Some(expected), "{tag}");
        }
        for tag in [
            "TD>",
            "td >",
            "td/>",
            "my>",
            "title>",
            "script class=\"n\">",
            "/td class=\"n\">",
            "a class=\"n\">",
            "p class='n'>",
            "p Class=\"n\">",
            "p  class=\"n\">",
            "p id=\"n\">",
            "p class=\"n\" id=x>",
            "p class=\"n\"/>",
            "p class=\"n",
            "blockquote>",
            ">",
            " class=\"n\">",
        ] {
            assert_eq!(name(tag), None, "{tag}");
        }
        assert_eq!(PlainTag::at_name(b"td>", false), None, "the end of a piece is near");
    }

    #[test]
    fn a_phrase_ends_with_its_own_end_tag() {
        let end = |start: &str, end: &str| {
            let tag = PlainTag::at_name(format!("{start} and more").as_bytes(), false).unwrap();
            tag.begins_phrase().then(|| tag.end_of_phrase(format!("{end} and more").as_bytes()))
        };
        for (start, tag, expected) in [
            ("b>", "</b>", Some(4)),
            ("strong class=\"x\">", "</strong>", Some(9)),
            ("b>", "</i>", None),
            ("b>", "</bb>", None),
            ("b>", "</B>", None),
            ("b>", "</b >", None),
            ("b>", "<b>", None),
            ("em>", "</e>m", None),
        ] {
            assert_eq!(end(start, tag), Some(expected), "{start} {tag}");
        }
        assert_eq!(end("div>", "</div>"), None);
    }
}
