//! Reads bodies while they arrive.

use std::sync::Arc;
use std::time::Duration;

use bytes::Bytes;
use http_body_util::BodyExt;
use hyper::body::Incoming;
use rummage_core::extract::Extractor;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio::time::{Instant, timeout_at};

use crate::decode::{Decoder, Fed, PIECE};

/// How much of an unneeded body is read, so that its connection can be reused.
const WORTH_READING: u64 = 64 * 1024;
/// A body that is longer, decoded, needs a permit: all others together fit into memory.
const SMALL: u64 = 1 << 18;
/// How many bytes are decoded at most before other tasks have their turn.
const AT_ONCE: u64 = 1 << 18;

/// How a body ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BodyEnd {
    /// It is complete, with this many bytes as sent.
    Whole(u64),
    /// As much was read as is needed.
    Enough,
    /// It ended before its announced length, or cannot be decoded.
    Short,
    /// It did not end in time.
    TimedOut,
}

/// What the headers of a response say about its body.
#[derive(Debug, Clone, Default)]
pub(crate) struct Shape {
    /// `Content-Encoding`.
    pub(crate) encoding: Option<String>,
    /// It may be a gzip file, as sitemaps are.
    pub(crate) may_be_packed: bool,
    /// It ends when the connection does (RFC 9112 §6.3).
    pub(crate) ends_with_connection: bool,
}

/// Memory for long bodies.
pub(crate) struct Room<'a> {
    pub(crate) large: &'a Arc<Semaphore>,
    /// The permit, once the body is long.
    pub(crate) permit: &'a mut Option<OwnedSemaphorePermit>,
}

/// Reads a body, within a time in which waiting for a permit does not count.
pub(crate) async fn read(
    body: &mut Incoming,
    shape: &Shape,
    extractor: &mut Extractor,
    left: Duration,
    room: &mut Room<'_>,
) -> BodyEnd {
    let decoder = Decoder::new(shape.encoding.as_deref(), shape.may_be_packed, extractor);
    let Some(mut decoder) = decoder else { return BodyEnd::Short };
    let mut deadline = Instant::now() + left;
    let (mut received, mut yielded) = (0, 0);
    loop {
        let frame = match timeout_at(deadline, body.frame()).await {
            Err(_) => return BodyEnd::TimedOut,
            Ok(None) => break,
            Ok(Some(Ok(frame))) => frame,
            // Many servers close a TLS connection without an alert.
            Ok(Some(Err(error))) if shape.ends_with_connection && is_bare_end(&error) => break,
            Ok(Some(Err(_))) => return BodyEnd::Short,
        };
        let Ok(chunk) = frame.into_data() else { continue };
        received += chunk.len() as u64;
        for piece in chunk.chunks(PIECE) {
            match decoder.feed(piece) {
                Fed::More => {}
                Fed::Enough => return BodyEnd::Enough,
                Fed::Bad => return BodyEnd::Short,
            }
            let decoded = decoder.decoded();
            if decoded > SMALL && room.permit.is_none() {
                let since = Instant::now();
                *room.permit = Arc::clone(room.large).acquire_owned().await.ok();
                deadline += since.elapsed();
            }
            if decoded - yielded > AT_ONCE {
                yielded = decoded;
                tokio::task::yield_now().await;
            }
        }
    }
    if decoder.finish() { BodyEnd::Whole(received) } else { BodyEnd::Short }
}

/// Whether a TLS connection ended without `close_notify` (RFC 8446 §6.1).
fn is_bare_end(error: &hyper::Error) -> bool {
    let mut at = std::error::Error::source(error);
    while let Some(error) = at {
        if let Some(error) = error.downcast_ref::<std::io::Error>() {
            return error.kind() == std::io::ErrorKind::UnexpectedEof;
        }
        at = error.source();
    }
    false
}

/// Reads the rest of a small body and discards it.
pub(crate) async fn drain(body: &mut Incoming, announced: Option<u64>) {
    if announced.is_some_and(|length| length > WORTH_READING) {
        return;
    }
    let mut left = WORTH_READING;
    while let Some(Ok(frame)) = body.frame().await {
        let length = frame.data_ref().map_or(0, Bytes::len) as u64;
        match left.checked_sub(length) {
            Some(rest) => left = rest,
            None => return,
        }
    }
}
