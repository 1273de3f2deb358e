//! What must be true for any bytes at all. The fuzz targets and the tests of the core call the
//! same functions.

use rummage_core::extract::access_log::Arrivals;
use rummage_core::extract::reading::Reading;
use rummage_core::extract::robots_txt::Robots;
use rummage_core::extract::{Extractor, Format, link_header, lists};
use rummage_core::mend::plan::{Plan, Rule};
use rummage_core::mend::rewrite::source::Source;
use rummage_core::mend::rewrite::{Ground, Kind, rewrite as rewritten};
use rummage_core::url::query::QueryRule;
use rummage_core::url::reference::{Reference, resolve, trim};
use rummage_core::url::userinfo::{MASK, is_masked};
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

/// A source comes back byte for byte if no plan concerns it, and a plan that is applied twice
/// changes nothing the second time.
pub(crate) fn rewrite(bytes: &[u8]) {
    let base = "https://a.test/paths/";
    let none = Plan::default();
    let rule = Rule {
        from: "https://a.test/".to_owned(),
        to: "https://b.test/new/".to_owned(),
        mends: 0,
        tried: 0,
        confidence: None,
    };
    let moved = Plan::new(vec![rule], Vec::new());
    for kind in [Kind::Html, Kind::Xhtml, Kind::Css, Kind::Markdown, Kind::Exact] {
        let Some(source) = Source::decode(bytes, kind) else { continue };
        assert_eq!(source.encode(&source.text).as_deref(), Some(bytes), "{kind:?}");
        let ground = |plan| Ground::at(plan, base).expect("the base is a URL");
        let same = rewritten(kind, &source.text, &ground(&none));
        assert_eq!(same.text, source.text, "{kind:?}");
        let once = rewritten(kind, &source.text, &ground(&moved));
        if once.by_hand.is_empty() {
            let twice = rewritten(kind, &once.text, &ground(&moved));
            assert_eq!(twice.text, once.text, "{kind:?}");
        }
    }
}

pub(crate) fn sitemap(bytes: &[u8]) {
    in_chunks(Format::Sitemap, bytes);
}

pub(crate) fn feed(bytes: &[u8]) {
    in_chunks(Format::Feed, bytes);
}

pub(crate) fn manifest(bytes: &[u8]) {
    in_chunks(Format::Manifest, bytes);
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
    let base = Url::parse("http://a.test/paths/?day=1").expect("it is a URL");
    if let Reference::Web { url, fragment } = resolve(&base, &written) {
        assert!(url.fragment().is_none(), "the fragment was cut off");
        let again = resolve(&Url::parse("https://b.test/").expect("it is a URL"), url.as_str());
        assert_eq!(again, Reference::Web { url, fragment: None }, "of {written:?}");
        assert!(fragment.is_none_or(|fragment| !fragment.contains('#') || written.contains('#')));
    }
}

/// The value of a `Link` header.
pub(crate) fn link_header(bytes: &[u8]) {
    let value = String::from_utf8_lossy(bytes);
    let links = link_header::links(&value);
    assert!(links.len() <= value.matches('<').count(), "each link has a bracket of its own");
    for link in links {
        assert!(value.contains(&link.target) && !link.target.contains('>'), "{link:?}");
    }
}

/// The value of a `srcset` attribute.
pub(crate) fn srcset(bytes: &[u8]) {
    let value = String::from_utf8_lossy(bytes).replace(['"', '&', '\r', '\0'], "-");
    let page = read(Format::Html, format!("<img srcset=\"{value}\">").as_bytes(), LIMIT);
    let mut rest = value.as_str();
    for link in page.links() {
        // Credentials are masked: the rest is as in the value.
        let parts = match link.written.split_once(MASK) {
            Some((before, after)) if is_masked(link.written) => [before, after],
            _ => [link.written, ""],
        };
        for part in parts {
            let at = rest.find(part).expect("candidates come in the order of the value");
            rest = &rest[at + part.len()..];
        }
        assert!(!link.written.is_empty() && !link.written.contains([' ', '\n', '\t']), "{link:?}");
        assert!(!link.written.ends_with(','), "{link:?}");
    }
}

/// A list in any format, whatever its name says.
pub(crate) fn list(bytes: &[u8]) {
    assert_eq!(lists::kind_of("list.csv.gz", bytes), lists::Kind::Table, "the extension decides");
    let _any = lists::kind_of("list", bytes);
    let lines = bytes.split(|byte| *byte == b'\n').count()
        + bytes.iter().filter(|byte| **byte == b'\r').count();
    let in_order = |list: &lists::List| {
        let numbers = || list.entries.iter().map(|entry| entry.line);
        assert!(numbers().is_sorted() && numbers().all(|line| line >= 1 && line as usize <= lines));
        assert!(list.faults.iter().all(|fault| fault.line >= 1 && fault.line as usize <= lines));
        assert_eq!(list.reading().links().count(), list.entries.len());
    };
    in_order(&lists::lines(bytes));
    in_order(&lists::json_lines(bytes));
    for column in [None, Some("1"), Some("url")] {
        let Ok(table) = lists::table(bytes, column) else { continue };
        in_order(&table.list());
        assert!(table.append(bytes, ["verdict"], |_| None).len() >= bytes.len(), "nothing is lost");
    }
}

/// An access log.
pub(crate) fn access_log(bytes: &[u8]) {
    let start = Url::parse("http://a.test/").expect("it is a URL");
    let mut arrivals = Arrivals::new(Some(&start), QueryRule::Keep);
    for (number, line) in (1u64..).zip(bytes.split(|byte| *byte == b'\n')) {
        arrivals.handle_line(number, line);
    }
    assert!(arrivals.malformed <= arrivals.lines, "malformed lines are counted as lines");
    let lines = arrivals.lines;
    let found = arrivals.finish();
    assert!(found.iter().map(|arrival| arrival.hits).sum::<u64>() <= lines, "one request per line");
    for arrival in found {
        assert!(arrival.robots <= arrival.hits && arrival.first <= arrival.last, "{arrival:?}");
        assert!(arrival.path.starts_with('/') && arrival.status >= 400, "{arrival:?}");
    }
}
