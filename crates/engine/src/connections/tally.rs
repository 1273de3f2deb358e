//! How many connections to a server are open, and how many of them it has responded on.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use tokio::sync::Notify;

/// The connections to one server. See the [module](self).
#[derive(Debug, Default)]
pub(super) struct Tally {
    open: AtomicUsize,
    unanswered: AtomicUsize,
    answered: AtomicUsize,
    ever_answered: AtomicUsize,
    /// Another connection may be opened.
    pub(super) room: Notify,
}

/// The place of a connection, from before it is opened until it is closed.
#[derive(Debug)]
pub(super) struct Place {
    tally: Arc<Tally>,
    state: State,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    /// It waits for its first response.
    Unanswered,
    /// The same, for one request that others need not wait for.
    Alone,
    Answered,
}

impl Tally {
    /// Connections, with those that are being opened.
    pub(super) fn open(&self) -> usize {
        self.open.load(Ordering::Relaxed)
    }

    /// Those without a response so far, except connections of one request.
    pub(super) fn unanswered(&self) -> usize {
        self.unanswered.load(Ordering::Relaxed)
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
        tally.unanswered.fetch_add(1, Ordering::Relaxed);
        tally.open.fetch_add(1, Ordering::Relaxed);
        Place { tally, state: State::Unanswered }
    }

    /// For a connection of one request, which may take long.
    pub(super) fn alone(tally: Arc<Tally>) -> Place {
        tally.open.fetch_add(1, Ordering::Relaxed);
        Place { tally, state: State::Alone }
    }

    /// A response has begun.
    pub(super) fn handle_response(&mut self) {
        if self.state != State::Answered {
            self.leave_state();
            self.state = State::Answered;
            self.tally.answered.fetch_add(1, Ordering::Relaxed);
            self.tally.ever_answered.fetch_add(1, Ordering::Relaxed);
            self.tally.room.notify_one();
        }
    }

    fn leave_state(&self) {
        match self.state {
            State::Unanswered => self.tally.unanswered.fetch_sub(1, Ordering::Relaxed),
            State::Answered => self.tally.answered.fetch_sub(1, Ordering::Relaxed),
            State::Alone => 0,
        };
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        self.leave_state();
        self.tally.open.fetch_sub(1, Ordering::Relaxed);
        self.tally.room.notify_one();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_counts_until_it_is_left() {
        let tally = Arc::new(Tally::default());
        let counts = || (tally.open(), tally.unanswered(), tally.answered(), tally.ever_answered());
        let mut one = Place::new(Arc::clone(&tally));
        let two = Place::new(Arc::clone(&tally));
        let mut alone = Place::alone(Arc::clone(&tally));
        assert_eq!(counts(), (3, 2, 0, 0));
        one.handle_response();
        one.handle_response();
        assert_eq!(counts(), (3, 1, 1, 1));
        drop(one);
        assert_eq!(counts(), (2, 1, 0, 1));
        alone.handle_response();
        assert_eq!(counts(), (2, 1, 1, 2));
        drop((two, alone));
        assert_eq!(counts(), (0, 0, 0, 2));
    }
}
