//! What is kept in memory for each link content during a query: a few bytes.

use std::collections::HashMap;

/// Counts that are mostly small: a byte each, and a map for the others.
#[derive(Debug)]
pub(crate) struct Counts {
    small: Vec<u8>,
    large: HashMap<u32, u32>,
}

impl Counts {
    pub(crate) fn of(count: usize) -> Counts {
        Counts { small: vec![0; count], large: HashMap::new() }
    }

    pub(crate) fn add(&mut self, number: u32) {
        match self.small.get_mut(number as usize) {
            Some(small) if *small < u8::MAX => *small += 1,
            _ => *self.large.entry(number).or_insert(u8::MAX.into()) += 1,
        }
    }

    pub(crate) fn at(&self, number: u32) -> u32 {
        match self.small.get(number as usize) {
            Some(small) if *small < u8::MAX => (*small).into(),
            _ => self.large.get(&number).copied().unwrap_or(u8::MAX.into()),
        }
    }
}

/// The fold number of each link content, from 1; 0 if it cannot match. A fold is a set of equal
/// links.
#[derive(Debug)]
pub(crate) enum Folds {
    /// One bit for each content, and the numbers of the few that may match.
    Few { bits: Vec<u64>, numbers: HashMap<u32, u32> },
    /// By content, if many may match.
    Many(Numbers),
}

impl Folds {
    /// For contents below `end`.
    pub(crate) fn new(end: u32) -> Folds {
        Folds::Few { bits: vec![0; end.div_ceil(64) as usize], numbers: HashMap::new() }
    }

    pub(crate) fn make_room(&mut self, more: usize) {
        let Folds::Few { bits, numbers } = self else { return };
        // A number in a map takes about six times the space of one in a vector.
        let end = bits.len() * 64;
        if numbers.len() + more <= end / 8 {
            return numbers.reserve(more);
        }
        let mut all = Numbers::of(end, u32::try_from(end).unwrap_or(u32::MAX));
        numbers.iter().for_each(|(content, number)| all.set(*content as usize, *number));
        *self = Folds::Many(all);
    }

    pub(crate) fn set(&mut self, content: u32, number: u32) {
        match self {
            Folds::Many(numbers) => numbers.set(content as usize, number),
            Folds::Few { bits, numbers } => {
                bits[content as usize / 64] |= 1 << (content % 64);
                numbers.insert(content, number);
            }
        }
    }

    pub(crate) fn of(&self, content: u32) -> u32 {
        match self {
            Folds::Many(numbers) => numbers.at(content as usize),
            Folds::Few { bits, numbers } => {
                let word = bits.get(content as usize / 64).copied().unwrap_or_default();
                if word >> (content % 64) & 1 == 0 {
                    return 0;
                }
                numbers.get(&content).copied().unwrap_or_default()
            }
        }
    }
}

/// A fingerprint and its link content in twelve bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Fingerprint {
    pub(crate) print: [u32; 2],
    pub(crate) content: u32,
}

impl Fingerprint {
    #[expect(clippy::cast_possible_truncation, reason = "the two halves")]
    pub(crate) fn new(print: u64, content: u32) -> Fingerprint {
        Fingerprint { print: [(print >> 32) as u32, print as u32], content }
    }
}

/// Numbers in three bytes each if they fit, else in four.
#[derive(Debug)]
pub(crate) struct Numbers {
    /// One more than they need, so that four can be read at once.
    bytes: Vec<u8>,
    width: usize,
    mask: u32,
}

impl Numbers {
    /// This many numbers, all 0 at first, none above `most`.
    pub(crate) fn of(count: usize, most: u32) -> Numbers {
        let (width, mask) = if most < 1 << 24 { (3, (1 << 24) - 1) } else { (4, u32::MAX) };
        Numbers { bytes: vec![0; count * width + 1], width, mask }
    }

    pub(crate) fn count(&self) -> usize {
        self.bytes.len() / self.width
    }

    pub(crate) fn set(&mut self, at: usize, number: u32) {
        let from = at * self.width;
        let bytes = &number.to_le_bytes()[..self.width];
        self.bytes[from..from + self.width].copy_from_slice(bytes);
    }

    /// 0 beyond the end.
    pub(crate) fn at(&self, at: usize) -> u32 {
        let from = at * self.width;
        let four = self.bytes.get(from..from + 4).and_then(|bytes| bytes.first_chunk());
        four.map_or(0, |four| u32::from_le_bytes(*four) & self.mask)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_stored_in_three_or_four_bytes() {
        for most in [9, (1 << 24) - 1, 1 << 24, u32::MAX] {
            let mut numbers = Numbers::of(3, most);
            numbers.set(1, most);
            numbers.set(2, 7);
            assert_eq!([0, 1, 2, 3].map(|at| numbers.at(at)), [0, most, 7, 0], "up to {most}");
            assert_eq!(numbers.count(), 3);
        }
    }

    #[test]
    fn counts_may_exceed_a_byte() {
        let mut counts = Counts::of(2);
        for _ in 0..1000 {
            counts.add(1);
        }
        counts.add(0);
        assert_eq!((counts.at(0), counts.at(1)), (1, 1000));
        for _ in 0..254 {
            counts.add(0);
        }
        assert_eq!(counts.at(0), 255);
    }

    #[test]
    fn folds_are_the_same_for_few_and_for_many() {
        for many in [10u32, 10_000] {
            let mut folds = Folds::new(20_000);
            folds.make_room(5);
            (0..5).for_each(|content| folds.set(content * 3, content + 1));
            folds.make_room(many as usize);
            assert_eq!(matches!(folds, Folds::Many(_)), many == 10_000);
            (5..many).filter(|content| content % 3 > 0).for_each(|content| folds.set(content, 9));
            assert_eq!([0, 3, 1, 19_999].map(|content| folds.of(content)), [1, 2, 0, 0]);
        }
    }
}
