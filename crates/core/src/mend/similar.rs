//! Words that differ by a few typing errors, found among many.

use strsim::osa_distance;

/// Longer words are not compared.
const LONGEST: usize = 64;

/// A set of characters, for a first look that spares most comparisons: each edit changes at most
/// two of the bits.
fn character_set(word: &str) -> u64 {
    let mut bits = 0u64;
    for c in word.chars() {
        let bit = match c {
            'a'..='z' => c as u32 - 'a' as u32,
            '0'..='9' => 52 + (c as u32 - '0' as u32),
            '-' | '_' => 62,
            _ => 63,
        };
        // A character that is there twice has a second bit.
        let twice = bit + 26;
        bits |= if bit < 26 && bits >> bit & 1 == 1 { 1 << twice } else { 1 << bit };
    }
    bits
}

/// How many edits are a typing error in a word of this length.
pub(super) fn most_edits(length: usize) -> usize {
    match length {
        ..=3 => 0,
        4..=5 => 1,
        _ => 2,
    }
}

/// The number of edits between two words, if it can be a typing error: not if the numbers in them
/// differ, because the fifth lock is not the fourth.
pub(super) fn edits(one: &str, other: &str) -> Option<u8> {
    // The comparison takes the product of both lengths.
    if one.len().max(other.len()) > LONGEST {
        return None;
    }
    let most = most_edits(one.chars().count().min(other.chars().count()));
    if most == 0 || !numbers(one).eq(numbers(other)) {
        return None;
    }
    let distance = osa_distance(one, other);
    (1..=most).contains(&distance).then(|| u8::try_from(distance).expect("it is at most two"))
}

fn numbers(word: &str) -> impl Iterator<Item = &str> {
    word.split(|c: char| !c.is_ascii_digit()).filter(|number| !number.is_empty())
}

fn digits(word: &str) -> impl Iterator<Item = u8> + '_ {
    word.bytes().filter(u8::is_ascii_digit)
}

/// Many words, to be searched for similar ones.
#[derive(Debug, Default)]
pub(super) struct Words {
    looks: Vec<FirstLook>,
    words: Vec<Box<str>>,
}

/// What spares most comparisons of a word with others.
#[derive(Debug, Clone, Copy)]
struct FirstLook {
    characters: u64,
    /// A hash of its digits.
    digits: u32,
    /// In bytes.
    length: u16,
}

impl FirstLook {
    /// At a word that is not too long.
    fn of(word: &str) -> FirstLook {
        let digits = digits(word)
            .fold(0u32, |hash, digit| hash.wrapping_mul(31).wrapping_add(u32::from(digit)));
        let length = u16::try_from(word.len()).unwrap_or(u16::MAX);
        FirstLook { characters: character_set(word), digits, length }
    }

    /// Whether two words may be similar. A character of two bytes may take the place of one.
    fn may_be_like(self, other: FirstLook) -> bool {
        self.digits == other.digits
            && (self.characters ^ other.characters).count_ones() <= 4
            && self.length.abs_diff(other.length) <= 4
    }
}

impl Words {
    /// The words, which are all different.
    pub(super) fn of(words: impl Iterator<Item = String>) -> Words {
        let mut all = Words::default();
        for word in words.filter(|word| word.len() <= LONGEST) {
            all.looks.push(FirstLook::of(&word));
            all.words.push(word.into());
        }
        all
    }

    /// The words that differ by a few typing errors, fewest first, then in order.
    pub(super) fn like(&self, word: &str) -> Vec<(u8, &str)> {
        if most_edits(word.chars().count()) == 0 {
            return Vec::new();
        }
        let own = FirstLook::of(word);
        let near = self.looks.iter().zip(&self.words).filter(|(look, _)| own.may_be_like(**look));
        let mut found: Vec<(u8, &str)> =
            near.filter_map(|(_, other)| Some((edits(word, other)?, &**other))).collect();
        found.sort_unstable();
        found
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn typing_errors_are_found_and_other_words_are_not() {
        let words = ["towpath", "lock-04", "lock-05", "bell", "bells", "tow", "winter"];
        let words = Words::of(words.iter().map(|word| (*word).to_owned()));
        for (word, expected) in [
            ("towppath", &[(1, "towpath")][..]),
            ("towpaht", &[(1, "towpath")]),
            ("twpth", &[]),
            ("towpth", &[(1, "towpath")]),
            ("lokc-04", &[(1, "lock-04")]),
            ("lock-06", &[]),
            ("lock-0-4", &[]),
            ("bel", &[]),
            ("belll", &[(1, "bell"), (1, "bells")]),
            ("wimtre", &[(2, "winter")]),
            ("tow", &[]),
        ] {
            assert_eq!(words.like(word), expected, "{word}");
        }
    }

    proptest! {
        /// The first look never hides what a full comparison would find.
        #[test]
        fn the_first_look_hides_nothing(one in "[a-e0-1é-]{4,9}", other in "[a-e0-1é-]{4,9}") {
            let words = Words::of(std::iter::once(other.clone()));
            let expected: Vec<(u8, &str)> =
                edits(&one, &other).map(|edits| (edits, &*other)).into_iter().collect();
            prop_assert_eq!(words.like(&one), expected);
        }
    }
}
