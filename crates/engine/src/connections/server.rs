//! The connections to one server, and the requests that wait for one.

use std::pin::pin;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use http::{Request, Response, Uri};
use hyper::body::Incoming;
use rummage_core::evidence::{Failure, Stage};
use tokio::sync::Notify;
use tokio::time::{Instant, sleep};

use super::connection::{Connection, Http1, Http2, Payload, Unanswered};
use super::lines::{IDLE, Line, Lines};
use super::tally::{Place, Tally};
use super::trust::Trust;

/// How often a request that waits looks for room: the time until a server is tried again ends
/// without news.
const LOOK: Duration = Duration::from_secs(1);

/// How long a server has to notice that a connection was closed.
const NOTICE: Duration = Duration::from_millis(50);

/// One server. See the [module](self).
pub(super) struct Server<B> {
    connections: Mutex<Connections<B>>,
    tally: Arc<Tally>,
    /// A connection is idle.
    idle: Notify,
    pub(super) trust: Arc<Trust>,
}

struct Connections<B> {
    lines: Lines<Http1<B>>,
    /// The one for all requests, and when it was used last.
    shared: Option<(Http2<B>, Instant)>,
}

/// Over which connection a request goes.
pub(super) enum Found<B> {
    /// This one.
    Connection(Connection<B>),
    /// A new one.
    New(Place),
}

impl<B: Payload> Server<B> {
    pub(super) fn new(may_rest: usize) -> Server<B> {
        let tally = Arc::new(Tally::default());
        let lines = Lines::new(Arc::clone(&tally), may_rest);
        let connections = Mutex::new(Connections { lines, shared: None });
        Server { connections, tally, idle: Notify::new(), trust: Arc::default() }
    }

    /// The connection for a request, as soon as there is one or it may open one.
    pub(super) async fn connection(&self) -> Found<B> {
        loop {
            // Registered before the look: what happens in between is not missed.
            let (mut idle, mut room) =
                (pin!(self.idle.notified()), pin!(self.tally.room.notified()));
            idle.as_mut().enable();
            room.as_mut().enable();
            match self.lock().poll() {
                Some(Found::New(place)) => {
                    // There may be room for one more.
                    self.tally.room.notify_one();
                    return Found::New(place);
                }
                Some(found) => return found,
                None => {}
            }
            tokio::select! {
                () = idle => {}
                () = room => {}
                () = sleep(LOOK) => {}
            }
        }
    }

    /// The place for a connection of one request. If the server serves no more, the next that is not
    /// in use is closed.
    pub(super) async fn place(&self) -> Place {
        let mut has_waited = false;
        loop {
            let mut room = pin!(self.tally.room.notified());
            room.as_mut().enable();
            let found = self.lock().lines.poll_alone(Instant::now());
            if let Some(place) = found {
                if has_waited {
                    sleep(NOTICE).await;
                }
                return place;
            }
            has_waited = true;
            let _closed = self.lock().lines.make_way(Http1::is_open);
            tokio::select! {
                () = room => {}
                () = sleep(LOOK) => {}
            }
        }
    }

    /// The first connection to be idle.
    pub(super) async fn idle_connection(&self) -> Connection<B> {
        loop {
            let mut idle = pin!(self.idle.notified());
            idle.as_mut().enable();
            if let Some(connection) = self.lock().idle_connection() {
                return connection;
            }
            idle.await;
        }
    }

    /// Sends a request, and waits for the head of its response. If there is none for long over a
    /// new connection, others that are not in use are closed: the server may have a worker for each
    /// connection, and none for this one.
    pub(super) async fn send(
        &self,
        connection: &mut Connection<B>,
        request: Request<B>,
        uri: &Uri,
    ) -> Result<Response<Incoming>, Unanswered<B>> {
        let (began, is_first) = (Instant::now(), connection.is_new());
        let mut sending = pin!(connection.send(request, uri));
        let (mut closed, mut factor) = (None, 1);
        let sent = loop {
            tokio::select! {
                biased;
                sent = &mut sending => break sent,
                () = self.make_way(closed.unwrap_or(began), factor), if is_first => {
                    closed = Some(Instant::now());
                    // It is more and more likely that the URL itself is slow.
                    factor *= 2;
                }
            }
        };
        if sent.is_ok() {
            let lines = &mut self.lock().lines;
            match closed {
                None => lines.handle_response(began.elapsed(), is_first),
                Some(closed) => lines.handle_held_up(closed.elapsed(), Instant::now()),
            }
        }
        sent
    }

    /// Closes a connection, once a new one has waited for its first response for long since this
    /// moment, or so many times as long.
    async fn make_way(&self, since: Instant, factor: u32) {
        // What is usual may change meanwhile.
        while let Some(left) = self.patience_left(since, factor) {
            sleep(left).await;
        }
        let closed = self.lock().lines.make_way(Http1::is_open);
        // The other end is kept until it is used.
        let _ = closed.await;
    }

