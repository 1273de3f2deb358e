//! The links of a page in a few bytes each: link contents, line and column.
//!
//! The contents on a page were mostly first seen one after the other, and its lines increase.

use super::{Packer, Unpacker};

/// An occurrence of a link on a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Occurrence {
    pub(crate) content: u32,
    pub(crate) line: u32,
    pub(crate) column: u32,
}

pub(crate) fn pack(occurrences: &[Occurrence]) -> Vec<u8> {
    let mut out = Packer(Vec::with_capacity(occurrences.len() * 4));
    let (mut content, mut line) = (0, 0);
    for occurrence in occurrences {
        out.difference(i64::from(occurrence.content) - content);
        out.difference(i64::from(occurrence.line) - line);
        out.number(u64::from(occurrence.column));
        (content, line) = (i64::from(occurrence.content), i64::from(occurrence.line));
    }
    out.0
}

/// Unpacks occurrences; damaged data ends the list.
pub(crate) fn unpack(bytes: &[u8]) -> impl Iterator<Item = Occurrence> {
    let mut bytes = Unpacker(bytes);
    let (mut content, mut line) = (0i64, 0i64);
    std::iter::from_fn(move || {
        content = content.checked_add(bytes.difference()?)?;
        line = line.checked_add(bytes.difference()?)?;
        Some(Occurrence {
            content: u32::try_from(content).ok()?,
            line: u32::try_from(line).ok()?,
            column: u32::try_from(bytes.number()?).ok()?,
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn packing_round_trips(
            numbers in prop::collection::vec((any::<u32>(), any::<u32>(), any::<u32>()), 0..40),
        ) {
            let occurrences: Vec<Occurrence> = numbers
                .into_iter()
                .map(|(content, line, column)| Occurrence { content, line, column })
                .collect();
            prop_assert_eq!(unpack(&pack(&occurrences)).collect::<Vec<_>>(), occurrences);
        }

        #[test]
        fn damaged_bytes_end_the_list(bytes in prop::collection::vec(any::<u8>(), 0..60)) {
            prop_assert!(unpack(&bytes).count() <= bytes.len());
        }
    }

    #[test]
    fn a_menu_takes_three_bytes_per_link() {
        let occurrences: Vec<Occurrence> =
            (0..100).map(|n| Occurrence { content: 5000 + n, line: 10, column: 8 }).collect();
        assert!(pack(&occurrences).len() <= 302);
    }
}
