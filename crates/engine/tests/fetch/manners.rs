//! Everything apart from the page: cookies, proxies, Retry-After, bot checks.

use std::time::Duration;

use rummage_core::crawl::{BodyUse, Request};
use rummage_core::evidence::{Failure, Stage, Validators};
use rummage_core::url::credentials::CredentialScope;
use rummage_core::url::scope::Scope;
use rummage_engine::{Clock, Config, ConnectRule, Credentials, Fetcher, Proxies};
use url::Url;

use crate::script::{Play, answer, config, failure, fetch, fetch_from, page, request, say, serve};

/// The head of the request that a server received.
async fn head(config: Config, request: Request) -> String {
    let reply = fetch(config, request).await;
    reply.reading.unwrap().title().unwrap().to_lowercase()
}

#[tokio::test]
async fn credentials_stay_with_their_origin() {
    let (own, other) = (serve(vec![Play::Echo]).await, serve(vec![Play::Echo]).await);
    let (own, other) = (format!("http://{own}/"), format!("http://{other}/"));
    let config = Config {
        credentials: Credentials {
            headers: vec![
                (http::header::AUTHORIZATION, "Basic eDp5".parse().unwrap()),
                (http::header::COOKIE, "key=2".parse().unwrap()),
            ],
            scope: CredentialScope::of([&Url::parse(&own).unwrap()]),
        },
        ..config()
    };
    let fetcher = Fetcher::new(config, Clock::starting_at(Duration::ZERO));
    let head = async |url: &str, scope, cookies: Option<&str>| {
        let cookies = cookies.map(str::to_owned);
        let reply = fetcher.fetch(Request { scope, cookies, ..request(url) }).await;
        reply.reply.response.reading.unwrap().title().unwrap().to_lowercase()
    };
    let seen = head(&own, Scope::Internal, Some("seen=1; visit=7")).await;
    assert!(seen.contains("cookie: seen=1; visit=7; key=2") && seen.contains("basic edp5"));
    let seen = head(&own, Scope::External, None).await;
    assert!(seen.contains("cookie: key=2") && seen.contains("basic edp5"), "{seen}");
    assert_eq!(fetcher.without_credentials(), [""; 0]);
    // Another port is another origin, whatever the bounds of the site are.
    let seen = head(&other, Scope::External, Some("seen=1")).await;
    assert!(seen.contains("cookie: seen=1 ") && !seen.contains("authorization"), "{seen}");
    assert_eq!(fetcher.without_credentials(), [""; 0], "nobody expects them at an external URL");
    let seen = head(&other, Scope::Internal, None).await;
    assert!(!seen.contains("cookie") && !seen.contains("authorization"), "{seen}");
    assert_eq!(fetcher.without_credentials(), [other.trim_end_matches('/')]);
}

#[tokio::test]
async fn a_known_page_is_requested_conditionally() {
    let server = serve(vec![Play::Echo]).await;
    let own = request(&format!("http://{server}/"));
    let seen = head(config(), own.clone()).await;
    assert!(!seen.contains("if-none-match") && !seen.contains("if-modified-since"), "{seen}");
    let validators = Validators {
        etag: Some("\"v7\"".to_owned()),
        last_modified: Some("Mon, 23 Nov 2026 20:00:00 GMT".to_owned()),
    };
    let seen = head(config(), Request { validators: Some(validators), ..own }).await;
    assert!(seen.contains("if-none-match: \"v7\""), "{seen}");
    assert!(seen.contains("if-modified-since: mon, 23 nov 2026 20:00:00 gmt"), "{seen}");
}

#[tokio::test]
async fn a_proxy_gets_the_whole_url_and_localhost_is_requested_directly() {
    let server = serve(vec![Play::Echo]).await;
    let mut config = config();
    config.proxies = Proxies::one(&format!("http://guest:word@{server}"));
    let seen = head(config.clone(), request("http://b.test/x?y")).await;
    assert!(seen.starts_with("get http://b.test/x?y http/1.1"), "{seen}");
    assert!(seen.contains("proxy-authorization: basic z3vlc3q6d29yza=="), "{seen}");
    let seen = head(config, request(&format!("http://{server}/near"))).await;
    assert!(seen.starts_with("get /near http/1.1"), "{seen}");
}

