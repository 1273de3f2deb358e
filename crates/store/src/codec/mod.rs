//! Many small facts in few bytes.
//!
//! Integers are varints of seven bits, lowest first; values that may decrease are stored as a
//! zigzag difference to the previous one.

pub(crate) mod contents;
pub(crate) mod entries;
pub(crate) mod occurrences;

use rummage_core::extract::reading::Sketch;

/// Writes packed values, one after the other.
#[derive(Debug, Default)]
pub(crate) struct Packer(pub(crate) Vec<u8>);

impl Packer {
    /// Packs an unsigned number.
    pub(crate) fn number(&mut self, mut rest: u64) {
        while rest >= 0x80 {
            self.0.push((rest & 0x7f) as u8 | 0x80);
            rest >>= 7;
        }
        self.0.push(rest as u8);
    }

    /// Packs a difference, with the sign in the lowest bit.
    #[expect(clippy::cast_sign_loss, reason = "zigzag")]
    pub(crate) fn difference(&mut self, number: i64) {
        self.number(((number << 1) ^ (number >> 63)) as u64);
    }

    /// Packs a text, preceded by its length.
    pub(crate) fn text(&mut self, text: &str) {
        self.number(text.len() as u64);
        self.0.extend_from_slice(text.as_bytes());
    }
}

/// Reads packed values. Damaged data gives `None`.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Unpacker<'a>(pub(crate) &'a [u8]);

impl<'a> Unpacker<'a> {
    pub(crate) fn byte(&mut self) -> Option<u8> {
        let (&byte, rest) = self.0.split_first()?;
        self.0 = rest;
        Some(byte)
    }

    pub(crate) fn number(&mut self) -> Option<u64> {
        let mut number = 0u64;
        for shift in (0..64).step_by(7) {
            let byte = self.byte()?;
            number |= u64::from(byte & 0x7f) << shift;
            if byte < 0x80 {
                return Some(number);
            }
        }
        None
    }

    #[expect(clippy::cast_possible_wrap, reason = "zigzag: the lowest bit is the sign")]
    pub(crate) fn difference(&mut self) -> Option<i64> {
        self.number().map(|number| (number >> 1) as i64 ^ -((number & 1) as i64))
    }

    pub(crate) fn bytes(&mut self, many: usize) -> Option<&'a [u8]> {
        let (taken, rest) = self.0.split_at_checked(many)?;
        self.0 = rest;
        Some(taken)
    }

    pub(crate) fn text(&mut self) -> Option<&'a str> {
        let length = usize::try_from(self.number()?).ok()?;
        std::str::from_utf8(self.bytes(length)?).ok()
    }
}

/// The hashes of a page's text in sixteen bytes.
pub(crate) fn sketch(sketch: Sketch) -> [u8; 16] {
    (u128::from(sketch.text) << 64 | u128::from(sketch.outline)).to_be_bytes()
}

#[expect(clippy::cast_possible_truncation, reason = "the halves of what `sketch` put together")]
pub(crate) fn unpack_sketch(bytes: &[u8]) -> Option<Sketch> {
    let both = u128::from_be_bytes(bytes.try_into().ok()?);
    Some(Sketch { text: (both >> 64) as u64, outline: both as u64 })
}

#[cfg(test)]
#[path = "../../../../fuzz/stored.rs"]
mod stored;

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::contents::{LinkContent, PackedLinks, Written};

    proptest! {
        #[test]
        fn any_bytes_can_be_unpacked(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            super::stored::stored(&bytes);
        }

        /// Damage to a blob that was packed: a byte changed, or the rest missing.
        #[test]
        fn damaged_links_can_be_unpacked(
            text in ".{0,20}",
            at in any::<prop::sample::Index>(),
            byte in any::<u8>(),
            cut in any::<prop::sample::Index>(),
        ) {
            let mut packed = PackedLinks::default();
            let content = LinkContent {
                element: 1,
                attribute: 2,
                region: None,
                ancestor_hash: 3,
                scripted: true,
                written: Written::Other(&text),
                fragment: Some(&text),
                text: None,
                rel: Some("next"),
                title: None,
            };
            for target in [7, 300, 2] {
                packed.add(target, u64::from(target), content);
            }
            let mut blob = packed.blobs().2.to_vec();
            let place = at.index(blob.len());
            blob[place] = byte;
            super::stored::stored(&blob);
            blob.truncate(cut.index(blob.len()));
            super::stored::stored(&blob);
        }
    }
}
