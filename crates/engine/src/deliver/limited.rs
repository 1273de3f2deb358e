//! A connection of which only so much is read: a server cannot fill the memory with a line that
//! never ends.

use std::io;
use std::net::SocketAddr;
use std::pin::Pin;
use std::task::{Context, Poll};

use lettre::transport::smtp::client::AsyncTokioStream;
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};

/// A connection that fails once this much was read.
#[derive(Debug)]
pub(super) struct Limited<S> {
    stream: S,
    peer: SocketAddr,
    left: usize,
}

impl<S> Limited<S> {
    pub(super) fn new(stream: S, peer: SocketAddr, most: usize) -> Limited<S> {
        Limited { stream, peer, left: most }
    }
}

impl<S: AsyncRead + Unpin> AsyncRead for Limited<S> {
    fn poll_read(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        let own = self.get_mut();
        if own.left == 0 {
            return Poll::Ready(Err(io::Error::other("the server sends too much")));
        }
        let before = buffer.filled().len();
        let polled = Pin::new(&mut own.stream).poll_read(context, buffer);
        own.left = own.left.saturating_sub(buffer.filled().len() - before);
        polled
    }
}

impl<S: AsyncWrite + Unpin> AsyncWrite for Limited<S> {
    fn poll_write(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        bytes: &[u8],
    ) -> Poll<io::Result<usize>> {
        Pin::new(&mut self.get_mut().stream).poll_write(context, bytes)
    }

    fn poll_flush(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.get_mut().stream).poll_flush(context)
    }

    fn poll_shutdown(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.get_mut().stream).poll_shutdown(context)
    }
}

impl<S> AsyncTokioStream for Limited<S>
where
    S: AsyncRead + AsyncWrite + Send + Sync + Unpin + std::fmt::Debug,
{
    fn peer_addr(&self) -> io::Result<SocketAddr> {
        Ok(self.peer)
    }
}
