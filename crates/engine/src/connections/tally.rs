//! How many connections to a server are open, and how many of them it has responded on.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use tokio::sync::Notify;

/// The connections to one server. See the [module](self).
#[derive(Debug, Default)]
pub(super) struct Tally {
    open: AtomicUsize,
    answered: AtomicUsize,
    ever_answered: AtomicUsize,
    /// Another connection may be opened.
    pub(super) room: Notify,
}

/// The place of a connection, from before it is opened until it is closed.
#[derive(Debug)]
pub(super) struct Place {
    tally: Arc<Tally>,
    has_answered: bool,
}

impl Tally {
    /// Connections, with those that are being opened.
    pub(super) fn open(&self) -> usize {
        self.open.load(Ordering::Relaxed)
    }

    /// Those without a response so far.
    pub(super) fn unanswered(&self) -> usize {
        self.open().saturating_sub(self.answered())
    }

    /// How many connections had a response, with those that are closed.
    pub(super) fn ever_answered(&self) -> usize {
        self.ever_answered.load(Ordering::Relaxed)
    }

    /// Those with a response at least.
    pub(super) fn answered(&self) -> usize {
        self.answered.load(Ordering::Relaxed)
    }
}

impl Place {
    pub(super) fn new(tally: Arc<Tally>) -> Place {
        tally.open.fetch_add(1, Ordering::Relaxed);
        Place { tally, has_answered: false }
    }

    /// A response has begun.
    pub(super) fn handle_response(&mut self) {
        if !std::mem::replace(&mut self.has_answered, true) {
            self.tally.answered.fetch_add(1, Ordering::Relaxed);
            self.tally.ever_answered.fetch_add(1, Ordering::Relaxed);
            self.tally.room.notify_one();
        }
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        self.tally.open.fetch_sub(1, Ordering::Relaxed);
        self.tally.answered.fetch_sub(usize::from(self.has_answered), Ordering::Relaxed);
        self.tally.room.notify_one();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_counts_until_it_is_left() {
        let tally = Arc::new(Tally::default());
        let mut one = Place::new(Arc::clone(&tally));
        let two = Place::new(Arc::clone(&tally));
        one.handle_response();
        one.handle_response();
        assert_eq!((tally.open(), tally.answered()), (2, 1));
        drop(one);
        assert_eq!((tally.open(), tally.answered()), (1, 0));
        assert_eq!((tally.unanswered(), tally.ever_answered()), (1, 1));
        drop(two);
        assert_eq!((tally.open(), tally.answered()), (0, 0));
    }
}
