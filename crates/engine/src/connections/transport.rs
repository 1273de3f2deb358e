//! A connection, with TLS or without, on which only responses to requests arrive.
//!
//! HTTP/1.1 matches responses to requests by their order (RFC 9112 §9.2). A server that sends a
//! response too many would shift all later ones by one: a missing page would pass for the page
//! before it. So a connection rests before each of its first requests but one. Bytes that arrive
//! meanwhile belong to no request: the connection ends, and the request goes over another one. From
//! then on, all connections to that server rest before each request.

use std::future::Future as _;
use std::io;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, ready};
use std::time::{Duration, SystemTime};

use hyper_util::client::legacy::connect::{Connected, Connection};
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio::net::TcpStream;
use tokio::time::{Instant, Sleep, sleep_until};
use tokio_rustls::client::TlsStream;

use crate::connections::trust::Trust;
use crate::tls;

/// How many times a connection rests at most, unless bytes have arrived in a rest.
const RESTS: u32 = 8;
/// A rest is as long as the server took to respond, within these limits. With a shorter one, a fast
/// server whose second response came 10 ms later made broken links pass for sound. After a response
/// too many, it is the longest.
const SHORTEST_REST: Duration = Duration::from_millis(20);
const LONGEST_REST: Duration = Duration::from_millis(50);

/// A connection.
pub(crate) struct Transport {
    line: Line,
    /// `None` for HTTP/2, whose frames name their request.
    turns: Option<Turns>,
    /// When the certificate of the server ends.
    certificate_end: Option<CertificateEnd>,
}

/// When the certificate of a server ends, for the responses on its connections.
#[derive(Debug, Clone, Copy)]
pub(crate) struct CertificateEnd(pub(crate) SystemTime);

enum Line {
    Plain(TcpStream),
    /// To a proxy, for plain requests.
    Proxied(TcpStream),
    Secure(Box<TlsStream<TcpStream>>),
}

/// Whose turn it is to send.
struct Turns {
    turn: Turn,
    rests: u32,
    trust: Arc<Trust>,
}

enum Turn {
    /// The client's: this is when its request began.
    Request { since: Instant },
    /// The server's: its last bytes came at this moment, and the first after this time.
    Response { last: Instant, took: Duration },
    /// Neither's, until the rest is over.
    Rest(Pin<Box<Sleep>>),
}

impl Transport {
    pub(crate) fn plain(stream: TcpStream, trust: Arc<Trust>) -> Transport {
        let turns = Some(Turns::new(trust));
        Transport { line: Line::Plain(stream), turns, certificate_end: None }
    }

    /// To a proxy, for plain requests.
    pub(crate) fn proxied(stream: TcpStream, trust: Arc<Trust>) -> Transport {
        let turns = Some(Turns::new(trust));
        Transport { line: Line::Proxied(stream), turns, certificate_end: None }
    }

    pub(crate) fn secure(stream: TlsStream<TcpStream>, trust: Arc<Trust>) -> Transport {
        let is_http2 = stream.get_ref().1.alpn_protocol() == Some(b"h2");
        let turns = (!is_http2).then(|| Turns::new(trust));
        let certificates = stream.get_ref().1.peer_certificates();
        let own = certificates.and_then(|certificates| certificates.first());
        let certificate_end = own.and_then(tls::end_of).map(CertificateEnd);
        Transport { line: Line::Secure(Box::new(stream)), turns, certificate_end }
    }
}

impl Turns {
    fn new(trust: Arc<Trust>) -> Turns {
        Turns { turn: Turn::Request { since: Instant::now() }, rests: RESTS, trust }
    }

    /// How long the connection rests before a request, after a response that took this long.
    fn next_rest(&mut self, took: Duration) -> Option<Duration> {
        if self.trust.is_lost() {
            return Some(LONGEST_REST);
        }
        self.rests = self.rests.checked_sub(1)?;
        Some(took.clamp(SHORTEST_REST, LONGEST_REST))
    }

