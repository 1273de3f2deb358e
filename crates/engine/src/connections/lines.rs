//! The idle connections to one server, and whether another may be opened.
//!
//! A connection that rests holds up no request: another one is used, or opened. But each costs the
//! server something, and many servers have a fixed number of workers, each of which serves one
//! connection until that is closed. So for each request in flight one connection may rest, no more
//! wait for their first response than have had one, and a server that has shown how many it serves
//! gets no more until it is tried again.

use std::collections::VecDeque;
use std::sync::Arc;
use std::time::Duration;

use tokio::sync::oneshot;
use tokio::time::Instant;

use super::tally::{Place, Tally};

/// How long a connection is kept that no request needs: as long as many servers keep it.
pub(super) const IDLE: Duration = Duration::from_secs(5);
/// How many connections may wait for their first response before any has had one.
const FIRST: usize = 4;
/// How long a server gets no more connections than it served; twice as long each time.
const FIRST_HOLD: Duration = Duration::from_secs(10);
const LAST_HOLD: Duration = Duration::from_secs(160);
/// How many new connections in a row have to show that. One may have been slow by chance.
const SIGNS: u32 = 2;
/// How long a new connection waits for its first response before it might wait for another to be
/// closed: so many times as long as usual, and this long at least.
const LONG_FACTOR: u32 = 4;
const LONG: Duration = Duration::from_millis(500);

/// The connections to one server. See the [module](self).
#[derive(Debug)]
pub(super) struct Lines<L> {
    tally: Arc<Tally>,
    /// The one that was used last is at the end.
    idle: Vec<(L, Instant)>,
    resting: usize,
    /// New connections that may wait for another to be closed.
    held_up: VecDeque<oneshot::Sender<()>>,
    /// Requests that wait for a connection, or have one.
    in_flight: usize,
    /// How many may rest at least, whatever is in flight.
    may_rest: usize,
    /// How long the server takes to respond, on average.
    usual: Duration,
    signs: u32,
    limit: Option<Limit>,
    /// Whether it has refused a connection for being one too many.
    refuses_surplus: bool,
}

/// How many connections a server serves at a time.
#[derive(Debug)]
struct Limit {
    most: usize,
    /// When more are tried.
    until: Instant,
    hold: Duration,
}

/// Over which connection a request goes.
#[derive(Debug)]
pub(super) enum Line<L> {
    /// This one.
    Idle(L),
    /// A new one.
    New(Place),
    /// The next to be idle.
    Next,
}

impl<L> Lines<L> {
    pub(super) fn new(tally: Arc<Tally>, may_rest: usize) -> Lines<L> {
        Lines {
            tally,
            idle: Vec::new(),
            resting: 0,
            held_up: VecDeque::new(),
            in_flight: 0,
            may_rest,
            usual: Duration::ZERO,
            signs: 0,
            limit: None,
            refuses_surplus: false,
        }
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
        if !self.gives_way() {
            self.idle.push((line, now));
        }
    }

    /// A connection can be used that no request has needed: the server may not know of it yet, so
    /// the others come first.
    pub(super) fn put_unused(&mut self, line: L, now: Instant) {
        self.idle.insert(0, (line, now));
    }

    /// A new connection has waited for its first response longer than [patience](Self::patience).
    /// What is returned ends when another connection has been closed for it.
    pub(super) fn make_way(&mut self, is_open: impl Fn(&L) -> bool) -> oneshot::Receiver<()> {
        let (sender, closed) = oneshot::channel();
        self.held_up.push_back(sender);
        if self.take_idle(is_open).is_some() {
            self.gives_way();
        }
        closed
    }

    /// Whether a connection that is no longer in use is to be closed for one that is held up.
    fn gives_way(&mut self) -> bool {
        while let Some(held_up) = self.held_up.pop_front() {
            // It may have had its response by now.
            if held_up.send(()).is_ok() {
                return true;
            }
        }
        false
    }

    /// The server has responded after this time, without any help of ours.
    pub(super) fn handle_response(&mut self, took: Duration, is_first: bool) {
        self.usual = if self.usual.is_zero() { took } else { (self.usual * 7 + took) / 8 };
        if is_first {
            self.signs = 0;
        }
    }

    /// How long the first response on a new connection may take.
    pub(super) fn patience(&self) -> Duration {
        LONG.max(self.usual * LONG_FACTOR)
    }

    /// The server has responded on a new connection so soon after another was closed, as if that
    /// had held it up: it seems to serve no more than those on which it has responded.
    pub(super) fn handle_held_up(&mut self, since_closed: Duration, now: Instant) {
        if since_closed > self.patience() / 2 {
            return;
        }
        self.signs += 1;
        if self.signs < SIGNS {
            return;
        }
        self.limit_to(self.tally.answered().max(1), now);
    }

    /// A new connection was refused. Whether the server serves others: then it gets no more than
    /// those.
    pub(super) fn handle_refused(&mut self, now: Instant) -> bool {
        let served = self.tally.answered();
        if served > 0 {
            self.limit_to(served, now);
        }
        served > 0
    }

