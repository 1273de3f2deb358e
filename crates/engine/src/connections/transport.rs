//! A connection, with TLS or without, on which only responses to requests arrive.

use std::io;
use std::pin::Pin;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::task::{Context, Poll, ready};
use std::time::SystemTime;

use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio::net::TcpStream;
use tokio_rustls::client::TlsStream;

use super::trust::Trust;
use crate::tls;

/// A connection.
pub(super) struct Transport {
    stream: Stream,
    silence: Arc<Silence>,
    /// When the certificate of the server ends.
    certificate_end: Option<CertificateEnd>,
}

/// When the certificate of a server ends, for the responses on its connections.
#[derive(Debug, Clone, Copy)]
pub(crate) struct CertificateEnd(pub(crate) SystemTime);

enum Stream {
    Plain(TcpStream),
    /// To a proxy, for plain requests.
    Proxied(TcpStream),
    Secure(Box<TlsStream<TcpStream>>),
}

/// The time between a response and the next request, in which nothing should arrive.
#[derive(Debug)]
pub(super) struct Silence {
    is_on: AtomicBool,
    trust: Arc<Trust>,
}

impl Silence {
    /// The response is complete. Ends with the next request.
    pub(super) fn begin(&self) {
        self.is_on.store(true, Ordering::Relaxed);
    }

    fn end(&self) {
        self.is_on.store(false, Ordering::Relaxed);
    }

    fn handle_bytes(&self) -> io::Result<()> {
        if !self.is_on.load(Ordering::Relaxed) {
            return Ok(());
        }
        self.trust.handle_stray_bytes();
        let why = "the server sent bytes that belong to no request";
        Err(io::Error::new(io::ErrorKind::ConnectionReset, why))
    }
}

impl Transport {
    pub(super) fn plain(stream: TcpStream, trust: Arc<Trust>) -> Transport {
        Transport::new(Stream::Plain(stream), trust)
    }

    /// To a proxy, for plain requests.
    pub(super) fn proxied(stream: TcpStream, trust: Arc<Trust>) -> Transport {
        Transport::new(Stream::Proxied(stream), trust)
    }

    pub(super) fn secure(stream: TlsStream<TcpStream>, trust: Arc<Trust>) -> Transport {
        let certificates = stream.get_ref().1.peer_certificates();
        let own = certificates.and_then(|certificates| certificates.first());
        let certificate_end = own.and_then(tls::end_of).map(CertificateEnd);
        let transport = Transport::new(Stream::Secure(Box::new(stream)), trust);
        Transport { certificate_end, ..transport }
    }

    fn new(stream: Stream, trust: Arc<Trust>) -> Transport {
        let silence = Arc::new(Silence { is_on: AtomicBool::new(false), trust });
        Transport { stream, silence, certificate_end: None }
    }

    /// Whether server and client have agreed on HTTP/2 (RFC 7301), whose frames name their
    /// request.
    pub(super) fn is_http2(&self) -> bool {
        match &self.stream {
            Stream::Plain(_) | Stream::Proxied(_) => false,
            Stream::Secure(stream) => stream.get_ref().1.alpn_protocol() == Some(b"h2"),
        }
    }

    /// Whether it leads to a proxy that is to be given whole URLs.
    pub(super) fn is_proxied(&self) -> bool {
        matches!(self.stream, Stream::Proxied(_))
    }

    pub(super) fn certificate_end(&self) -> Option<CertificateEnd> {
        self.certificate_end
    }

    pub(super) fn silence(&self) -> Arc<Silence> {
        Arc::clone(&self.silence)
    }
}

impl AsyncRead for Transport {
    fn poll_read(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        let Transport { stream, silence, .. } = self.get_mut();
        let before = buffer.filled().len();
        let read = match stream {
            Stream::Plain(stream) | Stream::Proxied(stream) => {
                Pin::new(stream).poll_read(context, buffer)
            }
            Stream::Secure(stream) => Pin::new(stream).poll_read(context, buffer),
        };
        ready!(read)?;
        let is_end = buffer.filled().len() == before;
        Poll::Ready(if is_end { Ok(()) } else { silence.handle_bytes() })
    }
}

impl AsyncWrite for Transport {
    fn poll_write(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        bytes: &[u8],
    ) -> Poll<io::Result<usize>> {
        let Transport { stream, silence, .. } = self.get_mut();
        silence.end();
        match stream {
            Stream::Plain(stream) | Stream::Proxied(stream) => {
                Pin::new(stream).poll_write(context, bytes)
            }
            Stream::Secure(stream) => Pin::new(stream).poll_write(context, bytes),
        }
    }

    fn poll_flush(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        match &mut self.get_mut().stream {
            Stream::Plain(stream) | Stream::Proxied(stream) => Pin::new(stream).poll_flush(context),
            Stream::Secure(stream) => Pin::new(stream).poll_flush(context),
        }
    }

    fn poll_shutdown(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        match &mut self.get_mut().stream {
            Stream::Plain(stream) | Stream::Proxied(stream) => {
                Pin::new(stream).poll_shutdown(context)
            }
            Stream::Secure(stream) => Pin::new(stream).poll_shutdown(context),
        }
    }
}