    /// Bytes have arrived.
    fn handle_bytes(&mut self) -> io::Result<()> {
        let now = Instant::now();
        match &mut self.turn {
            Turn::Request { since } => {
                self.turn = Turn::Response { last: now, took: now - *since };
            }
            Turn::Response { last, .. } => *last = now,
            Turn::Rest(_) => {
                self.trust.handle_stray_bytes();
                let why = "the server sent bytes that belong to no request";
                return Err(io::Error::new(io::ErrorKind::ConnectionReset, why));
            }
        }
        Ok(())
    }

    /// Whether a request may be sent. HTTP/1.1 clients start one when the response before it is
    /// complete.
    fn poll_request(&mut self, context: &mut Context<'_>) -> Poll<()> {
        if let Turn::Response { last, took } = self.turn {
            self.turn = match self.next_rest(took) {
                Some(rest) => Turn::Rest(Box::pin(sleep_until(last + rest))),
                None => Turn::Request { since: Instant::now() },
            };
        }
        if let Turn::Rest(sleep) = &mut self.turn {
            ready!(sleep.as_mut().poll(context));
            self.turn = Turn::Request { since: Instant::now() };
        }
        Poll::Ready(())
    }
}

impl Connection for Transport {
    fn connected(&self) -> Connected {
        let connected = match (&self.line, &self.turns) {
            (Line::Plain(_), _) => Connected::new(),
            (Line::Proxied(_), _) => Connected::new().proxy(true),
            (Line::Secure(_), Some(_)) => Connected::new(),
            (Line::Secure(_), None) => Connected::new().negotiated_h2(),
        };
        match self.certificate_end {
            Some(end) => connected.extra(end),
            None => connected,
        }
    }
}

impl AsyncRead for Transport {
    fn poll_read(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        let Transport { line, turns, .. } = self.get_mut();
        let before = buffer.filled().len();
        let read = match line {
            Line::Plain(stream) | Line::Proxied(stream) => {
                Pin::new(stream).poll_read(context, buffer)
            }
            Line::Secure(stream) => Pin::new(stream).poll_read(context, buffer),
        };
        ready!(read)?;
        match turns {
            Some(turns) if buffer.filled().len() > before => Poll::Ready(turns.handle_bytes()),
            _ => Poll::Ready(Ok(())),
        }
    }
}

impl AsyncWrite for Transport {
    fn poll_write(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        bytes: &[u8],
    ) -> Poll<io::Result<usize>> {
        let Transport { line, turns, .. } = self.get_mut();
        if let Some(turns) = turns {
            ready!(turns.poll_request(context));
        }
        match line {
            Line::Plain(stream) | Line::Proxied(stream) => {
                Pin::new(stream).poll_write(context, bytes)
            }
            Line::Secure(stream) => Pin::new(stream).poll_write(context, bytes),
        }
    }

    fn poll_flush(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        match &mut self.get_mut().line {
            Line::Plain(stream) | Line::Proxied(stream) => Pin::new(stream).poll_flush(context),
            Line::Secure(stream) => Pin::new(stream).poll_flush(context),
        }
    }

