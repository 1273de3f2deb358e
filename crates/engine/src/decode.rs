//! From the bytes of a body to an extractor: decodes content codings (RFC 9110 §8.4.1) and gzip
//! files, a small piece at a time. Nothing that a server sends makes a buffer grow.

use std::io::{self, Write};

use brotli_decompressor::DecompressorWriter;
use flate2::write::{GzDecoder, MultiGzDecoder, ZlibDecoder};
use rummage_core::extract::Extractor;

/// How many bytes a decoder takes at once.
pub(crate) const PIECE: usize = 1024;
/// How long decoded content may be, relative to what was sent: deflate reaches 1032 at most (RFC
/// 1951), and no page comes near.
const MOST_RATIO: u64 = 1100;
/// Content up to this length is decoded at any ratio.
const ANY_RATIO: u64 = 1 << 20;

/// What to do after a piece of a body.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fed {
    /// More is needed.
    More,
    /// As much was read as is needed, or as is allowed.
    Enough,
    /// It cannot be decoded.
    Bad,
}

/// Decodes a body.
pub(crate) struct Decoder<'a> {
    coding: Coding<'a>,
    /// Bytes as sent.
    received: u64,
}

/// A content coding that browsers decode, requested or not.
enum Coding<'a> {
    Identity(Unpacker<'a>),
    Gzip(GzDecoder<Unpacker<'a>>),
    Deflate(ZlibDecoder<Unpacker<'a>>),
    /// RFC 7932
    Brotli(Box<DecompressorWriter<Unpacker<'a>>>),
}

impl<'a> Decoder<'a> {
    /// A decoder for this `Content-Encoding`; `None` if it is unknown. With `may_be_packed`, the
    /// content may be a gzip file, as sitemaps are.
    pub(crate) fn new(
        encoding: Option<&str>,
        may_be_packed: bool,
        extractor: &'a mut Extractor,
    ) -> Option<Decoder<'a>> {
        let content = Sink { extractor, decoded: 0, most: 0, is_full: false };
        let unpacker = Unpacker(if may_be_packed {
            Packing::Unknown(Vec::new(), Some(content))
        } else {
            Packing::None(content)
        });
        let coding = match encoding.map(str::trim).unwrap_or_default().to_ascii_lowercase().as_str()
        {
            "" | "identity" => Coding::Identity(unpacker),
            "gzip" | "x-gzip" => Coding::Gzip(GzDecoder::new(unpacker)),
            "deflate" => Coding::Deflate(ZlibDecoder::new(unpacker)),
            "br" => Coding::Brotli(Box::new(DecompressorWriter::new(unpacker, 4096))),
            _ => return None,
        };
        Some(Decoder { coding, received: 0 })
    }

    /// Takes a piece of at most [`PIECE`] bytes.
    pub(crate) fn feed(&mut self, piece: &[u8]) -> Fed {
        self.received += piece.len() as u64;
        self.content().most = ANY_RATIO.max(self.received.saturating_mul(MOST_RATIO));
        let written = match &mut self.coding {
            Coding::Identity(unpacker) => unpacker.write_all(piece),
            Coding::Gzip(decoder) => decoder.write_all(piece),
            Coding::Deflate(decoder) => decoder.write_all(piece),
            Coding::Brotli(decoder) => decoder.write_all(piece),
        };
        if self.content().is_full {
            Fed::Enough
        } else if written.is_err() {
            Fed::Bad
        } else {
            Fed::More
        }
    }

    /// How many bytes were decoded so far.
    pub(crate) fn decoded(&mut self) -> u64 {
        self.content().decoded
    }

    /// Returns whether the encoded body was complete.
    pub(crate) fn finish(&mut self) -> bool {
        let whole = match &mut self.coding {
            Coding::Identity(_) => true,
            Coding::Gzip(decoder) => decoder.try_finish().is_ok(),
            Coding::Deflate(decoder) => decoder.try_finish().is_ok(),
            Coding::Brotli(decoder) => decoder.close().is_ok(),
        };
        let unpacked = self.unpacker().finish();
        (whole && unpacked) || self.content().is_full
    }

    fn unpacker(&mut self) -> &mut Unpacker<'a> {
        match &mut self.coding {
            Coding::Identity(unpacker) => unpacker,
            Coding::Gzip(decoder) => decoder.get_mut(),
            Coding::Deflate(decoder) => decoder.get_mut(),
            Coding::Brotli(decoder) => decoder.get_mut(),
        }
    }

    fn content(&mut self) -> &mut Sink<'a> {
        match &mut self.unpacker().0 {
            Packing::None(content) => content,
            Packing::Unknown(_, content) => content.as_mut().expect("it is only taken in between"),
            Packing::Gzip(decoder) => decoder.get_mut(),
        }
    }
}

