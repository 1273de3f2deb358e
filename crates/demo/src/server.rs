//! Serves a scenario on loopback: all hosts on one port, http and https alike.
//!
//! Hosts are told apart by `Host`, TLS by its first byte. Whoever visits must ask
//! our name server and connect to our port: [`Web::environment`] says how.

use std::collections::HashMap;
use std::convert::Infallible;
use std::io;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use bytes::Bytes;
use http::{Request, Response, StatusCode, header};
use http_body_util::combinators::BoxBody;
use http_body_util::{BodyExt, Full, StreamBody};
use hyper::body::{Frame, Incoming};
use hyper::service::service_fn;
use hyper_util::rt::TokioIo;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::{TcpListener, TcpSocket, TcpStream, UdpSocket};
use tokio::sync::mpsc;
use tokio::task::JoinSet;
use tokio_rustls::TlsAcceptor;

use crate::authority::Authority;
use crate::dns;
use crate::scenario::{Act, Answer, Host, Reach, Scenario};

/// Between two pieces of an endless page.
const DRIP: Duration = Duration::from_millis(100);

/// A request that was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Asked {
    /// The method.
    pub method: String,
    /// The host, as the request named it.
    pub host: String,
    /// Path and query.
    pub path: String,
    /// The `Authorization` field.
    pub authorization: Option<String>,
    /// The `User-Agent` field.
    pub user_agent: String,
}

/// A simulated web on the air. It goes off the air when dropped.
#[derive(Debug)]
pub struct Web {
    /// Where all hosts are served.
    pub server: SocketAddr,
    /// The name server.
    pub dns: SocketAddr,
    /// The certificate to trust, as PEM.
    pub certificate: String,
    /// Hosts that refuse connections, and where they do.
    refusing: Vec<(String, SocketAddr)>,
    log: Arc<Mutex<Vec<Asked>>>,
    _tasks: JoinSet<()>,
    /// A port that is taken and answers nobody.
    _closed: TcpSocket,
}

/// Puts a scenario on the air, on free ports of this machine.
///
/// # Errors
/// When there is no free port.
pub async fn serve(scenario: &Scenario) -> io::Result<Web> {
    let listener = TcpListener::bind("127.0.0.1:0").await?;
    let names = UdpSocket::bind("127.0.0.1:0").await?;
    let closed = TcpSocket::new_v4()?;
    closed.bind(SocketAddr::from(([127, 0, 0, 1], 0)))?;
    let hosts = Arc::new(scenario.hosts.clone());
    let authority = Authority::new(hosts.keys().cloned().collect()).map_err(io::Error::other)?;
    let refuses = |(_, host): &(&String, &Host)| host.reach == Reach::Refuses;
    let closed_at = closed.local_addr()?;
    let refusing = hosts.iter().filter(refuses).map(|(name, _)| (name.clone(), closed_at));
    let refusing = refusing.collect();
    let (server, dns) = (listener.local_addr()?, names.local_addr()?);
    let site = Arc::new(Site { hosts: Arc::clone(&hosts), ..Site::default() });
    let log = Arc::clone(&site.log);
    let mut tasks = JoinSet::new();
    tasks.spawn(accept(listener, site, TlsAcceptor::from(authority.config)));
    tasks.spawn(dns::serve(names, hosts));
    let certificate = authority.pem;
    Ok(Web { server, dns, certificate, refusing, log, _tasks: tasks, _closed: closed })
}

impl Web {
    /// The variables that lead a visitor here. `certificate` is the file that holds
    /// [`certificate`](Web::certificate).
    #[must_use]
    pub fn environment(&self, certificate: &str) -> Vec<(&'static str, String)> {
        let mut connect: Vec<String> =
            self.refusing.iter().map(|(name, at)| format!("{name}={at}")).collect();
        connect.push(format!("*.test={}", self.server));
        vec![
            ("RUMMAGE_DNS", self.dns.to_string()),
            ("RUMMAGE_CONNECT", connect.join(" ")),
            ("RUMMAGE_CA_CERT", certificate.to_owned()),
        ]
    }

    /// Every request so far.
    #[must_use]
    pub fn asked(&self) -> Vec<Asked> {
        self.log.lock().expect("nothing panics while it holds the log").clone()
    }
}

#[derive(Default)]
struct Site {
    hosts: Arc<std::collections::BTreeMap<String, Host>>,
    log: Arc<Mutex<Vec<Asked>>>,
    /// How often what fails first has failed.
    failures: Mutex<HashMap<(String, String), u32>>,
}

type Body = BoxBody<Bytes, Infallible>;

async fn accept(listener: TcpListener, site: Arc<Site>, tls: TlsAcceptor) {
    let mut tasks = JoinSet::new();
    loop {
        let Ok((stream, _)) = listener.accept().await else { continue };
        let _ = stream.set_nodelay(true);
        tasks.spawn(connection(stream, Arc::clone(&site), tls.clone()));
        while tasks.try_join_next().is_some() {}
    }
}

async fn connection(stream: TcpStream, site: Arc<Site>, tls: TlsAcceptor) {
    let mut first = [0];
    match stream.peek(&mut first).await {
        Ok(1) if first[0] == 0x16 => {
            if let Ok(stream) = tls.accept(stream).await {
                answer_requests(stream, site, true).await;
            }
        }
        Ok(1) => {
            if site.resets(&stream).await {
                // What is dropped with nothing left to say is reset.
                let _ = stream.set_zero_linger();
            } else {
                answer_requests(stream, site, false).await;
            }
        }
        _ => {}
    }
}