    fn poll_shutdown(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        match &mut self.get_mut().line {
            Line::Plain(stream) | Line::Proxied(stream) => Pin::new(stream).poll_shutdown(context),
            Line::Secure(stream) => Pin::new(stream).poll_shutdown(context),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::future::poll_fn;

    use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
    use tokio::net::TcpListener;

    use super::*;

    async fn pair() -> (Transport, TcpStream) {
        pair_to(&Arc::default()).await
    }

    /// A connection to a server that has shown this.
    async fn pair_to(trust: &Arc<Trust>) -> (Transport, TcpStream) {
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port is free");
        let address = listener.local_addr().expect("it is bound");
        let (client, server) = tokio::join!(TcpStream::connect(address), listener.accept());
        let client = Transport::plain(client.expect("it listens"), Arc::clone(trust));
        (client, server.expect("it connects").0)
    }

    /// One request with its response. Returns how long the request waited.
    async fn exchange(client: &mut Transport, server: &mut TcpStream) -> io::Result<Duration> {
        let began = Instant::now();
        client.write_all(b"?").await?;
        let waited = began.elapsed();
        let mut byte = [0];
        server.read_exact(&mut byte).await?;
        server.write_all(b"!").await?;
        client.read_exact(&mut byte).await?;
        Ok(waited)
    }

    /// Begins a request, and returns whether it is sent at once.
    async fn begin(client: &mut Transport) -> bool {
        poll_fn(|context| Poll::Ready(Pin::new(&mut *client).poll_write(context, b"?").is_ready()))
            .await
    }

    #[tokio::test(start_paused = true)]
    async fn a_connection_rests_before_its_first_requests_but_one() {
        let (mut client, mut server) = pair().await;
        let mut waits = Vec::new();
        for _ in 0..RESTS + 2 {
            waits.push(exchange(&mut client, &mut server).await.expect("it is open"));
        }
        // The clock stands still except for rests, which it makes at least a millisecond longer.
        let rests: Vec<bool> = waits.iter().map(|wait| *wait >= SHORTEST_REST).collect();
        let expected: Vec<bool> = (0..RESTS + 2).map(|at| (1..=RESTS).contains(&at)).collect();
        assert_eq!(rests, expected);
    }

    #[tokio::test(start_paused = true)]
    async fn bytes_that_belong_to_no_request_end_the_connection() {
        let (mut client, mut server) = pair().await;
        exchange(&mut client, &mut server).await.expect("it is open");
        assert!(!begin(&mut client).await, "it rests");
        server.write_all(b"!").await.expect("it is open");
        let read = client.read_exact(&mut [0]).await;
        assert_eq!(read.expect_err("nothing was requested").kind(), io::ErrorKind::ConnectionReset);
    }

    #[tokio::test(start_paused = true)]
    async fn a_response_too_many_is_noticed_some_time_later() {
        let (mut client, mut server) = pair().await;
        exchange(&mut client, &mut server).await.expect("it is open");
        assert!(!begin(&mut client).await, "it rests");
        tokio::time::advance(Duration::from_millis(15)).await;
        assert!(!begin(&mut client).await, "it still rests, though the response came at once");
        server.write_all(b"!").await.expect("it is open");
        let read = client.read_exact(&mut [0]).await;
        assert_eq!(read.expect_err("nothing was requested").kind(), io::ErrorKind::ConnectionReset);
    }

    /// Whether a new connection to this server rests before each of its requests but the first.
    async fn rests(trust: &Arc<Trust>, requests: u32) -> Vec<bool> {
        let (mut client, mut server) = pair_to(trust).await;
        exchange(&mut client, &mut server).await.expect("it is open");
        let mut rests = Vec::new();
        for _ in 0..requests {
            let waited = exchange(&mut client, &mut server).await.expect("it is open");
            rests.push(waited >= SHORTEST_REST);
        }
        rests
    }

    #[tokio::test(start_paused = true)]
    async fn after_a_response_too_many_all_connections_rest_before_each_request() {
        let trust = Arc::default();
        let (mut client, mut server) = pair_to(&trust).await;
        exchange(&mut client, &mut server).await.expect("it is open");
        assert!(!begin(&mut client).await, "it rests");
        server.write_all(b"!").await.expect("it is open");
        client.read_exact(&mut [0]).await.expect_err("nothing was requested");
        assert_eq!(rests(&trust, 40).await, [true; 40]);
        assert!(rests(&Arc::default(), 9).await.ends_with(&[true, false]), "another server");
        let (mut client, mut server) = pair_to(&trust).await;
        exchange(&mut client, &mut server).await.expect("it is open");
        let waited = exchange(&mut client, &mut server).await.expect("it is open");
        assert!(waited >= LONGEST_REST, "{waited:?}");
    }

    #[tokio::test(start_paused = true)]
    async fn a_response_in_several_parts_is_one_response() {
        let (mut client, mut server) = pair().await;
        for _ in 0..3 {
            exchange(&mut client, &mut server).await.expect("it is open");
            server.write_all(b"!").await.expect("it is open");
            client.read_exact(&mut [0]).await.expect("it belongs to the response");
        }
    }
}