    fn patience_left(&self, since: Instant, factor: u32) -> Option<Duration> {
        let patience = self.lock().lines.patience().saturating_mul(factor);
        let left = patience.checked_sub(since.elapsed())?;
        Some(left).filter(|left| !left.is_zero())
    }

    /// A new connection was refused, or closed before its first response. Whether the server serves
    /// others, one of which is to be used instead.
    pub(super) fn handle_refused(&self, failure: &Failure) -> bool {
        may_be_surplus(failure) && self.lock().lines.handle_refused(Instant::now())
    }

    /// The same for a connection of one request: whether another is to be closed for it.
    pub(super) fn handle_refused_alone(&self, failure: &Failure) -> bool {
        self.lock().lines.refuses_surplus() && self.handle_refused(failure)
    }

    /// What was refused was sent over another connection.
    pub(super) fn handle_sent_again(&self, has_response: bool) {
        self.lock().lines.handle_sent_again(has_response);
    }

    /// A connection was opened. Returns the one to be used: if there is one for all by now, that.
    pub(super) fn handle_opened(&self, connection: Connection<B>) -> Connection<B> {
        let Connection::Http2(opened) = connection else { return connection };
        let mut connections = self.lock();
        let shared = connections.shared().unwrap_or_else(|| {
            connections.shared = Some((opened.share(), Instant::now()));
            Connection::Http2(opened)
        });
        drop(connections);
        self.idle.notify_waiters();
        shared
    }

    /// A connection was opened that no request needs.
    pub(super) fn handle_unused(&self, connection: Connection<B>) {
        if let Connection::Http1(line) = self.handle_opened(connection) {
            self.lock().lines.put_unused(line, Instant::now());
            self.idle.notify_one();
        }
    }

    /// Drops what is closed, and what no request has needed for long.
    pub(super) fn sweep(&self, now: Instant) {
        let mut connections = self.lock();
        connections.lines.sweep(now, Http1::is_open);
        let is_needed = |since: Instant| now - since < IDLE;
        connections.shared.take_if(|(shared, since)| !shared.is_open() || !is_needed(*since));
    }

    /// How many connections rest and are idle, and how many requests are in flight.
    #[cfg(test)]
    pub(super) fn counts(&self) -> (usize, usize, usize) {
        self.lock().lines.counts()
    }

    #[cfg(test)]
    pub(super) fn tally(&self) -> &Tally {
        &self.tally
    }

    fn lock(&self) -> MutexGuard<'_, Connections<B>> {
        self.connections.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Whether a new connection may have failed because it was one too many.
fn may_be_surplus(failure: &Failure) -> bool {
    matches!(failure, Failure::Refused | Failure::Reset | Failure::Timeout(Stage::Connect))
}

impl<B: Payload> Connections<B> {
    fn poll(&mut self) -> Option<Found<B>> {
        if let Some(shared) = self.shared() {
            return Some(Found::Connection(shared));
        }
        match self.lines.poll(Instant::now(), Http1::is_open) {
            Line::Idle(line) => Some(Found::Connection(Connection::Http1(line))),
            Line::New(place) => Some(Found::New(place)),
            Line::Next => None,
        }
    }

    fn idle_connection(&mut self) -> Option<Connection<B>> {
        let idle = |lines: &mut Lines<Http1<B>>| lines.take_idle(Http1::is_open);
        self.shared().or_else(|| idle(&mut self.lines).map(Connection::Http1))
    }

    fn shared(&mut self) -> Option<Connection<B>> {
        let (shared, since) = self.shared.as_mut().filter(|(shared, _)| shared.is_open())?;
        *since = Instant::now();
        Some(Connection::Http2(shared.share()))
    }
}

/// A request to a server, from when it needs a connection until that is free again.
pub(super) struct InFlight<B: Payload>(Arc<Server<B>>);

impl<B: Payload> InFlight<B> {
    pub(super) fn new(server: Arc<Server<B>>) -> InFlight<B> {
        server.lock().lines.handle_request();
        InFlight(server)
    }

    /// The head of the response has arrived after this time. The connection can be used again when
    /// its body has too, and after a rest.
    pub(super) fn handle_head(self, connection: Connection<B>, took: Duration) {
        let Connection::Http1(mut line) = connection else { return };
        tokio::spawn(async move {
            let rest = line.handle_response(took).await;
            let server = Arc::clone(&self.0);
            drop(self);
            let Some(rest) = rest else { return };
            if !rest.is_zero() {
                server.lock().lines.handle_rest();
                sleep(rest).await;
                server.lock().lines.handle_rest_ended();
            }
            // If it was closed in its rest, a request that has waited for it opens another.
            server.lock().lines.put(line, Instant::now());
            server.idle.notify_one();
        });
    }
}

impl<B: Payload> Drop for InFlight<B> {
    fn drop(&mut self) {
        self.0.lock().lines.handle_request_ended();
    }
}
