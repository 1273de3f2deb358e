//! Host names, connect rules, and private addresses.

use std::time::Duration;

use rummage_core::crawl::Request;
use rummage_core::evidence::{DnsFailure, Failure, Purpose};
use rummage_engine::{Config, ConnectRule};
use tokio::net::UdpSocket;

use crate::script::{answer, config, failure, fetch, page, request, serve};

/// A DNS server that answers every question with these flags and no records; without flags, not
/// at all.
async fn name_server(flags: Option<u16>) -> std::net::SocketAddr {
    let socket = UdpSocket::bind("127.0.0.1:0").await.unwrap();
    let address = socket.local_addr().unwrap();
    tokio::spawn(async move {
        let mut question = [0; 512];
        loop {
            let (length, peer) = socket.recv_from(&mut question).await.unwrap();
            let Some(flags) = flags else { continue };
            // The question is sent back as the answer: QR and RA set (RFC 1035 §4.1.1), and no
            // records.
            let mut answer = question[..length].to_vec();
            answer[2..4].copy_from_slice(&(0x8180 | flags).to_be_bytes());
            answer[6..12].fill(0);
            answer.truncate(question_end(&answer));
            socket.send_to(&answer, peer).await.unwrap();
        }
    });
    address
}

/// Where the question ends: labels, a zero, type and class.
fn question_end(message: &[u8]) -> usize {
    let mut at = 12;
    while message[at] != 0 {
        at += usize::from(message[at]) + 1;
    }
    at + 5
}

#[tokio::test]
async fn each_dns_answer_has_its_failure() {
    for (flags, expected) in [
        (Some(3), DnsFailure::NoSuchName),
        (Some(0), DnsFailure::NoAddress),
        (None, DnsFailure::Silence),
    ] {
        let mut config = config();
        config.dns = Some(name_server(flags).await);
        let reply = fetch(config, request("http://somewhere.test/")).await;
        assert_eq!(*failure(&reply), Failure::Dns(expected));
    }
    // It responds, so that the time-out matters only on a busy machine.
    for flags in [2, 5] {
        let mut config = Config { timeout: Duration::from_secs(20), ..config() };
        config.dns = Some(name_server(Some(flags)).await);
        let reply = fetch(config, request("http://somewhere.test/")).await;
        assert!(matches!(failure(&reply), Failure::Dns(DnsFailure::ServerFailure(_))), "{flags}");
    }
}

#[tokio::test]
async fn a_connect_rule_for_a_host_needs_no_dns_and_a_pattern_does() {
    let server = serve(vec![page("", b"fine")]).await;
    let mut config = config();
    config.dns = Some(name_server(Some(3)).await);
    let rule = |host: &str| ConnectRule { host: host.to_owned(), port: None, to: server };
    config.connect = vec![rule("new.test"), rule("*.test")];
    let reply = fetch(config.clone(), request("http://new.test:8080/")).await;
    assert_eq!(answer(&reply).status, 200);
    let reply = fetch(config, request("http://other.test/")).await;
    assert_eq!(*failure(&reply), Failure::Dns(DnsFailure::NoSuchName));
}

#[tokio::test]
async fn a_connect_rule_with_a_port_applies_to_that_port() {
    let server = serve(vec![page("", b"fine")]).await;
    let mut config = config();
    config.dns = Some(name_server(Some(3)).await);
    config.connect = vec![ConnectRule { host: "new.test".into(), port: Some(81), to: server }];
    assert_eq!(answer(&fetch(config.clone(), request("http://new.test:81/")).await).status, 200);
    let reply = fetch(config, request("http://new.test/")).await;
    assert_eq!(*failure(&reply), Failure::Dns(DnsFailure::NoSuchName));
}

#[tokio::test]
async fn private_addresses_are_requested_only_for_private_start_urls() {
    use rummage_engine::{Clock, Fetcher};
    use url::Url;
    let server = serve(vec![page("", b"fine")]).await;
    let private = format!("http://{server}/");
    for (start, allowed) in [
        ("http://203.0.113.1/", false),
        // A private start opens its own address alone.
        ("http://192.168.1.1/", false),
        ("http://127.0.0.1:9/", true),
    ] {
        let mut config = config();
        config.allow_private = false;
        let fetcher = Fetcher::new(config, Clock::starting_at(std::time::Duration::ZERO));
        fetcher.handle_start(&Url::parse(start).unwrap()).await;
        let reply = fetcher.fetch(request(&private)).await.reply.response;
        if allowed {
            assert_eq!(answer(&reply).status, 200);
        } else {
            assert_eq!(*failure(&reply), Failure::Private(server.ip()));
        }
    }
}

#[tokio::test]
async fn no_private_address_is_requested_through_a_proxy() {
    use rummage_engine::{Clock, Fetcher, Proxies};
    use url::Url;
    let proxy = serve(vec![page("", b"through the proxy")]).await;
    let mut config = config();
    config.allow_private = false;
    config.proxies = Proxies::one(&format!("http://{proxy}"));
    let fetcher = Fetcher::new(config, Clock::starting_at(std::time::Duration::ZERO));
    fetcher.handle_start(&Url::parse("http://203.0.113.1/").unwrap()).await;
    let outcome = async |url: &str| fetcher.fetch(request(url)).await.reply.response;
    for url in ["http://10.0.0.7/", "http://[fe80::1]/", "https://192.168.0.1/"] {
        assert!(matches!(failure(&outcome(url).await), Failure::Private(_)), "{url}");
    }
    for url in ["http://wiki.internal/", "https://printer/", "http://nas.local/"] {
        assert_eq!(*failure(&outcome(url).await), Failure::PrivateName, "{url}");
    }
    assert_eq!(answer(&outcome("http://203.0.113.1/").await).status, 200);
}

#[tokio::test]
async fn a_known_name_is_looked_up_again_unless_it_needs_no_lookup() {
    let server = serve(vec![page("", b"fine")]).await;
    let mut config = config();
    config.dns = Some(name_server(Some(3)).await);
    config.connect = vec![ConnectRule { host: "new.test".into(), port: None, to: server }];
    let check = |url: &str| Request { purpose: Purpose::Names, ..request(url) };
    // Its name does not exist yet, and that says nothing about our DNS server.
    let reply = fetch(config.clone(), check("http://new.test/")).await;
    assert_eq!(answer(&reply).status, 200);
    let reply = fetch(config, check("http://other.test/")).await;
    assert_eq!(*failure(&reply), Failure::Dns(DnsFailure::NoSuchName));
}
