//! What must be true for any bytes that a damaged store may return: the unpackers never panic,
//! and what they return is packed and unpacked to the same values. The fuzz target and the tests
//! of the store call the same functions.

use crate::codec::{contents, entries, occurrences, unpack_sketch};

pub(crate) fn stored(bytes: &[u8]) {
    let unpacked: Vec<_> = entries::unpack(bytes).collect();
    assert!(unpacked.len() <= bytes.len(), "no more entries than bytes");
    assert!(entries::unpack(&entries::pack(&unpacked)).eq(unpacked), "entries survive");
    let unpacked: Vec<_> = occurrences::unpack(bytes).collect();
    assert!(unpacked.len() <= bytes.len(), "no more occurrences than bytes");
    assert!(occurrences::unpack(&occurrences::pack(&unpacked)).eq(unpacked), "occurrences survive");
    assert!(contents::targets(bytes).count() <= bytes.len(), "no more targets than bytes");
    assert_eq!(contents::prints(bytes).count(), bytes.len() / 8);
    let starts = contents::starts(bytes);
    assert!(starts.is_sorted_by(|a, b| a < b), "each link begins after the one before");
    for start in starts {
        contents::unpack_content(&bytes[start as usize..]);
    }
    assert_eq!(unpack_sketch(bytes).is_some(), bytes.len() == 16);
}
