//! Responses of all kinds: headers parsed as leniently as in browsers, bodies decoded.

use std::io::Write;

use flate2::Compression;
use flate2::write::{GzEncoder, ZlibEncoder};
use rummage_core::crawl::BodyUse;
use rummage_core::evidence::Method;

use crate::script::{Play, answer, config, fetch, fetch_from, page, request, say, serve};

const LINK: &[u8] = b"<title>Lock</title><a href=/x>x</a>";

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::fast());
    encoder.write_all(bytes).unwrap();
    encoder.finish().unwrap()
}

#[tokio::test]
async fn the_head_of_a_response_is_kept() {
    let reply = fetch_from(vec![say(
        "HTTP/1.1 301 Moved\nLocation: /neu?ü\nServer: old/1\nETag: \"7\"\n\
         Last-Modified: Mon, 23 Nov 2026 07:00:00 GMT\nContent-Type: Text/HTML; Charset=\"ISO-8859-1\"\n\
         Content-Length: 0\n\n",
    )])
    .await;
    let answer = answer(&reply);
    assert_eq!((answer.status, answer.location.as_deref()), (301, Some("/neu?ü")));
    assert_eq!((answer.server.as_deref(), answer.etag.as_deref()), (Some("old/1"), Some("\"7\"")));
    assert_eq!(answer.last_modified.as_deref(), Some("Mon, 23 Nov 2026 07:00:00 GMT"));
    assert_eq!(answer.media_type.as_deref(), Some("text/html"));
    assert_eq!(answer.charset.as_deref(), Some("ISO-8859-1"));
    assert_eq!(reply.attempt.method, Method::Get);
}

#[tokio::test]
async fn a_location_in_latin_1_is_read_as_in_browsers() {
    let bytes = b"HTTP/1.1 302 Found\r\nLocation: /caf\xe9\r\nContent-Length: 0\r\n\r\n";
    let reply = fetch_from(vec![Play::Say(bytes.to_vec())]).await;
    assert_eq!(answer(&reply).location.as_deref(), Some("/café"));
}

#[tokio::test]
async fn invalid_headers_are_tolerated() {
    let reply = fetch_from(vec![say(
        "HTTP/1.1 200 \nContent-Type : text/html\nno colon here\nX-Folded: a\n  b\n\n<a href=/x>x</a>",
    )])
    .await;
    assert_eq!(answer(&reply).status, 200);
    assert_eq!(reply.reading.unwrap().links().len(), 1);
}

#[tokio::test]
async fn a_body_that_ends_with_the_connection_is_complete() {
    let reply = fetch_from(vec![page("", LINK)]).await;
    assert!(!answer(&reply).truncated);
    assert_eq!(answer(&reply).length, Some(LINK.len() as u64));
    assert_eq!(reply.reading.unwrap().title(), Some("Lock"));
}

#[tokio::test]
async fn a_body_cut_short_is_parsed_and_reported() {
    let reply = fetch_from(vec![page("Content-Length: 500\r\n", LINK)]).await;
    assert!(answer(&reply).truncated);
    assert_eq!(reply.reading.unwrap().links().len(), 1);
}

#[tokio::test]
async fn encoded_bodies_are_decoded_requested_or_not() {
    let mut deflate = ZlibEncoder::new(Vec::new(), Compression::fast());
    deflate.write_all(LINK).unwrap();
    for (name, body) in [("gzip", gzip(LINK)), ("deflate", deflate.finish().unwrap())] {
        let reply = fetch_from(vec![page(&format!("Content-Encoding: {name}\r\n"), &body)]).await;
        assert!(!answer(&reply).truncated, "{name}");
        assert_eq!(reply.reading.unwrap().links().len(), 1, "{name}");
    }
}

#[tokio::test]
async fn a_damaged_gzip_body_counts_as_cut_short() {
    let mut whole = gzip(&LINK.repeat(50));
    whole.truncate(whole.len() / 2);
    let mut damaged = gzip(&LINK.repeat(50));
    damaged[20] ^= 0xff;
    for body in [whole, damaged, b"not gzip at all".to_vec()] {
        let reply = fetch_from(vec![page("Content-Encoding: gzip\r\n", &body)]).await;
        assert!(answer(&reply).truncated);
    }
}

#[tokio::test]
async fn a_decompression_bomb_stops_at_the_size_limit() {
    let bomb = gzip(&vec![b' '; 50 << 20]);
    let reply = fetch_from(vec![page("Content-Encoding: gzip\r\n", &bomb)]).await;
    assert!(reply.reading.as_ref().is_some_and(|reading| reading.cut));
    assert!(!answer(&reply).truncated);
}

#[tokio::test]
async fn an_external_page_is_read_only_for_its_title() {
    let body = [LINK, &b"<a href=/y>y</a>".repeat(10_000)].concat();
    let server = serve(vec![page("", &body)]).await;
    let mut wanted = request(&format!("http://{server}/"));
    wanted.body = BodyUse::Title;
    let reading = fetch(config(), wanted).await.reading.unwrap();
    assert!(reading.cut && reading.title() == Some("Lock"));
}

#[tokio::test]
async fn bodies_that_are_not_pages_are_not_read() {
    let pdf = say("HTTP/1.1 200 OK\nContent-Type: application/pdf\nContent-Length: 900000\n\n%PDF");
    let reply = fetch_from(vec![pdf]).await;
    assert_eq!(answer(&reply).length, Some(900_000));
    assert!(reply.reading.is_none());
    let missing = say("HTTP/1.1 404 Not Found\nContent-Type: text/html\n\n<a href=/x>x</a>");
    assert!(fetch_from(vec![missing]).await.reading.is_none());
}
