//! The links of a page in a few octets each: mark, line and column.
//!
//! A page's marks were mostly met one after the other, and its lines grow.

use super::{Packer, Unpacker};

/// Where a mark stands in a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Place {
    pub(crate) mark: u32,
    pub(crate) line: u32,
    pub(crate) column: u32,
}

pub(crate) fn pack(places: &[Place]) -> Vec<u8> {
    let mut out = Packer(Vec::with_capacity(places.len() * 4));
    let (mut mark, mut line) = (0, 0);
    for place in places {
        out.difference(i64::from(place.mark) - mark);
        out.difference(i64::from(place.line) - line);
        out.number(u64::from(place.column));
        (mark, line) = (i64::from(place.mark), i64::from(place.line));
    }
    out.0
}

/// Unpacks; what cannot be read (no writer of ours made it) ends the list.
pub(crate) fn unpack(octets: &[u8]) -> impl Iterator<Item = Place> {
    let mut octets = Unpacker(octets);
    let (mut mark, mut line) = (0i64, 0i64);
    std::iter::from_fn(move || {
        mark = mark.checked_add(octets.difference()?)?;
        line = line.checked_add(octets.difference()?)?;
        Some(Place {
            mark: u32::try_from(mark).ok()?,
            line: u32::try_from(line).ok()?,
            column: u32::try_from(octets.number()?).ok()?,
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_packed_comes_out_again(
            numbers in prop::collection::vec((any::<u32>(), any::<u32>(), any::<u32>()), 0..40),
        ) {
            let places: Vec<Place> = numbers
                .into_iter()
                .map(|(mark, line, column)| Place { mark, line, column })
                .collect();
            prop_assert_eq!(unpack(&pack(&places)).collect::<Vec<_>>(), places);
        }

        #[test]
        fn damaged_bytes_end_the_list(bytes in prop::collection::vec(any::<u8>(), 0..60)) {
            prop_assert!(unpack(&bytes).count() <= bytes.len());
        }
    }

    #[test]
    fn a_menu_costs_three_bytes_a_link() {
        let places: Vec<Place> =
            (0..100).map(|n| Place { mark: 5000 + n, line: 10, column: 8 }).collect();
        assert!(pack(&places).len() <= 302);
    }
}
