//! Eight bytes at a time, as one number whose lowest byte is the first: for short texts, in which
//! a search for each byte takes longer to begin than to end.
//!
//! What is found has the highest bit of its byte set. No byte changes its neighbours, because all
//! are made smaller than 128 before they are added or subtracted.

/// Eight times this byte.
const fn eight(byte: u8) -> u64 {
    u64::from_ne_bytes([byte; 8])
}

/// The highest bit of each byte that is a space (or a control character).
pub(super) fn spaces(eight_bytes: u64) -> u64 {
    let low = eight_bytes & eight(0x7f);
    (eight(127 + b' ' + 1) - low) & !eight_bytes & eight(0x80)
}

/// The highest bit of each byte from `/` to `9`: the slash comes right before the digits.
pub(super) fn marks(eight_bytes: u64) -> u64 {
    let low = eight_bytes & eight(0x7f);
    let below = eight(127 + b'9' + 1) - low;
    let above = low + eight(128 - b'/');
    below & above & !eight_bytes & eight(0x80)
}

/// The highest bit of each byte that is this one.
pub(super) fn equal(eight_bytes: u64, byte: u8) -> u64 {
    let other = eight_bytes ^ eight(byte);
    !(((other & eight(0x7f)) + eight(0x7f)) | other) & eight(0x80)
}

/// The highest bits of eight bytes as one byte, whose lowest bit is that of the first.
#[inline]
pub(super) fn gathered(highest_bits: u64) -> u64 {
    (highest_bits >> 7).wrapping_mul(0x0102_0408_1020_4080) >> 56
}

/// Where the quote is that ends a value, and whether there is an `&` before it.
pub(super) fn end_of_quoted(text: &[u8], quote: u8) -> Option<(usize, bool)> {
    let (chunks, _) = text.as_chunks::<8>();
    let mut has_ampersand = false;
    for (number, chunk) in chunks.iter().enumerate() {
        let bytes = u64::from_le_bytes(*chunk);
        let (quotes, ampersands) = (equal(bytes, quote), equal(bytes, b'&'));
        if quotes != 0 {
            let before = quotes.trailing_zeros();
            has_ampersand |= ampersands & ((1 << before) - 1) != 0;
            return Some((number * 8 + before as usize / 8, has_ampersand));
        }
        has_ampersand |= ampersands != 0;
    }
    let rest = &text[chunks.len() * 8..];
    let length = rest.iter().position(|&byte| byte == quote)?;
    has_ampersand |= rest[..length].contains(&b'&');
    Some((chunks.len() * 8 + length, has_ampersand))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn eight_bytes_at_a_time_are_told_apart_like_one() {
        for byte in 0..=u8::MAX {
            for at in 0..8 {
                let mut bytes = *b"abcdefgh";
                bytes[at] = byte;
                let bit = 0x80 << (8 * at);
                let number = u64::from_le_bytes(bytes);
                assert_eq!(spaces(number), if byte <= b' ' { bit } else { 0 }, "{byte}");
                assert_eq!(equal(number, byte) & bit, bit, "{byte}");
                assert_eq!(equal(number, b'c') & bit, if bytes[at] == b'c' { bit } else { 0 });
                let is_marked = byte.is_ascii_digit() || byte == b'/';
                assert_eq!(marks(number), if is_marked { bit } else { 0 }, "{byte}");
            }
        }
    }
}
