//! Pseudo-random numbers that are the same each time.

/// A xorshift generator: good enough to make pages differ.
#[derive(Debug, Clone)]
pub(crate) struct Draw(u64);

impl Draw {
    /// Equal seeds give equal numbers.
    #[must_use]
    pub(crate) fn new(seed: u64) -> Draw {
        Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    /// A number from 0, below the bound.
    ///
    /// # Panics
    /// If the bound is 0.
    pub(crate) fn below(&mut self, bound: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 % bound as u64).expect("below the bound")
    }
}