/// Passes decoded content to the extractor, which takes as much as its limit allows.
struct Sink<'a> {
    extractor: &'a mut Extractor,
    decoded: u64,
    /// Anything longer is a decompression bomb.
    most: u64,
    is_full: bool,
}

impl Write for Sink<'_> {
    fn write(&mut self, content: &[u8]) -> io::Result<usize> {
        if self.is_full {
            return Err(io::Error::other("no more is needed"));
        }
        self.decoded += content.len() as u64;
        if self.decoded > self.most {
            return Err(io::Error::other("a decompression bomb"));
        }
        self.is_full = !self.extractor.feed(content);
        Ok(content.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Decompresses a body that is a gzip file (RFC 1952) which its server sent as plain content.
struct Unpacker<'a>(Packing<'a>);

enum Packing<'a> {
    None(Sink<'a>),
    /// Too few bytes to know.
    Unknown(Vec<u8>, Option<Sink<'a>>),
    Gzip(Box<MultiGzDecoder<Sink<'a>>>),
}

const GZIP_MAGIC: [u8; 2] = [0x1f, 0x8b];

impl Write for Unpacker<'_> {
    fn write(&mut self, content: &[u8]) -> io::Result<usize> {
        match &mut self.0 {
            Packing::None(to) => to.write(content),
            Packing::Gzip(decoder) => decoder.write(content),
            Packing::Unknown(seen, to) => {
                seen.extend_from_slice(content);
                if seen.len() >= GZIP_MAGIC.len() {
                    let (seen, to) = (std::mem::take(seen), to.take());
                    let to = to.expect("it is only taken here");
                    self.0 = if seen.starts_with(&GZIP_MAGIC) {
                        Packing::Gzip(Box::new(MultiGzDecoder::new(to)))
                    } else {
                        Packing::None(to)
                    };
                    self.write_all(&seen)?;
                }
                Ok(content.len())
            }
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Unpacker<'_> {
    /// Returns whether the file was complete.
    fn finish(&mut self) -> bool {
        match &mut self.0 {
            Packing::None(_) => true,
            Packing::Unknown(seen, to) => to.as_mut().is_none_or(|to| to.write_all(seen).is_ok()),
            Packing::Gzip(decoder) => decoder.try_finish().is_ok(),
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use flate2::Compression;
    use flate2::write::{GzEncoder, ZlibEncoder};
    use rummage_core::extract::Format;
    use rummage_core::extract::reading::Reading;

    use super::*;

    /// 64 MiB of spaces in Brotli.
    const BOMB: [u8; 54] = [
        207, 255, 255, 127, 248, 37, 64, 226, 177, 64, 32, 247, 254, 159, 255, 255, 255, 240, 75,
        0, 196, 97, 1, 128, 238, 253, 63, 255, 255, 255, 225, 151, 0, 136, 195, 34, 0, 221, 251,
        127, 254, 255, 255, 195, 47, 1, 16, 135, 5, 0, 186, 247, 255, 3,
    ];

    fn gzip(content: &[u8]) -> Vec<u8> {
        let mut encoder = GzEncoder::new(Vec::new(), Compression::best());
        encoder.write_all(content).unwrap();
        encoder.finish().unwrap()
    }

    /// How decoding ends, how many bytes were decoded, and what was read.
    fn decode(encoding: &str, packed: bool, body: &[u8], limit: usize) -> (Fed, u64, Reading) {
        let mut extractor = Extractor::new(Format::Html, Some("utf-8"), limit);
        let mut decoder = Decoder::new(Some(encoding), packed, &mut extractor).unwrap();
        let mut fed = Fed::More;
        for piece in body.chunks(PIECE) {
            fed = decoder.feed(piece);
            if fed != Fed::More {
                break;
            }
        }
        if fed == Fed::More && !decoder.finish() {
            fed = Fed::Bad;
        }
        let decoded = decoder.decoded();
        drop(decoder);
        (fed, decoded, extractor.finish())
    }

    #[test]
    fn no_decoder_yields_more_than_the_limit_and_one_buffer() {
        let zeros = vec![b' '; 50 << 20];
        let mut zlib = ZlibEncoder::new(Vec::new(), Compression::best());
        zlib.write_all(&zeros).unwrap();
        let (zlib, gz) = (zlib.finish().unwrap(), gzip(&zeros));
        for (name, encoding, packed, body) in [
            ("gzip", "gzip", false, &gz),
            ("deflate", "deflate", false, &zlib),
            ("a gzip file", "", true, &gz),
            ("a gzip file in gzip", "gzip", true, &gzip(&gz)),
            ("brotli", "br", false, &BOMB.to_vec()),
        ] {
            let limit = 100_000;
            let (fed, decoded, reading) = decode(encoding, packed, body, limit);
            assert_eq!(fed, Fed::Enough, "{name}");
            assert!(reading.cut && decoded < limit as u64 + 65_536, "{name}: {decoded}");
        }
    }

    #[test]
    fn content_a_thousand_times_as_long_as_what_was_sent_is_not_decoded() {
        let bomb = gzip(&gzip(&vec![b' '; 60 << 20]));
        for (encoding, packed, body) in [("br", false, &BOMB[..]), ("gzip", true, &bomb)] {
            let (fed, decoded, _) = decode(encoding, packed, body, 1 << 30);
            let most = ANY_RATIO.max(body.len() as u64 * MOST_RATIO);
            assert_eq!(fed, Fed::Bad, "{encoding}");
            assert!(decoded <= most + 65_536, "{encoding}: {decoded}");
        }
        // Deflate alone cannot, so that a page of spaces is read.
        let (fed, decoded, _) = decode("gzip", false, &gzip(&vec![b' '; 20 << 20]), 1 << 30);
        assert_eq!((fed, decoded), (Fed::More, 20 << 20));
    }

    #[test]
    fn content_is_complete_or_bad() {
        let link = b"<a href=/x>x</a>".repeat(999);
        let zip = gzip(&link);
        for (encoding, packed, body, expected) in [
            ("", false, &link[..], Fed::More),
            ("identity", true, &link, Fed::More),
            ("x-gzip", false, &zip, Fed::More),
            ("", true, &zip, Fed::More),
            ("gzip", true, &gzip(&zip), Fed::More),
            ("", true, &[zip.clone(), zip.clone()].concat(), Fed::More),
            ("", true, b"<", Fed::More),
            ("", true, b"", Fed::More),
            ("gzip", false, &zip[..zip.len() / 2], Fed::Bad),
            ("gzip", false, b"not gzip", Fed::Bad),
            ("deflate", false, b"not deflate", Fed::Bad),
            ("br", false, b"not Brotli", Fed::Bad),
            ("", true, &zip[..zip.len() / 2], Fed::Bad),
        ] {
            let (fed, _, _) = decode(encoding, packed, body, 1 << 20);
            assert_eq!(fed, expected, "{encoding} {packed} {:?}", &body[..body.len().min(8)]);
        }
        let mut extractor = Extractor::new(Format::Html, None, 9);
        assert!(Decoder::new(Some("zstd"), false, &mut extractor).is_none());
    }
}
