//! A list of what is known of each URL. It grows piece by piece: nothing is copied, and no more
//! room is kept than is used.

use std::ops::{Index, IndexMut};

/// So many elements are one piece of memory.
const IN_PIECE: usize = 4096;

/// A list that may have millions of elements.
#[derive(Debug)]
pub struct LongList<T> {
    /// All but the last one are full.
    pieces: Vec<Vec<T>>,
}

impl<T> Default for LongList<T> {
    fn default() -> LongList<T> {
        LongList { pieces: Vec::new() }
    }
}

impl<T> LongList<T> {
    /// The number of elements.
    #[must_use]
    pub fn len(&self) -> usize {
        self.pieces.last().map_or(0, |last| (self.pieces.len() - 1) * IN_PIECE + last.len())
    }

    /// Whether it has no elements.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.pieces.is_empty()
    }

    /// Adds an element at the end.
    pub fn push(&mut self, element: T) {
        match self.pieces.last_mut() {
            Some(last) if last.len() < IN_PIECE => last.push(element),
            // A short list is like any other; a long one has whole pieces.
            last => {
                let capacity = if last.is_some() { IN_PIECE } else { 0 };
                let mut piece = Vec::with_capacity(capacity);
                piece.push(element);
                self.pieces.push(piece);
            }
        }
    }

    /// The element at this position.
    #[must_use]
    pub fn get(&self, position: usize) -> Option<&T> {
        self.pieces.get(position / IN_PIECE)?.get(position % IN_PIECE)
    }
}

impl<T> Index<usize> for LongList<T> {
    type Output = T;

    fn index(&self, position: usize) -> &T {
        &self.pieces[position / IN_PIECE][position % IN_PIECE]
    }
}

impl<T> IndexMut<usize> for LongList<T> {
    fn index_mut(&mut self, position: usize) -> &mut T {
        &mut self.pieces[position / IN_PIECE][position % IN_PIECE]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn elements_are_where_they_were_put() {
        let mut list = LongList::default();
        assert!(list.is_empty());
        for number in 0..3 * IN_PIECE {
            assert_eq!((list.len(), list.get(number)), (number, None));
            list.push(number);
        }
        assert!(!list.is_empty());
        for number in [0, 1, IN_PIECE - 1, IN_PIECE, 3 * IN_PIECE - 1] {
            assert_eq!((list[number], list.get(number)), (number, Some(&number)));
            list[number] += 7;
            assert_eq!(list[number], number + 7);
        }
    }
}