    /// What was refused on a new connection was sent over another. If that worked, the connection
    /// was one too many; otherwise, the request itself may be the reason, and limits nothing.
    pub(super) fn handle_sent_again(&mut self, has_response: bool) {
        self.refuses_surplus |= has_response;
        if !self.refuses_surplus {
            self.limit = None;
        }
    }

    pub(super) fn refuses_surplus(&self) -> bool {
        self.refuses_surplus
    }

    fn limit_to(&mut self, most: usize, now: Instant) {
        let hold = match &self.limit {
            None => FIRST_HOLD,
            Some(limit) if limit.most > most => (limit.hold * 2).min(LAST_HOLD),
            // It is known: this connection was opened before.
            Some(_) => return,
        };
        self.limit = Some(Limit { most, until: now + hold, hold });
    }

    /// The connection for a request that was counted already.
    pub(super) fn poll(&mut self, now: Instant, is_open: impl Fn(&L) -> bool) -> Line<L> {
        match self.take_idle(is_open) {
            Some(line) => Line::Idle(line),
            None if self.may_open(now) => Line::New(Place::new(Arc::clone(&self.tally))),
            None => Line::Next,
        }
    }

    fn may_open(&mut self, now: Instant) -> bool {
        let may_rest = self.in_flight.max(self.may_rest);
        let may_wait = self.tally.ever_answered().max(FIRST);
        self.has_room(now) && self.resting <= may_rest && self.tally.unanswered() < may_wait
    }

    /// Whether the server may serve another connection.
    fn has_room(&mut self, now: Instant) -> bool {
        let Some(limit) = &mut self.limit else { return true };
        if now >= limit.until {
            limit.most = limit.most.saturating_mul(2);
            limit.until = now + limit.hold;
        }
        self.tally.open() < limit.most
    }

    /// The place for a connection of one request, if there is room.
    pub(super) fn poll_alone(&mut self, now: Instant) -> Option<Place> {
        self.has_room(now).then(|| Place::alone(Arc::clone(&self.tally)))
    }

    /// An idle connection.
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

    fn lines(may_rest: usize) -> Lines<u32> {
        Lines::new(Arc::default(), may_rest)
    }

    /// The place of a new connection, if one may be opened.
    fn new_line(lines: &mut Lines<u32>) -> Option<Place> {
        match lines.poll(Instant::now(), OPEN) {
            Line::New(place) => Some(place),
            Line::Idle(_) | Line::Next => None,
        }
    }

    /// Opens as many connections as may be, on which the server then responds.
    fn answered(lines: &mut Lines<u32>) -> Vec<Place> {
        let mut places: Vec<Place> = std::iter::from_fn(|| new_line(lines)).collect();
        places.iter_mut().for_each(Place::handle_response);
        places
    }

    #[tokio::test(start_paused = true)]
    async fn the_connection_that_was_used_last_is_used_first_if_it_is_open() {
        let mut lines = lines(0);
        (1..=3).for_each(|line| lines.put(line, Instant::now()));
        let first = lines.poll(Instant::now(), |line| *line != 3);
        assert!(matches!(first, Line::Idle(2)), "3 is closed: {first:?}");
        lines.put_unused(4, Instant::now());
        assert_eq!(lines.take_idle(OPEN), Some(1));
        assert_eq!(lines.take_idle(OPEN), Some(4));
        assert_eq!(lines.take_idle(OPEN), None);
    }

    #[tokio::test(start_paused = true)]
    async fn one_connection_may_rest_for_each_request_in_flight() {
        let mut far = lines(0);
        far.handle_request();
        far.handle_rest();
        assert!(new_line(&mut far).is_some());
        far.handle_rest();
        assert!(new_line(&mut far).is_none());
        far.handle_request();
        assert!(new_line(&mut far).is_some(), "two are in flight");
        far.handle_request_ended();
        assert!(new_line(&mut far).is_none());
        far.handle_rest_ended();
        assert!(new_line(&mut far).is_some());

        let mut near = lines(64);
        (0..64).for_each(|_| near.handle_rest());
        assert!(new_line(&mut near).is_some());
        near.handle_rest();
        assert!(new_line(&mut near).is_none());
    }

    #[tokio::test(start_paused = true)]
    async fn no_more_wait_for_their_first_response_than_have_had_one() {
        let mut lines = lines(0);
        let first = answered(&mut lines);
        assert_eq!(first.len(), FIRST);
        let second = answered(&mut lines);
        assert_eq!(second.len(), FIRST);
        let mut third: Vec<Place> = std::iter::from_fn(|| new_line(&mut lines)).collect();
        assert_eq!(third.len(), FIRST * 2);
        drop(third.pop());
        third.extend(new_line(&mut lines));
        assert_eq!(third.len(), FIRST * 2, "one could not be opened, or was given up");
        drop((first, second));
        drop(third.pop());
        third.extend(new_line(&mut lines));
        assert_eq!(third.len(), FIRST * 2, "a server may close each after its response");
    }

