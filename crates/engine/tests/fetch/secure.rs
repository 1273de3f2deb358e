//! TLS: which certificates are trusted, and the names of all failures.

use std::net::SocketAddr;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

use bytes::Bytes;
use http_body_util::Full;
use hyper::service::service_fn;
use hyper_util::rt::{TokioExecutor, TokioIo};
use rcgen::{BasicConstraints, CertificateParams, DnType, IsCa, Issuer, KeyPair, date_time_ymd};
use rummage_core::evidence::{Failure, TlsFailure};
use rummage_engine::{Clock, Config, ConnectRule, Fetcher};
use rustls::crypto::ring;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use rustls::{ServerConfig, SupportedProtocolVersion};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpListener;
use tokio::sync::Notify;
use tokio_rustls::TlsAcceptor;
use url::Url;

use crate::script::{answer, config, failure, fetch, page, request, serve};

/// An authority, and certificates that it signs.
struct Authority {
    issuer: Issuer<'static, KeyPair>,
    own: CertificateDer<'static>,
}

impl Authority {
    fn new(name: &str) -> Authority {
        let mut params = CertificateParams::new(Vec::new()).unwrap();
        params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
        params.distinguished_name.push(DnType::CommonName, name);
        let key = KeyPair::generate().unwrap();
        let own = params.self_signed(&key).unwrap().der().clone();
        Authority { issuer: Issuer::new(params, key), own }
    }

    /// A certificate for `lock.test`, changed as the test needs it, and its key.
    fn sign(&self, change: impl FnOnce(&mut CertificateParams)) -> Signed {
        let key = KeyPair::generate().unwrap();
        let mut params = CertificateParams::new(vec!["lock.test".to_owned()]).unwrap();
        params.distinguished_name.push(DnType::CommonName, "A server");
        change(&mut params);
        let certificate = params.signed_by(&key, &self.issuer).unwrap().der().clone();
        Signed { certificate, key }
    }
}

struct Signed {
    certificate: CertificateDer<'static>,
    key: KeyPair,
}

