//! Reads bodies while they arrive: decodes them and passes them to the extractor.

use std::io::Write;

use brotli_decompressor::DecompressorWriter;
use bytes::Bytes;
use flate2::write::{GzDecoder, MultiGzDecoder, ZlibDecoder};
use http_body_util::BodyExt;
use hyper::body::Incoming;
use rummage_core::extract::Extractor;

/// How much of an unneeded body is read, so that its connection can be reused.
const WORTH_READING: u64 = 64 * 1024;

/// How a body ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BodyEnd {
    /// It is complete, with this many bytes as sent.
    Whole(u64),
    /// As much was read as is needed.
    Enough,
    /// It ended before its announced length, or cannot be decoded.
    Short,
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

/// Reads a body.
pub(crate) async fn read(body: &mut Incoming, shape: &Shape, extractor: &mut Extractor) -> BodyEnd {
    let Some(mut decoder) = Decoder::new(shape.encoding.as_deref()) else { return BodyEnd::Short };
    let packing = if shape.may_be_packed { Packing::Unknown(Vec::new()) } else { Packing::None };
    let mut unpacker = Unpacker { extractor, packing };
    let mut received = 0;
    while let Some(frame) = body.frame().await {
        let frame = match frame {
            Ok(frame) => frame,
            // Many servers close a TLS connection without an alert.
            Err(error) if shape.ends_with_connection && is_bare_end(&error) => break,
            Err(_) => return BodyEnd::Short,
        };
        let Ok(chunk) = frame.into_data() else { continue };
        received += chunk.len() as u64;
        match decoder.feed(&chunk, &mut unpacker) {
            Fed::More => {}
            Fed::Enough => return BodyEnd::Enough,
            Fed::Bad => return BodyEnd::Short,
        }
    }
    if decoder.finish(&mut unpacker) && unpacker.finish() {
        BodyEnd::Whole(received)
    } else {
        BodyEnd::Short
    }
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

enum Fed {
    More,
    Enough,
    Bad,
}

/// Decodes a content coding (RFC 9110 §8.4.1), requested or not.
enum Decoder {
    Identity,
    Gzip(GzDecoder<Vec<u8>>),
    Deflate(ZlibDecoder<Vec<u8>>),
    Brotli(Box<DecompressorWriter<Vec<u8>>>),
}

impl Decoder {
    fn new(encoding: Option<&str>) -> Option<Decoder> {
        match encoding.map(str::trim).unwrap_or_default().to_ascii_lowercase().as_str() {
            "" | "identity" => Some(Decoder::Identity),
            "gzip" | "x-gzip" => Some(Decoder::Gzip(GzDecoder::new(Vec::new()))),
            "deflate" => Some(Decoder::Deflate(ZlibDecoder::new(Vec::new()))),
            // RFC 7932
            "br" => Some(Decoder::Brotli(Box::new(DecompressorWriter::new(Vec::new(), 4096)))),
            _ => None,
        }
    }

    fn feed(&mut self, chunk: &[u8], to: &mut Unpacker<'_>) -> Fed {
        if let Decoder::Identity = self {
            return to.feed(chunk);
        }
        // In small pieces, so that a decompression bomb is noticed before it fills the memory.
        for piece in chunk.chunks(1024) {
            let written = match self {
                Decoder::Gzip(decoder) => decoder.write_all(piece),
                Decoder::Deflate(decoder) => decoder.write_all(piece),
                Decoder::Brotli(decoder) => decoder.write_all(piece),
                Decoder::Identity => Ok(()),
            };
            if written.is_err() {
                return Fed::Bad;
            }
            match self.hand_over(to) {
                Fed::More => {}
                end => return end,
            }
        }
        Fed::More
    }

    fn hand_over(&mut self, to: &mut Unpacker<'_>) -> Fed {
        let decoded = match self {
            Decoder::Gzip(decoder) => decoder.get_mut(),
            Decoder::Deflate(decoder) => decoder.get_mut(),
            Decoder::Brotli(decoder) => decoder.get_mut(),
            Decoder::Identity => return Fed::More,
        };
        let fed = to.feed(decoded);
        decoded.clear();
        fed
    }

    /// Returns whether the encoded body was complete.
    fn finish(&mut self, to: &mut Unpacker<'_>) -> bool {
        let whole = match self {
            Decoder::Gzip(decoder) => decoder.try_finish().is_ok(),
            Decoder::Deflate(decoder) => decoder.try_finish().is_ok(),
            Decoder::Brotli(decoder) => decoder.close().is_ok(),
            Decoder::Identity => true,
        };
        whole && !matches!(self.hand_over(to), Fed::Bad)
    }
}

/// Passes a body to the extractor, and decompresses it if it is a gzip file (RFC 1952) that its
/// server sent as plain content.
struct Unpacker<'a> {
    extractor: &'a mut Extractor,
    packing: Packing,
}

enum Packing {
    None,
    /// Too few bytes to know.
    Unknown(Vec<u8>),
    Gzip(Box<MultiGzDecoder<Vec<u8>>>),
}

const GZIP_MAGIC: [u8; 2] = [0x1f, 0x8b];

impl Unpacker<'_> {
    fn feed(&mut self, chunk: &[u8]) -> Fed {
        match &mut self.packing {
            Packing::None => {}
            Packing::Gzip(decoder) => return unpack(decoder, chunk, self.extractor),
            Packing::Unknown(seen) => {
                seen.extend_from_slice(chunk);
                if seen.len() < GZIP_MAGIC.len() {
                    return Fed::More;
                }
                let seen = std::mem::take(seen);
                self.packing = if seen.starts_with(&GZIP_MAGIC) {
                    Packing::Gzip(Box::new(MultiGzDecoder::new(Vec::new())))
                } else {
                    Packing::None
                };
                return self.feed(&seen);
            }
        }
        if self.extractor.feed(chunk) { Fed::More } else { Fed::Enough }
    }

    /// Returns whether the file was complete.
    fn finish(&mut self) -> bool {
        match &mut self.packing {
            Packing::None => true,
            Packing::Unknown(seen) => {
                self.extractor.feed(seen);
                true
            }
            Packing::Gzip(decoder) => {
                let whole = decoder.try_finish().is_ok();
                self.extractor.feed(decoder.get_mut());
                whole
            }
        }
    }
}

fn unpack(decoder: &mut MultiGzDecoder<Vec<u8>>, chunk: &[u8], to: &mut Extractor) -> Fed {
    for piece in chunk.chunks(1024) {
        if decoder.write_all(piece).is_err() {
            return Fed::Bad;
        }
        let more = to.feed(decoder.get_mut());
        decoder.get_mut().clear();
        if !more {
            return Fed::Enough;
        }
    }
    Fed::More
}
