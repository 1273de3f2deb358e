//! One connection that speaks HTTP.

use std::sync::Arc;
use std::time::Duration;

use http::uri::PathAndQuery;
use http::{HeaderValue, Request, Response, Uri, header};
use http_body::Body;
use hyper::body::Incoming;
use hyper::client::conn::{http1, http2};
use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};

use super::rest::Rests;
use super::tally::Place;
use super::transport::{CertificateEnd, Silence, Transport};
use super::trust::Trust;

/// Headers are read as leniently as in browsers, up to this many fields and bytes.
const MOST_FIELDS: usize = 400;
const LONGEST_HEAD: usize = 256 * 1024;

/// A connection.
pub(super) enum Connection<B> {
    /// For one request at a time.
    Http1(Http1<B>),
    /// For many.
    Http2(Http2<B>),
}

pub(super) struct Http1<B> {
    sender: http1::SendRequest<B>,
    silence: Arc<Silence>,
    rests: Rests,
    is_proxied: bool,
    is_used: bool,
    /// `None` for a connection of one request.
    place: Option<Place>,
    certificate_end: Option<CertificateEnd>,
}

pub(super) struct Http2<B> {
    sender: http2::SendRequest<B>,
    is_used: bool,
    certificate_end: Option<CertificateEnd>,
}

/// A request that got no response.
pub(super) struct Unanswered<B> {
    pub(super) error: hyper::Error,
    /// The request, if none of it was sent over a connection that had been used before, which the
    /// server may have closed meanwhile: it can go over another one.
    pub(super) unsent: Option<Request<B>>,
}

/// What a body is for requests.
pub(crate) trait Payload:
    Body<Data: Send, Error: Into<Box<dyn std::error::Error + Send + Sync>>>
    + Clone
    + Send
    + Unpin
    + 'static
{
}

impl<B> Payload for B where
    B: Body<Data: Send, Error: Into<Box<dyn std::error::Error + Send + Sync>>>
        + Clone
        + Send
        + Unpin
        + 'static
{
}

impl<B: Payload> Connection<B> {
    /// Begins to speak HTTP, in the version that was agreed on.
    pub(super) async fn begin(
        transport: Transport,
        trust: Arc<Trust>,
        place: Option<Place>,
    ) -> Result<Connection<B>, hyper::Error> {
        let certificate_end = transport.certificate_end();
        if transport.is_http2() {
            let (sender, connection) = http2::Builder::new(TokioExecutor::new())
                .timer(TokioTimer::new())
                .max_header_list_size(LONGEST_HEAD as u32)
                .handshake(TokioIo::new(transport))
                .await?;
            tokio::spawn(connection);
            return Ok(Connection::Http2(Http2 { sender, is_used: false, certificate_end }));
        }
        let (silence, is_proxied) = (transport.silence(), transport.is_proxied());
        let (sender, connection) = http1::Builder::new()
            .allow_spaces_after_header_name_in_responses(true)
            .allow_obsolete_multiline_headers_in_responses(true)
            .ignore_invalid_headers_in_responses(true)
            .max_headers(MOST_FIELDS)
            .max_buf_size(LONGEST_HEAD)
            .handshake(TokioIo::new(transport))
            .await?;
        tokio::spawn(connection);
        Ok(Connection::Http1(Http1 {
            sender,
            silence,
            rests: Rests::new(trust),
            is_proxied,
            is_used: false,
            place,
            certificate_end,
        }))
    }

    /// Whether no request has gone over it.
    pub(super) fn is_new(&self) -> bool {
        match self {
            Connection::Http1(connection) => !connection.is_used,
            Connection::Http2(connection) => !connection.is_used,
        }
    }

    /// Sends a request to a URI, and waits for the head of its response.
    pub(super) async fn send(
        &mut self,
        request: Request<B>,
        uri: &Uri,
    ) -> Result<Response<Incoming>, Unanswered<B>> {
        match self {
            Connection::Http1(connection) => connection.send(request, uri).await,
            Connection::Http2(connection) => connection.send(request).await,
        }
    }
}

