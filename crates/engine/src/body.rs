//! Reads bodies while they arrive: decodes them and hands them to the extractor.

use std::io::Write;

use bytes::Bytes;
use flate2::write::{GzDecoder, ZlibDecoder};
use http_body_util::BodyExt;
use hyper::body::Incoming;
use rummage_core::extract::Extractor;

/// So much of a body that is not wanted is read, to keep its connection.
const WORTH_READING: u64 = 64 * 1024;

/// How a body ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BodyEnd {
    /// It came whole, in so many octets as sent.
    Whole(u64),
    /// As much was read as is wanted.
    Enough,
    /// It ended before its announced length, or cannot be decoded.
    Short,
}

/// Reads a page. `encoding` is the `Content-Encoding`.
pub(crate) async fn read(
    body: &mut Incoming,
    encoding: Option<&str>,
    extractor: &mut Extractor,
) -> BodyEnd {
    let Some(mut decoder) = Decoder::new(encoding) else { return BodyEnd::Short };
    let mut received = 0;
    while let Some(frame) = body.frame().await {
        let Ok(frame) = frame else { return BodyEnd::Short };
        let Ok(chunk) = frame.into_data() else { continue };
        received += chunk.len() as u64;
        match decoder.feed(&chunk, extractor) {
            Fed::More => {}
            Fed::Enough => return BodyEnd::Enough,
            Fed::Bad => return BodyEnd::Short,
        }
    }
    if decoder.finish(extractor) { BodyEnd::Whole(received) } else { BodyEnd::Short }
}

/// Reads the rest of a small body and throws it away.
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

enum Fed {
    More,
    Enough,
    Bad,
}

/// Undoes a content coding (RFC 9110 §8.4.1), asked for or not.
enum Decoder {
    Identity,
    Gzip(GzDecoder<Vec<u8>>),
    Deflate(ZlibDecoder<Vec<u8>>),
}

impl Decoder {
    fn new(encoding: Option<&str>) -> Option<Decoder> {
        match encoding.map(str::trim).unwrap_or_default().to_ascii_lowercase().as_str() {
            "" | "identity" => Some(Decoder::Identity),
            "gzip" | "x-gzip" => Some(Decoder::Gzip(GzDecoder::new(Vec::new()))),
            "deflate" => Some(Decoder::Deflate(ZlibDecoder::new(Vec::new()))),
            _ => None,
        }
    }

    fn feed(&mut self, chunk: &[u8], extractor: &mut Extractor) -> Fed {
        if let Decoder::Identity = self {
            return if extractor.feed(chunk) { Fed::More } else { Fed::Enough };
        }
        // In small pieces, so that a bomb is noticed before it fills the memory.
        for piece in chunk.chunks(1024) {
            let written = match self {
                Decoder::Gzip(decoder) => decoder.write_all(piece),
                Decoder::Deflate(decoder) => decoder.write_all(piece),
                Decoder::Identity => Ok(()),
            };
            if written.is_err() {
                return Fed::Bad;
            }
            if !self.hand_over(extractor) {
                return Fed::Enough;
            }
        }
        Fed::More
    }

    fn hand_over(&mut self, extractor: &mut Extractor) -> bool {
        let decoded = match self {
            Decoder::Gzip(decoder) => decoder.get_mut(),
            Decoder::Deflate(decoder) => decoder.get_mut(),
            Decoder::Identity => return true,
        };
        let more = extractor.feed(decoded);
        decoded.clear();
        more
    }

    /// Gives whether the encoded body was complete.
    fn finish(&mut self, extractor: &mut Extractor) -> bool {
        let whole = match self {
            Decoder::Gzip(decoder) => decoder.try_finish().is_ok(),
            Decoder::Deflate(decoder) => decoder.try_finish().is_ok(),
            Decoder::Identity => true,
        };
        self.hand_over(extractor);
        whole
    }
}
