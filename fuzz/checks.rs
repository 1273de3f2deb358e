//! What must be true for any bytes at all. The fuzz targets and the tests of the core call the
//! same functions.

use rummage_core::extract::reading::Reading;
use rummage_core::extract::robots_txt::Robots;
use rummage_core::extract::{Extractor, Format};
use rummage_core::url::reference::{Reference, resolve, trim};
use url::Url;

const LIMIT: usize = 1 << 20;

fn read(format: Format, body: &[u8], chunk: usize) -> Reading {
    let mut extractor = Extractor::with_sketch(format, None, LIMIT, true);
    for piece in body.chunks(chunk.max(1)) {
        extractor.feed(piece);
    }
    extractor.finish()
}

/// In chunks, a body gives the same as in one piece; the first byte is the size of the chunks.
fn in_chunks(format: Format, bytes: &[u8]) -> Reading {
    let (chunk, body) = bytes.split_first().map_or((1, bytes), |(first, rest)| (*first, rest));
    let whole = read(format, body, LIMIT);
    assert_eq!(read(format, body, usize::from(chunk)), whole, "in chunks of {chunk} bytes");
    assert!(whole.links().count() <= body.len(), "no more links than bytes");
    whole
}

pub(crate) fn html(bytes: &[u8]) {
    for format in [Format::Html, Format::Xhtml] {
        for link in in_chunks(format, bytes).links() {
            assert!(link.line >= 1 && link.column >= 1, "{link:?} has a position");
        }
    }
}

pub(crate) fn css(bytes: &[u8]) {
    for link in in_chunks(Format::Css, bytes).links() {
        assert!(!trim(link.written).is_empty(), "{link:?} is not empty");
    }
}

pub(crate) fn sitemap(bytes: &[u8]) {
    in_chunks(Format::Sitemap, bytes);
}

pub(crate) fn robots(bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    let robots = Robots::parse(&text);
    let lines = u32::try_from(text.len()).expect("inputs are short") + 1;
    assert!(robots.sitemaps().iter().all(|sitemap| (1..=lines).contains(&sitemap.line)));
    assert!(robots.allows("/robots.txt"), "robots.txt itself is always allowed");
    for path in text.split_whitespace().filter(|word| word.starts_with('/')) {
        let rules = format!("User-agent: *\nDisallow: /\nAllow: {path}");
        let plain = !path.contains(['*', '$', '#']);
        assert!(!plain || Robots::parse(&rules).allows(path), "{path} fits itself");
    }
    in_chunks(Format::Robots, bytes);
}

/// A URL in normal form resolves to itself, whatever the base.
pub(crate) fn url(bytes: &[u8]) {
    let written = String::from_utf8_lossy(bytes);
    let base = Url::parse("http://a.test/walks/?day=1").expect("it is an address");
    if let Reference::Web { url, fragment } = resolve(&base, &written) {
        assert!(url.fragment().is_none(), "the fragment was cut off");
        let again = resolve(&Url::parse("https://b.test/").expect("it is one"), url.as_str());
        assert_eq!(again, Reference::Web { url, fragment: None }, "of {written:?}");
        assert!(fragment.is_none_or(|fragment| !fragment.contains('#') || written.contains('#')));
    }
}
