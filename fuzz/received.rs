//! What must be true for any bytes that a server sends: no decoder or header reader panics, and
//! none yields more than its limit. The fuzz target and the tests of the engine call the same
//! functions.

use std::time::SystemTime;

use http::header::{HeaderMap, HeaderName, HeaderValue};
use rummage_core::extract::{Extractor, Format};

use crate::decode::{Decoder, Fed, PIECE};
use crate::headers::answer;

/// A body, after a byte that says how it is encoded.
pub(crate) fn body(bytes: &[u8]) {
    const LIMIT: usize = 4096;
    let Some((how, body)) = bytes.split_first() else { return };
    let encoding = ["", "gzip", "deflate", "br"][usize::from(how & 3)];
    let mut extractor = Extractor::new(Format::Html, None, LIMIT);
    let decoder = Decoder::new(Some(encoding), how & 4 != 0, &mut extractor);
    let mut decoder = decoder.expect("these are known");
    let mut fed = Fed::More;
    for piece in body.chunks(PIECE) {
        fed = decoder.feed(piece);
        if fed != Fed::More {
            break;
        }
    }
    let is_whole = fed == Fed::More && decoder.finish();
    assert!(decoder.decoded() < LIMIT as u64 + (1 << 17), "one buffer more than the limit");
    drop(decoder);
    let reading = extractor.finish();
    assert!(fed != Fed::Enough || reading.cut, "a page that is not read to its end says so");
    assert!(!is_whole || reading.links().len() <= LIMIT);
}

/// Header lines.
pub(crate) fn head(bytes: &[u8]) {
    let mut headers = HeaderMap::new();
    for line in bytes.split(|byte| *byte == b'\n').take(200) {
        let colon = line.iter().position(|byte| *byte == b':').unwrap_or(line.len());
        let (name, value) = (&line[..colon], line.get(colon + 1..).unwrap_or_default());
        if let (Ok(name), Ok(value)) =
            (HeaderName::from_bytes(name), HeaderValue::from_bytes(value))
        {
            headers.append(name, value);
        }
    }
    for status in [200, 302, 503] {
        let answer = answer(status, &headers, SystemTime::UNIX_EPOCH);
        assert!(answer.cookies.len() <= 50 && (status == 302 || answer.cookies.is_empty()));
        for cookie in &answer.cookies {
            assert!(!cookie.name.is_empty() && cookie.expired == (cookie.seconds == Some(0)));
        }
        if let Some(media_type) = answer.media_type {
            assert!(!media_type.contains(';'));
        }
    }
}
