//! The links of a page in a few bytes each: mark, line and column.
//!
//! Each number is the difference to the one before, as a zigzag varint; a page's
//! marks were mostly met one after the other, and its lines grow.

use rummage_core::reading::Sketch;

/// Where a mark stands in a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Place {
    pub(crate) mark: i64,
    pub(crate) line: u32,
    pub(crate) column: u32,
}

pub(crate) fn pack(places: &[Place]) -> Vec<u8> {
    let mut out = Vec::with_capacity(places.len() * 4);
    let (mut mark, mut line) = (0, 0);
    for place in places {
        put(&mut out, place.mark - mark);
        put(&mut out, i64::from(place.line) - line);
        put(&mut out, i64::from(place.column));
        (mark, line) = (place.mark, i64::from(place.line));
    }
    out
}

/// Unpacks; what cannot be read (no writer of ours made it) ends the list.
pub(crate) fn unpack(mut bytes: &[u8]) -> impl Iterator<Item = Place> {
    let (mut mark, mut line) = (0, 0);
    std::iter::from_fn(move || {
        mark += take(&mut bytes)?;
        line += take(&mut bytes)?;
        let column = take(&mut bytes)?;
        Some(Place { mark, line: u32::try_from(line).ok()?, column: u32::try_from(column).ok()? })
    })
}

/// The hashes of a page's text in sixteen octets.
pub(crate) fn sketch(sketch: Sketch) -> [u8; 16] {
    (u128::from(sketch.text) << 64 | u128::from(sketch.outline)).to_be_bytes()
}

#[expect(clippy::cast_possible_truncation, reason = "the halves of what `sketch` put together")]
pub(crate) fn unpack_sketch(bytes: &[u8]) -> Option<Sketch> {
    let both = u128::from_be_bytes(bytes.try_into().ok()?);
    Some(Sketch { text: (both >> 64) as u64, outline: both as u64 })
}

#[expect(clippy::cast_sign_loss, reason = "zigzag: the sign goes to the lowest bit")]
fn put(out: &mut Vec<u8>, number: i64) {
    let mut rest = ((number << 1) ^ (number >> 63)) as u64;
    while rest >= 0x80 {
        out.push((rest & 0x7f) as u8 | 0x80);
        rest >>= 7;
    }
    out.push(rest as u8);
}

#[expect(clippy::cast_possible_wrap, reason = "zigzag: the lowest bit is the sign")]
fn take(bytes: &mut &[u8]) -> Option<i64> {
    let mut number = 0u64;
    for shift in (0..64).step_by(7) {
        let (&byte, rest) = bytes.split_first()?;
        *bytes = rest;
        number |= u64::from(byte & 0x7f) << shift;
        if byte < 0x80 {
            return Some((number >> 1) as i64 ^ -((number & 1) as i64));
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_packed_comes_out_again(
            numbers in prop::collection::vec((0i64..i64::MAX / 4, any::<u32>(), any::<u32>()), 0..40),
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
