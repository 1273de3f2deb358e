//! The connections to one server, and the requests that wait for one.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use tokio::sync::Notify;
use tokio::time::Instant;

use super::connection::{Connection, Http1, Http2, Payload};
use super::lines::{Line, Lines};
use super::trust::Trust;

/// One server. See the [module](self).
pub(super) struct Server<B> {
    connections: Mutex<Connections<B>>,
    /// A connection has ended its rest, or there is one for all.
    freed: Notify,
    pub(super) trust: Arc<Trust>,
}

struct Connections<B> {
    lines: Lines<Http1<B>>,
    /// The one for all requests, and when it was used last.
    shared: Option<(Http2<B>, Instant)>,
}

impl<B: Payload> Server<B> {
    pub(super) fn new(may_rest: usize) -> Server<B> {
        let connections = Connections { lines: Lines::new(may_rest), shared: None };
        Server { connections: Mutex::new(connections), freed: Notify::new(), trust: Arc::default() }
    }

    /// A connection for a request, or `None` if it is to open one.
    pub(super) async fn connection(&self) -> Option<Connection<B>> {
        self.wait(|connections| match connections.shared() {
            Some(shared) => Some(Some(shared)),
            None => match connections.lines.poll(Http1::is_open) {
                Line::Idle(line) => Some(Some(Connection::Http1(line))),
                Line::New => Some(None),
                Line::Resting => None,
            },
        })
        .await
    }

    /// The first connection to be at hand.
    pub(super) async fn at_hand(&self) -> Connection<B> {
        self.wait(|connections| match connections.shared() {
            Some(shared) => Some(shared),
            None => connections.lines.take_idle(Http1::is_open).map(Connection::Http1),
        })
        .await
    }

    async fn wait<T>(&self, poll: impl Fn(&mut Connections<B>) -> Option<T>) -> T {
        loop {
            // Registered before the look: what is freed in between is not missed.
            let mut freed = std::pin::pin!(self.freed.notified());
            freed.as_mut().enable();
            if let Some(found) = poll(&mut self.lock()) {
                return found;
            }
            freed.await;
        }
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
        self.freed.notify_waiters();
        shared
    }

    /// A connection can be used by any request.
    pub(super) fn put(&self, connection: Connection<B>) {
        if let Connection::Http1(line) = connection {
            self.lock().lines.put(line, Instant::now());
            self.freed.notify_one();
        }
    }

    /// Drops what is closed, and what no request has needed for long.
    pub(super) fn sweep(&self, now: Instant) {
        let mut connections = self.lock();
        connections.lines.sweep(now, Http1::is_open);
        let is_needed = |since: Instant| now - since < super::lines::IDLE;
        connections.shared.take_if(|(shared, since)| !shared.is_open() || !is_needed(*since));
    }

    /// How many connections rest and are idle, and how many requests are in flight.
    #[cfg(test)]
    pub(super) fn counts(&self) -> (usize, usize, usize) {
        self.lock().lines.counts()
    }

    fn lock(&self) -> MutexGuard<'_, Connections<B>> {
        self.connections.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl<B: Payload> Connections<B> {
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
                tokio::time::sleep(rest).await;
                server.lock().lines.handle_rest_ended();
            }
            // If it was closed in its rest, a request that has waited for it opens another.
            server.put(Connection::Http1(line));
        });
    }
}

impl<B: Payload> Drop for InFlight<B> {
    fn drop(&mut self) {
        self.0.lock().lines.handle_request_ended();
    }
}