impl<B: Payload> Http1<B> {
    pub(super) fn is_open(&self) -> bool {
        !self.sender.is_closed()
    }

    async fn send(
        &mut self,
        mut request: Request<B>,
        uri: &Uri,
    ) -> Result<Response<Incoming>, Unanswered<B>> {
        request.headers_mut().entry(header::HOST).or_insert_with(|| host(uri));
        *request.uri_mut() = if self.is_proxied { uri.clone() } else { origin_form(uri) };
        let was_used = std::mem::replace(&mut self.is_used, true);
        match self.sender.try_send_request(request).await {
            Ok(response) => {
                self.place.iter_mut().for_each(Place::handle_response);
                Ok(with(self.certificate_end, response))
            }
            Err(mut error) => {
                let unsent = error.take_message().filter(|_| was_used);
                Err(Unanswered { error: error.into_error(), unsent })
            }
        }
    }

    /// Waits until the response has been received. Returns whether another request can be sent,
    /// and how long after.
    pub(super) async fn handle_response(&mut self, took: Duration) -> Option<Duration> {
        self.sender.ready().await.ok()?;
        self.silence.begin();
        Some(self.rests.next(took).unwrap_or_default())
    }
}

impl<B: Payload> Http2<B> {
    /// The same connection for another request.
    pub(super) fn share(&self) -> Http2<B> {
        Http2 { sender: self.sender.clone(), is_used: true, ..*self }
    }

    pub(super) fn is_open(&self) -> bool {
        !self.sender.is_closed()
    }

    async fn send(&mut self, request: Request<B>) -> Result<Response<Incoming>, Unanswered<B>> {
        match self.sender.try_send_request(request).await {
            Ok(response) => Ok(with(self.certificate_end, response)),
            Err(mut error) => {
                let unsent = error.take_message().filter(|_| self.is_used);
                Err(Unanswered { error: error.into_error(), unsent })
            }
        }
    }
}

fn with(end: Option<CertificateEnd>, mut response: Response<Incoming>) -> Response<Incoming> {
    if let Some(end) = end {
        response.extensions_mut().insert(end);
    }
    response
}

/// The `Host` header (RFC 9110 §7.2): without a port if that is the scheme's own.
fn host(uri: &Uri) -> HeaderValue {
    let host = uri.host().unwrap_or_default();
    let own = if uri.scheme_str() == Some("https") { 443 } else { 80 };
    let value = match uri.port_u16().filter(|port| *port != own) {
        Some(port) => HeaderValue::from_str(&format!("{host}:{port}")),
        None => HeaderValue::from_str(host),
    };
    value.expect("the host of a URI has no control characters")
}

/// Path and query only (RFC 9112 §3.2.1).
fn origin_form(uri: &Uri) -> Uri {
    let path = uri.path_and_query().cloned();
    Uri::from(path.unwrap_or_else(|| PathAndQuery::from_static("/")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_host_header_has_a_port_if_it_is_not_the_schemes_own() {
        let of = |uri| host(&Uri::from_static(uri));
        assert_eq!(of("http://a.test/x"), "a.test");
        assert_eq!(of("http://a.test:80/x"), "a.test");
        assert_eq!(of("http://a.test:443/x"), "a.test:443");
        assert_eq!(of("https://a.test:443/x"), "a.test");
        assert_eq!(of("https://[::1]:8443/x"), "[::1]:8443");
    }

    #[test]
    fn a_server_is_given_path_and_query() {
        let of = |uri| origin_form(&Uri::from_static(uri));
        assert_eq!(of("http://a.test/x?y=1"), "/x?y=1");
        assert_eq!(of("http://a.test/"), "/");
        assert_eq!(of("http://a.test"), "/");
        assert_eq!(of("http://a.test?y"), "/?y");
    }
}