async fn answer_requests<S>(stream: S, site: Arc<Site>, secure: bool)
where
    S: AsyncRead + AsyncWrite + Unpin + Send + 'static,
{
    let service = service_fn(move |request| {
        let site = Arc::clone(&site);
        async move { Ok::<_, Infallible>(site.answer(&request, secure).await) }
    });
    // A visitor who leaves in the middle is no failure of ours.
    let _ = hyper::server::conn::http1::Builder::new()
        .serve_connection(TokioIo::new(stream), service)
        .await;
}

impl Site {
    /// Whether the host that a plain request names resets its connections.
    async fn resets(&self, stream: &TcpStream) -> bool {
        if self.hosts.values().all(|host| host.reach != Reach::Resets) {
            return false;
        }
        let mut head = [0; 2048];
        let Ok(length) = stream.peek(&mut head).await else { return false };
        let head = String::from_utf8_lossy(&head[..length]).to_ascii_lowercase();
        let named = |name: &str| head.contains(&format!("\r\nhost: {name}\r\n"));
        let mut resetting = self.hosts.iter().filter(|(_, host)| host.reach == Reach::Resets);
        resetting.any(|(name, _)| named(name))
    }

    async fn answer(&self, request: &Request<Incoming>, secure: bool) -> Response<Body> {
        let field = |name| request.headers().get(name).and_then(|value| value.to_str().ok());
        let host = field(header::HOST).unwrap_or_default();
        let host = host.split(':').next().unwrap_or_default().to_owned();
        let path = request.uri().path_and_query().map_or("/", |path| path.as_str()).to_owned();
        self.log.lock().expect("nothing panics while it holds the log").push(Asked {
            method: request.method().to_string(),
            host: host.clone(),
            path: path.clone(),
            authorization: field(header::AUTHORIZATION).map(str::to_owned),
            user_agent: field(header::USER_AGENT).unwrap_or_default().to_owned(),
        });
        let Some(known) = self.hosts.get(&host) else {
            return response(&answer_of(&Act::status(421)));
        };
        if known.secure && !secure {
            let location = format!("https://{host}{path}");
            return response(&answer_of(&Act::redirect(301, &location)));
        }
        let missing = Act::status(404);
        let act = known.paths.get(&path).unwrap_or(&missing);
        self.play(act, request.method() == http::Method::HEAD, &host, &path).await
    }

    async fn play(&self, act: &Act, head: bool, host: &str, path: &str) -> Response<Body> {
        match act {
            Act::Answer(answer) => response(answer),
            Act::HeadRefused(status, _) if head => response(&answer_of(&Act::status(*status))),
            Act::HeadRefused(_, act) => Box::pin(self.play(act, head, host, path)).await,
            Act::FailsFirst(times, status, act) => {
                if self.has_failed(host, path) < *times {
                    response(&answer_of(&Act::status(*status)))
                } else {
                    Box::pin(self.play(act, head, host, path)).await
                }
            }
            Act::Silent => std::future::pending().await,
            Act::Endless => endless(),
        }
    }

    /// How often this has been asked before.
    fn has_failed(&self, host: &str, path: &str) -> u32 {
        let mut failures = self.failures.lock().expect("nothing panics while it holds the counts");
        let count = failures.entry((host.to_owned(), path.to_owned())).or_default();
        *count += 1;
        *count - 1
    }
}

fn answer_of(act: &Act) -> Answer {
    match act {
        Act::Answer(answer) => answer.clone(),
        _ => Answer { status: 500, ..Answer::default() },
    }
}

fn response(answer: &Answer) -> Response<Body> {
    let mut response = Response::new(Full::new(Bytes::from(answer.body.clone())).boxed());
    *response.status_mut() =
        StatusCode::from_u16(answer.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
    let fields = [
        (header::CONTENT_TYPE, answer.content_type),
        (header::LOCATION, answer.location.as_deref().unwrap_or_default()),
        (header::SERVER, "towpath/1.9"),
    ];
    for (name, value) in &answer.fields {
        if let Ok(value) = value.parse() {
            response.headers_mut().insert(*name, value);
        }
    }
    for (name, value) in fields {
        if let (false, Ok(value)) = (value.is_empty(), value.parse()) {
            response.headers_mut().insert(name, value);
        }
    }
    response
}

/// A page that never ends.
fn endless() -> Response<Body> {
    let (sender, receiver) = mpsc::channel(1);
    tokio::spawn(async move {
        while sender.send(Ok(Frame::data(Bytes::from_static(b"<p>drip</p>\n")))).await.is_ok() {
            tokio::time::sleep(DRIP).await;
        }
    });
    let mut response = Response::new(StreamBody::new(Drips(receiver)).boxed());
    let html = header::HeaderValue::from_static("text/html; charset=utf-8");
    response.headers_mut().insert(header::CONTENT_TYPE, html);
    response
}

/// A channel as a stream.
struct Drips(mpsc::Receiver<Result<Frame<Bytes>, Infallible>>);

impl futures_core::Stream for Drips {
    type Item = Result<Frame<Bytes>, Infallible>;

    fn poll_next(
        mut self: std::pin::Pin<&mut Self>,
        context: &mut std::task::Context<'_>,
    ) -> std::task::Poll<Option<Self::Item>> {
        self.0.poll_recv(context)
    }
}
