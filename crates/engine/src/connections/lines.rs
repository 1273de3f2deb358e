//! The connections to one server that are at hand, and whether another may be opened.
//!
//! A connection that rests holds up no request: another one is used, or opened. But each costs the
//! server something, so for each request in flight one connection may rest.

use std::time::Duration;

use tokio::time::Instant;

/// How long a connection is kept that no request needs.
pub(super) const IDLE: Duration = Duration::from_secs(20);

/// The connections to one server. See the [module](self).
#[derive(Debug)]
pub(super) struct Lines<L> {
    /// Those at hand, the one that was used last at the end.
    idle: Vec<(L, Instant)>,
    resting: usize,
    /// Requests that wait for a connection, or have one.
    in_flight: usize,
    /// How many may rest at least, whatever is in flight.
    may_rest: usize,
}

/// Over which connection a request goes.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Line<L> {
    /// This one.
    Idle(L),
    /// A new one.
    New,
    /// One that rests.
    Resting,
}

impl<L> Lines<L> {
    pub(super) fn new(may_rest: usize) -> Lines<L> {
        Lines { idle: Vec::new(), resting: 0, in_flight: 0, may_rest }
    }

    pub(super) fn handle_request(&mut self) {
        self.in_flight += 1;
    }

    /// A request has ended, with its response or without.
    pub(super) fn handle_request_ended(&mut self) {
        self.in_flight -= 1;
    }

    pub(super) fn handle_rest(&mut self) {
        self.resting += 1;
    }

    pub(super) fn handle_rest_ended(&mut self) {
        self.resting -= 1;
    }

    /// A connection can be used again.
    pub(super) fn put(&mut self, line: L, now: Instant) {
        self.idle.push((line, now));
    }

    /// The connection for a request that was counted already.
    pub(super) fn poll(&mut self, is_open: impl Fn(&L) -> bool) -> Line<L> {
        match self.take_idle(is_open) {
            Some(line) => Line::Idle(line),
            None if self.resting <= self.in_flight.max(self.may_rest) => Line::New,
            None => Line::Resting,
        }
    }

    /// A connection that is at hand.
    pub(super) fn take_idle(&mut self, is_open: impl Fn(&L) -> bool) -> Option<L> {
        while let Some((line, _)) = self.idle.pop() {
            if is_open(&line) {
                return Some(line);
            }
        }
        None
    }

    #[cfg(test)]
    pub(super) fn counts(&self) -> (usize, usize, usize) {
        (self.resting, self.idle.len(), self.in_flight)
    }

    /// Drops what is closed, and what no request has needed for long.
    pub(super) fn sweep(&mut self, now: Instant, is_open: impl Fn(&L) -> bool) {
        self.idle.retain(|(line, since)| is_open(line) && now - *since < IDLE);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const OPEN: fn(&u32) -> bool = |_| true;

    #[tokio::test(start_paused = true)]
    async fn the_connection_that_was_used_last_is_used_first_if_it_is_open() {
        let mut lines = Lines::new(0);
        (1..=3).for_each(|line| lines.put(line, Instant::now()));
        assert_eq!(lines.poll(|line| *line != 3), Line::Idle(2), "3 is closed");
        assert_eq!(lines.take_idle(OPEN), Some(1));
        assert_eq!(lines.take_idle(OPEN), None);
    }

    #[test]
    fn one_connection_may_rest_for_each_request_in_flight() {
        let mut lines: Lines<u32> = Lines::new(0);
        lines.handle_request();
        assert_eq!(lines.poll(OPEN), Line::New);
        lines.handle_rest();
        assert_eq!(lines.poll(OPEN), Line::New);
        lines.handle_rest();
        assert_eq!(lines.poll(OPEN), Line::Resting);
        lines.handle_request();
        assert_eq!(lines.poll(OPEN), Line::New, "two are in flight");
        lines.handle_request_ended();
        assert_eq!(lines.poll(OPEN), Line::Resting);
        lines.handle_rest_ended();
        assert_eq!(lines.poll(OPEN), Line::New);

        let mut near: Lines<u32> = Lines::new(64);
        (0..64).for_each(|_| near.handle_rest());
        assert_eq!(near.poll(OPEN), Line::New);
        near.handle_rest();
        assert_eq!(near.poll(OPEN), Line::Resting);
    }

    #[tokio::test(start_paused = true)]
    async fn what_is_closed_or_not_needed_is_dropped() {
        let mut lines = Lines::new(0);
        lines.put(1, Instant::now());
        tokio::time::advance(IDLE / 2).await;
        lines.put(2, Instant::now());
        lines.put(3, Instant::now());
        tokio::time::advance(IDLE / 2).await;
        lines.sweep(Instant::now(), |line| *line != 3);
        assert_eq!(lines.take_idle(OPEN), Some(2));
        assert_eq!(lines.take_idle(OPEN), None);
    }
}
