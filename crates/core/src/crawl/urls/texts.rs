//! The texts of all URLs. A text of its own for each would take half as much room again.

use hashbrown::HashTable;
use xxhash_rust::xxh3::xxh3_64;

use crate::long_list::LongList;

/// So many texts are one piece of memory. A reference has 64 KiB at most, so that a piece stays
/// far below 4 GiB.
const IN_PIECE: usize = 1024;

/// Different texts, numbered from 0 in the order in which they were added.
#[derive(Debug, Default)]
pub(super) struct Texts {
    pieces: Vec<String>,
    /// Where each text ends in its piece.
    ends: LongList<u32>,
    /// Their numbers, by hash.
    numbers: HashTable<u32>,
}

impl Texts {
    /// The text with this number.
    pub(super) fn get(&self, number: usize) -> &str {
        text_in(&self.pieces, &self.ends, number)
    }

    /// The number of a text.
    pub(super) fn find(&self, text: &str) -> Option<usize> {
        let is_it = |number: &u32| self.get(*number as usize) == text;
        self.numbers.find(hash(text), is_it).map(|number| *number as usize)
    }

    /// Adds a new text, and returns its number.
    ///
    /// # Panics
    /// If there are 2^32 texts or more.
    pub(super) fn add(&mut self, text: &str) -> usize {
        let number = self.ends.len();
        if number.is_multiple_of(IN_PIECE) {
            if let Some(full) = self.pieces.last_mut() {
                full.shrink_to_fit();
            }
            self.pieces.push(String::new());
        }
        let piece = &mut self.pieces[number / IN_PIECE];
        piece.push_str(text);
        self.ends.push(u32::try_from(piece.len()).expect("a piece stays far below 4 GiB"));
        let known = u32::try_from(number).expect("there are fewer than 2^32 texts");
        let Texts { pieces, ends, numbers } = self;
        let hash_of = |number: &u32| hash(text_in(pieces, ends, *number as usize));
        numbers.insert_unique(hash(text), known, hash_of);
        number
    }

    /// The texts from this number on.
    pub(super) fn from(&self, first: usize) -> impl Iterator<Item = &str> {
        (first..self.ends.len()).map(|number| self.get(number))
    }
}

fn text_in<'a>(pieces: &'a [String], ends: &LongList<u32>, number: usize) -> &'a str {
    let is_first = number.is_multiple_of(IN_PIECE);
    let start = if is_first { 0 } else { ends[number - 1] as usize };
    &pieces[number / IN_PIECE][start..ends[number] as usize]
}

fn hash(text: &str) -> u64 {
    xxh3_64(text.as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn each_text_has_its_number_across_pieces() {
        let text = |number: usize| "x".repeat(number % 7) + &number.to_string();
        let mut texts = Texts::default();
        for number in 0..3 * IN_PIECE + 5 {
            assert_eq!(texts.find(&text(number)), None);
            assert_eq!(texts.add(&text(number)), number);
        }
        for number in 0..3 * IN_PIECE + 5 {
            assert_eq!(
                (texts.get(number), texts.find(&text(number))),
                (&*text(number), Some(number))
            );
        }
        let last: Vec<&str> = texts.from(3 * IN_PIECE - 1).collect();
        assert_eq!((last.len(), last[0]), (6, &*text(3 * IN_PIECE - 1)));
    }

    proptest! {
        #[test]
        fn a_text_is_found_as_in_a_list(all in prop::collection::vec("[a-c]{0,3}", 0..40)) {
            let (mut texts, mut list) = (Texts::default(), Vec::new());
            for text in all {
                let known = list.iter().position(|known| *known == text);
                prop_assert_eq!(texts.find(&text), known);
                if known.is_none() {
                    prop_assert_eq!(texts.add(&text), list.len());
                    list.push(text);
                }
            }
            prop_assert_eq!(texts.from(0).collect::<Vec<_>>(), list);
        }
    }
}
