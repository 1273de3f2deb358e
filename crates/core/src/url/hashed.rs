//! Maps whose keys need no hashing: they are hashes already, or numbers.
//!
//! A hash of 96 bits and an id take sixteen bytes.

use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hash, Hasher};

use xxhash_rust::xxh3::xxh3_128;

/// A map with 64-bit hashes as keys.
pub type HashedMap<T> = HashMap<u64, T, BuildHasherDefault<Ready>>;

/// A map with numbers as keys that are given out one after the other.
pub type Numbered<T> = HashMap<u32, T, BuildHasherDefault<Ready>>;

/// A hasher that returns the key; numbers are spread.
#[derive(Debug, Default)]
pub struct Ready(u64);

impl Hasher for Ready {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, _: &[u8]) {
        unreachable!("keys pass whole numbers");
    }

    fn write_u32(&mut self, number: u32) {
        /// 2^64 over the golden ratio.
        const SPREAD: u64 = 0x9e37_79b9_7f4a_7c15;
        self.0 = u64::from(number).wrapping_mul(SPREAD);
    }

    fn write_u64(&mut self, key: u64) {
        self.0 = key;
    }
}

/// A hash, cut so that it takes sixteen bytes with an id.
#[derive(Debug, Clone, Copy, Eq)]
pub struct Key([u32; 3]);

// Derived, these compare and hash the parts as bytes of any number, by a call. Keys are looked up
// twice for each link.
impl PartialEq for Key {
    fn eq(&self, other: &Key) -> bool {
        let ([a, b, c], [x, y, z]) = (self.0, other.0);
        a == x && b == y && c == z
    }
}

impl Hash for Key {
    fn hash<H: Hasher>(&self, state: &mut H) {
        state.write_u64(self.short());
    }
}

impl Key {
    /// The key of a hash of 128 bits.
    #[must_use]
    #[expect(clippy::cast_possible_truncation, reason = "a part of a hash is a hash")]
    pub fn new(hash: u128) -> Key {
        Key([hash as u32, (hash >> 32) as u32, (hash >> 64) as u32])
    }

    /// The key of a hash of 64 bits.
    #[must_use]
    pub fn of_hash(hash: u64) -> Key {
        Key::new(hash.into())
    }

    /// A part of it, in eight bytes.
    #[must_use]
    pub fn short(self) -> u64 {
        let [low, high, _] = self.0;
        u64::from(high) << 32 | u64::from(low)
    }

    /// The key of a text.
    #[must_use]
    pub fn of_text(text: &[u8]) -> Key {
        Key::new(xxh3_128(text))
    }
}

/// Ids by hash.
pub type Ids = HashMap<Key, u32, BuildHasherDefault<Ready>>;

/// Ids by hash, of which the older half is dropped when there are too many.
#[derive(Debug)]
pub struct Recent {
    young: Ids,
    old: Ids,
    most: usize,
}

impl Default for Recent {
    fn default() -> Recent {
        Recent::holding(450_000)
    }
}

impl Recent {
    /// Keeps at least this many, and at most twice as many.
    #[must_use]
    pub fn holding(most: usize) -> Recent {
        Recent { young: Ids::default(), old: Ids::default(), most }
    }

    /// The id of this hash; `new` if it is unknown, and stored from now on.
    pub fn id_or(&mut self, key: Key, new: u32) -> u32 {
        self.find(key).unwrap_or_else(|| {
            self.keep(key, new);
            new
        })
    }

    /// The id of this hash, if it is known.
    pub fn find(&mut self, key: Key) -> Option<u32> {
        if let Some(id) = self.young.get(&key) {
            return Some(*id);
        }
        let id = *self.old.get(&key)?;
        self.keep(key, id);
        Some(id)
    }

    /// Adds a hash without an id; returns whether it was unknown.
    pub fn insert(&mut self, key: Key) -> bool {
        let is_new = self.find(key).is_none();
        if is_new {
            self.keep(key, 0);
        }
        is_new
    }

    /// Stores the id of a hash.
    pub fn keep(&mut self, key: Key, id: u32) {
        if self.young.len() >= self.most {
            // The table keeps its size, which it will need again.
            std::mem::swap(&mut self.young, &mut self.old);
            self.young.clear();
        }
        self.young.insert(key, id);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn recent_keys_are_known_and_old_ones_are_not() {
        let mut recent = Recent::holding(2);
        let key = |n: u32| Key::of_text(&n.to_le_bytes());
        assert_eq!((recent.id_or(key(1), 10), recent.id_or(key(2), 20)), (10, 20));
        assert_eq!(recent.id_or(key(1), 99), 10);
        recent.id_or(key(3), 30);
        assert_eq!(recent.id_or(key(1), 99), 10, "seen again, it stays");
        recent.id_or(key(4), 40);
        assert_eq!((recent.id_or(key(1), 99), recent.id_or(key(2), 21)), (10, 21));
        assert_eq!((recent.find(key(3)), recent.find(key(2))), (None, Some(21)));
        assert!(recent.insert(key(7)) && !recent.insert(key(7)));
    }
}
