//! Over which connection a request goes.
//!
//! [`Connections`] knows the connections to each server. HTTP/2 has one for all requests; with
//! HTTP/1.1, a request gets one that is idle, or opens one, whichever comes first. [`dial`] opens
//! them, and decides what may be requested; [`rest`] says why they are not used again at once.

mod connection;
pub(crate) mod dial;
mod lines;
mod patience;
mod rest;
mod send_error;
mod server;
mod tally;
#[cfg(test)]
mod tests;
pub(crate) mod transport;
mod trust;

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use connection::{Connection, Payload, Unanswered};
use dial::Dialer;
use http::uri::{Authority, Scheme};
use http::{Request, Response, Uri};
use hyper::body::Incoming;
pub(crate) use patience::Patience;
pub(crate) use send_error::SendError;
use server::{Found, InFlight, Server};
use tally::Place;
use tokio::time::Instant;
use trust::Trust;

use crate::failure;

/// How often connections that no request needs are looked for, if there are requests.
const SWEEP: Duration = Duration::from_secs(1);
/// How many connections may rest to a server on this machine: as many as requests may be in flight.
const NEAR: usize = 64;

/// The connections for requests with such bodies.
pub(crate) struct Connections<B> {
    dialer: Dialer,
    servers: Mutex<Servers<B>>,
}

struct Servers<B> {
    by_origin: HashMap<Origin, Arc<Server<B>>>,
    swept: Instant,
}

#[derive(PartialEq, Eq, Hash)]
struct Origin {
    scheme: Option<Scheme>,
    /// With the port, if there is one.
    authority: Option<Authority>,
}

impl<B: Payload> Connections<B> {
    pub(crate) fn new(dialer: Dialer) -> Connections<B> {
        let servers = Servers { by_origin: HashMap::new(), swept: Instant::now() };
        Connections { dialer, servers: Mutex::new(servers) }
    }

    /// Sends a request, and waits for the head of its response. To be called within Tokio.
    pub(crate) async fn request(
        &self,
        mut request: Request<B>,
        patience: &mut Patience,
    ) -> Result<Response<Incoming>, SendError> {
        let uri = request.uri().clone();
        let server = self.server(&uri);
        let in_flight = InFlight::new(Arc::clone(&server));
        let mut was_refused = false;
        loop {
            let found = patience.wait(server.connection()).await;
            let opened = patience.within(self.connection(&server, &uri, found)).await?;
            let mut connection = match opened {
                Err(SendError::Dial(failure)) if server.handle_refused(&failure) => {
                    was_refused = true;
                    continue;
                }
                found => found?,
            };
            let began = Instant::now();
            // Safe requests may be sent again (RFC 9110 §9.2.2).
            let is_first = connection.is_new() && request.method().is_safe();
            let again = is_first.then(|| request.clone());
            let sent = patience.within(server.send(&mut connection, request, &uri)).await?;
            let unanswered = match sent {
                Ok(response) => {
                    if was_refused {
                        server.handle_sent_again(true);
                    }
                    in_flight.handle_head(connection, began.elapsed());
                    return Ok(response);
                }
                Err(Unanswered { unsent: Some(unsent), .. }) => {
                    request = unsent;
                    continue;
                }
                Err(Unanswered { error, .. }) => error,
            };
            match again {
                Some(again) if server.handle_refused(&failure::of_request(&unanswered)) => {
                    was_refused = true;
                    request = again;
                }
                _ => {
                    if was_refused {
                        server.handle_sent_again(false);
                    }
                    return Err(SendError::Exchange(unanswered));
                }
            }
        }
    }

    /// Sends a request over a connection of its own, which this dialer opens.
    pub(crate) async fn request_alone(
        &self,
        dialer: &Dialer,
        request: Request<B>,
        patience: &mut Patience,
    ) -> Result<Response<Incoming>, SendError> {
        let server = self.server(request.uri());
        let again = request.method().is_safe().then(|| request.clone());
        match send_alone(dialer, &server, request, patience).await {
            // Once: it may be due to the URL.
            Err(error) => match again {
                Some(again) if server.handle_refused_alone(&error.to_failure()) => {
                    send_alone(dialer, &server, again, patience).await
                }
                _ => Err(error),
            },
            sent => sent,
        }
    }

    async fn connection(
        &self,
        server: &Arc<Server<B>>,
        uri: &Uri,
        found: Found<B>,
    ) -> Result<Connection<B>, SendError> {
        let place = match found {
            Found::Connection(connection) => return Ok(connection),
            Found::New(place) => place,
        };
        let trust = Arc::clone(&server.trust);
        let mut opening = Box::pin(open(self.dialer.clone(), uri.clone(), trust, Some(place)));
        tokio::select! {
            biased;
            connection = server.idle_connection() => {
                // The server may have accepted it by now: it is for a later request.
                let server = Arc::clone(server);
                tokio::spawn(async move {
                    if let Ok(opened) = opening.await {
                        server.handle_unused(opened);
                    }
                });
                Ok(connection)
            }
            opened = &mut opening => opened.map(|opened| server.handle_opened(opened)),
        }
    }

    fn server(&self, uri: &Uri) -> Arc<Server<B>> {
        let mut servers = self.servers.lock().unwrap_or_else(PoisonError::into_inner);
        let now = Instant::now();
        if now - servers.swept > SWEEP {
            servers.swept = now;
            servers.by_origin.values().for_each(|server| server.sweep(now));
        }
        let origin = Origin { scheme: uri.scheme().cloned(), authority: uri.authority().cloned() };
        let new = || Arc::new(Server::new(if dial::is_near(uri) { NEAR } else { 0 }));
        Arc::clone(servers.by_origin.entry(origin).or_insert_with(new))
    }
}

async fn send_alone<B: Payload>(
    dialer: &Dialer,
    server: &Arc<Server<B>>,
    request: Request<B>,
    patience: &mut Patience,
) -> Result<Response<Incoming>, SendError> {
    let uri = request.uri().clone();
    let mut place = patience.wait(server.place()).await;
    let opening = open(dialer.clone(), uri.clone(), Arc::clone(&server.trust), None);
    let mut connection = patience.within(opening).await??;
    let sent = patience.within(server.send(&mut connection, request, &uri)).await?;
    let mut response = sent.map_err(|unanswered| SendError::Exchange(unanswered.error))?;
    place.handle_response();
    // The place is taken until the body has been read, or dropped.
    response.extensions_mut().insert(Arc::new(place));
    Ok(response)
}

async fn open<B: Payload>(
    dialer: Dialer,
    uri: Uri,
    trust: Arc<Trust>,
    place: Option<Place>,
) -> Result<Connection<B>, SendError> {
    let transport = dialer.dial(&uri, Arc::clone(&trust)).await.map_err(SendError::Dial)?;
    Connection::begin(transport, trust, place).await.map_err(SendError::Exchange)
}