/// Serves one page with this certificate, and closes properly.
async fn serve_tls(signed: Signed, versions: &[&'static SupportedProtocolVersion]) -> SocketAddr {
    let says = "HTTP/1.1 200 OK\r\nContent-Length: 4\r\n\r\nfine";
    serve_with(signed, versions, says.to_owned(), true).await
}

/// Sends this to every client and closes, with a TLS alert or without.
async fn serve_with(
    signed: Signed,
    versions: &[&'static SupportedProtocolVersion],
    says: String,
    with_a_word: bool,
) -> SocketAddr {
    let key = PrivateKeyDer::Pkcs8(signed.key.serialize_der().into());
    let config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_protocol_versions(versions)
        .unwrap()
        .with_no_client_auth()
        .with_single_cert(vec![signed.certificate], key)
        .unwrap();
    let acceptor = TlsAcceptor::from(Arc::new(config));
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = listener.local_addr().unwrap();
    tokio::spawn(async move {
        loop {
            let (stream, _) = listener.accept().await.unwrap();
            let Ok(mut stream) = acceptor.accept(stream).await else { continue };
            let mut head = [0; 4096];
            let _ = stream.read(&mut head).await;
            let _ = stream.write_all(says.as_bytes()).await;
            let _ = stream.flush().await;
            if with_a_word {
                let _ = stream.shutdown().await;
            }
            drop(stream.into_inner().0);
        }
    });
    url
}

fn leading_to(server: SocketAddr, trusted: &Authority) -> Config {
    let mut config = config();
    config.timeout *= 5;
    config.ca_certs = vec![trusted.own.clone()];
    config.connect = vec![ConnectRule { host: "lock.test".into(), port: None, to: server }];
    config
}

async fn seen(authority: &Authority, signed: Signed) -> Failure {
    let server = serve_tls(signed, rustls::ALL_VERSIONS).await;
    let reply = fetch(leading_to(server, authority), request("https://lock.test/")).await;
    failure(&reply).clone()
}

#[tokio::test]
async fn a_private_authority_can_be_trusted() {
    let authority = Authority::new("Friend");
    for versions in [rustls::ALL_VERSIONS, &[&rustls::version::TLS12]] {
        let server = serve_tls(authority.sign(|_| {}), versions).await;
        let reply = fetch(leading_to(server, &authority), request("https://lock.test/")).await;
        assert_eq!(answer(&reply).status, 200);
    }
}

#[tokio::test]
async fn expired_and_future_certificates() {
    let authority = Authority::new("Friend");
    let expired = authority.sign(|params| params.not_after = date_time_ymd(2020, 1, 1));
    assert_eq!(seen(&authority, expired).await, Failure::Tls(TlsFailure::Expired));
    let early = authority.sign(|params| params.not_before = date_time_ymd(2090, 1, 1));
    assert_eq!(seen(&authority, early).await, Failure::Tls(TlsFailure::NotYetValid));
}

#[tokio::test]
async fn a_certificate_for_another_host() {
    let authority = Authority::new("Friend");
    let other = authority.sign(|params| {
        params.subject_alt_names = vec![rcgen::SanType::DnsName("other.test".try_into().unwrap())];
    });
    assert_eq!(seen(&authority, other).await, Failure::Tls(TlsFailure::WrongHost));
}

#[tokio::test]
async fn self_signed_is_distinguished_from_an_unknown_issuer() {
    let authority = Authority::new("Friend");
    let key = KeyPair::generate().unwrap();
    let params = CertificateParams::new(vec!["lock.test".to_owned()]).unwrap();
    let certificate = params.self_signed(&key).unwrap().der().clone();
    let alone = Signed { certificate, key };
    assert_eq!(seen(&authority, alone).await, Failure::Tls(TlsFailure::SelfSigned));
    let external = Authority::new("Unknown").sign(|_| {});
    assert_eq!(seen(&authority, external).await, Failure::Tls(TlsFailure::UnknownIssuer));
}

#[tokio::test]
async fn plain_http_on_a_tls_port_is_recognized() {
    let authority = Authority::new("Friend");
    let server = serve(vec![page("", b"plain")]).await;
    let reply = fetch(leading_to(server, &authority), request("https://lock.test/")).await;
    let expected = TlsFailure::NotTls;
    assert_eq!(*failure(&reply), Failure::Tls(expected));
}

/// Many servers close a TLS connection without an alert.
#[tokio::test]
async fn a_tls_connection_closed_without_alert_ends_a_body_of_unknown_length() {
    let authority = Authority::new("Friend");
    for (fields, truncated) in [("", false), ("Content-Length: 100\r\n", true)] {
        let head =
            format!("HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n{fields}\r\n<title>a</title>");
        let server = serve_with(authority.sign(|_| {}), rustls::ALL_VERSIONS, head, false).await;
        let reply = fetch(leading_to(server, &authority), request("https://lock.test/")).await;
        assert_eq!(answer(&reply).truncated, truncated, "{fields}");
        assert_eq!(reply.reading.unwrap().title(), Some("a"));
    }
}

/// Serves pages over HTTP/2, and counts the connections. Each is closed when `close` is notified.
async fn serve_http2(signed: Signed, close: Arc<Notify>) -> (SocketAddr, Arc<AtomicUsize>) {
    let key = PrivateKeyDer::Pkcs8(signed.key.serialize_der().into());
    let mut config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_protocol_versions(rustls::ALL_VERSIONS)
        .unwrap()
        .with_no_client_auth()
        .with_single_cert(vec![signed.certificate], key)
        .unwrap();
    config.alpn_protocols = vec![b"h2".to_vec()];
    let acceptor = TlsAcceptor::from(Arc::new(config));
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = listener.local_addr().unwrap();
    let accepted = Arc::new(AtomicUsize::new(0));
    let counter = Arc::clone(&accepted);
    tokio::spawn(async move {
        loop {
            let (stream, _) = listener.accept().await.unwrap();
            let Ok(stream) = acceptor.accept(stream).await else { continue };
            counter.fetch_add(1, Ordering::Relaxed);
            let service = service_fn(|request: http::Request<_>| async move {
                let body = format!("<title>{}</title>", request.uri());
                let page = http::Response::builder().header("Content-Type", "text/html");
                page.body(Full::new(Bytes::from(body)))
            });
            let close = Arc::clone(&close);
            tokio::spawn(async move {
                let connection = hyper::server::conn::http2::Builder::new(TokioExecutor::new())
                    .serve_connection(TokioIo::new(stream), service);
                tokio::select! {
                    _ = connection => {}
                    () = close.notified() => {}
                }
            });
        }
    });
    (url, accepted)
}

#[tokio::test]
async fn http2_has_one_connection_for_all_requests() {
    let authority = Authority::new("Friend");
    let close = Arc::new(Notify::new());
    let (server, accepted) = serve_http2(authority.sign(|_| {}), Arc::clone(&close)).await;
    let fetcher = Fetcher::new(leading_to(server, &authority), Clock::starting_at(Duration::ZERO));
    fetcher.handle_start(&Url::parse("https://lock.test/").unwrap()).await;
    let title = async |path: &str| {
        let reply = fetcher.fetch(request(&format!("https://lock.test{path}"))).await.reply;
        reply.response.reading.unwrap().title().map(str::to_owned)
    };
    let whole = |path: &str| Some(format!("https://lock.test{path}"));
    // The version is known when a connection is there: each of these opens one.
    let (a, b, c) = tokio::join!(title("/a"), title("/b"), title("/c"));
    assert_eq!([a, b, c], [whole("/a"), whole("/b"), whole("/c")]);
    let opened = accepted.load(Ordering::Relaxed);
    for path in ["/d", "/e", "/f", "/g"] {
        assert_eq!(title(path).await, whole(path));
    }
    assert_eq!(accepted.load(Ordering::Relaxed), opened, "they share one");
    close.notify_waiters();
    assert_eq!(title("/h").await, whole("/h"));
    assert_eq!(accepted.load(Ordering::Relaxed), opened + 1);
}
