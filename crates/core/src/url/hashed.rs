//! Maps whose keys are already hashes: they are not hashed again.

use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};

/// A map with 128-bit hashes as keys.
pub type HashedMap<T> = HashMap<u128, T, BuildHasherDefault<Ready>>;

/// A hasher that returns the key.
#[derive(Debug, Default)]
pub struct Ready(u64);

impl Hasher for Ready {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, _: &[u8]) {
        unreachable!("keys are u128");
    }

    #[expect(clippy::cast_possible_truncation, reason = "the low half of a hash is a hash")]
    fn write_u128(&mut self, key: u128) {
        self.0 = key as u64;
    }
}