#[tokio::test]
async fn a_proxy_failure_is_distinguished_from_one_of_the_server() {
    let server = serve(vec![say("HTTP/1.1 502 Bad Gateway\n\n")]).await;
    let mut config = config();
    config.proxies = Proxies::one(&format!("http://{server}"));
    let reply = fetch(config.clone(), request("https://b.test/")).await;
    assert!(matches!(failure(&reply), Failure::Proxy(_)), "{reply:?}");
    config.proxies = Proxies::one("http://127.0.0.1:1");
    let reply = fetch(config, request("http://b.test/")).await;
    assert!(matches!(failure(&reply), Failure::Proxy(_)), "{reply:?}");
}

#[tokio::test]
async fn a_misdirected_request_is_repeated() {
    let wrong = say("HTTP/1.1 421 Misdirected Request\nContent-Length: 0\n\n");
    let reply = fetch_from(vec![wrong, page("Content-Length: 4\r\n", b"fine")]).await;
    assert_eq!(answer(&reply).status, 200);
}

#[tokio::test]
async fn header_size_is_limited() {
    let fields = |count: usize| -> String { (0..count).map(|n| format!("X-{n}: y\r\n")).collect() };
    let many = page(&format!("Content-Length: 4\r\n{}", fields(300)), b"fine");
    assert_eq!(answer(&fetch_from(vec![many]).await).status, 200);
    let reply = fetch_from(vec![page(&fields(1000), b"too many")]).await;
    assert!(matches!(failure(&reply), Failure::BadResponse(_)), "{reply:?}");
}

#[tokio::test]
async fn retry_after_is_kept_and_a_bot_check_is_recognized() {
    let busy = say("HTTP/1.1 503 Busy\nRetry-After: 120\nContent-Length: 0\n\n");
    assert_eq!(answer(&fetch_from(vec![busy]).await).retry_after, Some(120));
    let gate = "HTTP/1.1 403 No\nContent-Type: text/html\nContent-Length: 62\n\n\
                <title>Just a moment...</title><p>We look whether you are one.";
    let reply = fetch_from(vec![say(gate)]).await;
    assert!(answer(&reply).signs.challenge, "{reply:?}");
    assert_eq!(reply.reading, None, "it is no page of the site");
    let field = say("HTTP/1.1 403 No\ncf-mitigated: challenge\nContent-Length: 0\n\n");
    assert!(answer(&fetch_from(vec![field]).await).challenge);
}

#[tokio::test]
async fn brotli_is_decoded_even_if_not_requested() {
    // RFC 7932 §9.2: one meta-block, stored uncompressed.
    let body = [&[0x0b, 0x05, 0x80][..], b"<a href=x1>", &[0x03]].concat();
    let fields = format!("Content-Encoding: br\r\nContent-Length: {}\r\n", body.len());
    let reply = fetch_from(vec![page(&fields, &body)]).await;
    let links: Vec<String> =
        reply.reading.unwrap().links().map(|link| link.written.to_owned()).collect();
    assert_eq!(links, ["x1"]);
}

#[tokio::test]
async fn a_page_read_for_its_anchors_is_read_to_its_end() {
    let body = [vec![b' '; 90_000], b"<p id=late>".to_vec()].concat();
    let play = page(&format!("Content-Length: {}\r\n", body.len()), &body);
    let server = serve(vec![play]).await;
    let mut body_use = request(&format!("http://{server}/"));
    for (body, anchors) in [(BodyUse::Title, 0), (BodyUse::Anchors, 1)] {
        body_use.body = body;
        let reply = fetch(config(), body_use.clone()).await;
        assert_eq!(reply.reading.unwrap().anchors().hashes().len(), anchors, "{body:?}");
    }
}

#[tokio::test]
async fn a_hanging_handshake_is_distinguished_from_a_hanging_connection() {
    let server = serve(vec![Play::Hang]).await;
    let mut config = config();
    config.connect = vec![ConnectRule { host: "lock.test".into(), port: None, to: server }];
    let reply = fetch(config, request("https://lock.test/")).await;
    assert_eq!(*failure(&reply), Failure::Timeout(Stage::Tls));
}