    #[tokio::test(start_paused = true)]
    async fn a_server_gets_no_more_connections_than_it_serves_until_it_is_tried_again() {
        let mut lines = lines(0);
        let mut places = answered(&mut lines);
        let mut hold = FIRST_HOLD;
        for _ in 0..6 {
            let tried: Vec<Place> = std::iter::from_fn(|| new_line(&mut lines)).collect();
            assert_eq!(tried.len(), FIRST);
            for mut held_up in tried {
                drop(places.pop());
                held_up.handle_response();
                places.insert(0, held_up);
                lines.handle_held_up(LONG / 4, Instant::now());
            }
            assert!(new_line(&mut lines).is_none(), "it serves {FIRST}");
            tokio::time::advance(hold - Duration::from_millis(1)).await;
            assert!(new_line(&mut lines).is_none(), "{hold:?}");
            tokio::time::advance(Duration::from_millis(1)).await;
            hold = (hold * 2).min(LAST_HOLD);
        }
        let more = answered(&mut lines);
        assert_eq!(more.len(), FIRST, "twice as many");
        assert!(new_line(&mut lines).is_none());
        tokio::time::advance(hold).await;
        assert!(new_line(&mut lines).is_some());
        for _ in 0..100 {
            tokio::time::advance(LAST_HOLD).await;
            assert!(lines.poll_alone(Instant::now()).is_some(), "after hours as well");
        }
    }

    #[tokio::test(start_paused = true)]
    async fn a_server_that_refuses_connections_gets_no_more_than_it_serves() {
        let mut lines = lines(0);
        assert!(!lines.handle_refused(Instant::now()), "it serves none");
        let served = answered(&mut lines);
        assert!(lines.handle_refused(Instant::now()));
        assert!(new_line(&mut lines).is_none());
        tokio::time::advance(FIRST_HOLD).await;
        assert!(new_line(&mut lines).is_some());
        assert!(lines.poll_alone(Instant::now()).is_some());
        let more = answered(&mut lines);
        assert!(lines.poll_alone(Instant::now()).is_none());
        drop((served, more));
        assert!(new_line(&mut lines).is_some(), "it may serve another instead");
    }

    #[tokio::test(start_paused = true)]
    async fn a_request_that_is_always_refused_limits_nothing() {
        let mut lines = lines(0);
        let _served = answered(&mut lines);
        assert!(lines.handle_refused(Instant::now()));
        lines.handle_sent_again(false);
        assert!(new_line(&mut lines).is_some() && !lines.refuses_surplus());
        assert!(lines.handle_refused(Instant::now()));
        lines.handle_sent_again(true);
        assert!(new_line(&mut lines).is_none() && lines.refuses_surplus());
        lines.handle_sent_again(false);
        assert!(new_line(&mut lines).is_none(), "it has shown that it serves no more");
    }

    #[tokio::test(start_paused = true)]
    async fn connections_give_way_to_those_that_are_held_up_before_any_request() {
        let mut lines = lines(0);
        (1..=2).for_each(|line| lines.put(line, Instant::now()));
        let mut first = lines.make_way(OPEN);
        assert_eq!(first.try_recv(), Ok(()), "an idle one is closed");
        let mut second = lines.make_way(OPEN);
        assert_eq!(second.try_recv(), Ok(()));
        let (answered, mut third, mut fourth) =
            (lines.make_way(OPEN), lines.make_way(OPEN), lines.make_way(OPEN));
        drop(answered);
        lines.put(3, Instant::now());
        assert_eq!(third.try_recv(), Ok(()));
        assert!(fourth.try_recv().is_err());
        assert!(matches!(lines.poll(Instant::now(), OPEN), Line::New(_)), "none is idle");
        assert!(lines.gives_way());
        assert_eq!(fourth.try_recv(), Ok(()));
        assert!(!lines.gives_way());
    }

    #[tokio::test(start_paused = true)]
    async fn a_response_that_was_slow_by_chance_limits_nothing() {
        let held_up = |times: u32, since_closed, in_between| {
            let mut lines = lines(0);
            let _places = answered(&mut lines);
            lines.handle_response(Duration::from_millis(200), true);
            for _ in 0..times {
                lines.handle_held_up(since_closed, Instant::now());
                if in_between {
                    lines.handle_response(Duration::from_millis(200), true);
                }
            }
            new_line(&mut lines).is_none()
        };
        let soon = Duration::from_millis(400);
        assert!(held_up(SIGNS, soon, false), "twice as long as usual");
        assert!(!held_up(SIGNS - 1, soon, false));
        assert!(!held_up(SIGNS, soon + Duration::from_millis(1), false), "too late");
        assert!(!held_up(SIGNS * 2, soon, true), "another was in time");
    }

    #[test]
    fn a_first_response_may_take_four_times_as_long_as_usual() {
        let mut lines = lines(0);
        assert_eq!(lines.patience(), LONG);
        lines.handle_response(Duration::from_millis(1000), true);
        assert_eq!(lines.patience(), Duration::from_secs(4));
        (0..100).for_each(|_| lines.handle_response(Duration::from_millis(200), false));
        assert_eq!(lines.patience().as_millis(), 800);
    }

    #[tokio::test(start_paused = true)]
    async fn what_is_closed_or_not_needed_is_dropped() {
        let mut lines = lines(0);
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
