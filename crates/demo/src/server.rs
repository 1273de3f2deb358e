//! Serves a scenario on loopback: all hosts on one port, http and https alike.
//!
//! Hosts are distinguished by `Host`, TLS by its first byte. Clients must use this DNS server and
//! connect to this port: [`Web::environment`] says how.

use std::collections::HashMap;
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
use hyper_util::rt::{TokioExecutor, TokioIo};
use rustls::server::Acceptor;
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt};
use tokio::net::{TcpListener, TcpSocket, TcpStream, UdpSocket};
use tokio::sync::{mpsc, watch};
use tokio::task::JoinSet;
use tokio_rustls::LazyConfigAcceptor;

use crate::authority::Authority;
use crate::blog::LiveBlog;
use crate::dns;
use crate::mail::{self, Post, ReceivedEmail};
use crate::scenario::{Act, Answer, ConnectionMode, Host, Scenario, Tls};

/// Time between two pieces of an endless page.
const DRIP: Duration = Duration::from_millis(100);

/// A request that the server received.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReceivedRequest {
    /// The method.
    pub method: String,
    /// The host, as the request named it.
    pub host: String,
    /// Path and query.
    pub path: String,
    /// It arrived over TLS.
    pub secure: bool,
    /// The `Authorization` header.
    pub authorization: Option<String>,
    /// The `User-Agent` header.
    pub user_agent: String,
}

impl ReceivedRequest {
    /// The URL that was requested.
    #[must_use]
    pub fn url(&self) -> String {
        let scheme = if self.secure { "https" } else { "http" };
        format!("{scheme}://{}{}", self.host, self.path)
    }
}

/// A simulated web that is being served, until it is dropped.
#[derive(Debug)]
pub struct Web {
    /// The address of all hosts.
    pub server: SocketAddr,
    /// The DNS server.
    pub dns: SocketAddr,
    /// The mail server.
    pub mail: SocketAddr,
    /// The mail server, for TLS from the start (RFC 8314 §3.3).
    pub mail_over_tls: SocketAddr,
    /// The certificate to trust, as PEM.
    pub certificate: String,
    /// Hosts that refuse connections, with their addresses.
    refusing: Vec<(String, SocketAddr)>,
    log: Arc<Mutex<Vec<ReceivedRequest>>>,
    site: Arc<Site>,
    post: Arc<Post>,
    _tasks: JoinSet<()>,
    /// Whether the web hosts are up.
    up: watch::Sender<bool>,
    /// A bound port that accepts no connections.
    _closed: TcpSocket,
}

/// Serves a scenario on free ports of this machine.
///
/// # Errors
/// If there is no free port.
pub async fn serve(scenario: &Scenario) -> io::Result<Web> {
    let listener = TcpListener::bind("127.0.0.1:0").await?;
    let (names, names_by_tcp) = name_sockets().await?;
    let closed = TcpSocket::new_v4()?;
    closed.bind(SocketAddr::from(([127, 0, 0, 1], 0)))?;
    let hosts = Arc::new(scenario.hosts.clone());
    let authority = Authority::new(&hosts).map_err(io::Error::other)?;
    let certificate = authority.pem.clone();
    let refuses = |(_, host): &(&String, &Host)| host.reach == ConnectionMode::Refuses;
    let closed_at = closed.local_addr()?;
    let refusing = hosts.iter().filter(refuses).map(|(name, _)| (name.clone(), closed_at));
    let refusing = refusing.collect();
    let (server, dns) = (listener.local_addr()?, names.local_addr()?);
    let blogs = hosts
        .iter()
        .filter_map(|(name, host)| Some((name.clone(), LiveBlog::new(name, host.blog.as_ref()?))));
    let blogs = Mutex::new(blogs.collect());
    let site = Arc::new(Site { hosts: Arc::clone(&hosts), blogs, ..Site::default() });
    let served = Arc::clone(&site);
    let log = Arc::clone(&site.log);
    let mut tasks = JoinSet::new();
    let (up, is_up) = watch::channel(true);
    let mail_listener = TcpListener::bind("127.0.0.1:0").await?;
    let (mail, post) = (mail_listener.local_addr()?, Arc::new(Post::default()));
    tasks.spawn(mail::serve(mail_listener, Arc::clone(&post), authority.of(None), false));
    let tls_listener = TcpListener::bind("127.0.0.1:0").await?;
    let mail_over_tls = tls_listener.local_addr()?;
    tasks.spawn(mail::serve(tls_listener, Arc::clone(&post), authority.of(None), true));
    tasks.spawn(stay_up(listener, is_up, site, Arc::new(authority)));
    tasks.spawn(dns::serve(names, Arc::clone(&hosts)));
    tasks.spawn(dns::serve_tcp(names_by_tcp, hosts));
    Ok(Web {
        server,
        dns,
        mail,
        mail_over_tls,
        certificate,
        refusing,
        log,
        site: served,
        post,
        up,
        _tasks: tasks,
        _closed: closed,
    })
}

impl Web {
    /// The environment variables that direct rummage here. `certificate` is the file with
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
            ("RUMMAGE_DIGEST_SERVER", self.mail.to_string()),
        ]
    }

    /// Takes the web hosts down, as for a restart, or brings them up again. Their connections
    /// break, and new ones are refused meanwhile.
    pub fn set_up(&self, up: bool) {
        self.up.send_replace(up);
    }

    /// Every email so far.
    #[must_use]
    pub fn emails(&self) -> Vec<ReceivedEmail> {
        self.post.emails()
    }

    /// Makes the mail server reject this many emails, as a busy one does.
    pub fn refuse_emails(&self, emails: u32) {
        self.post.refuse(emails);
    }

    /// Makes the mail server accept the next email, and drop the connection before it can reply.
    pub fn drop_connection_after_email(&self) {
        self.post.drop_connection();
    }

    /// Signals the number of emails, each time one arrives.
    #[must_use]
    pub fn arrivals(&self) -> watch::Receiver<usize> {
        self.post.arrivals()
    }

    /// How often a post of a blog was changed through its API.
    #[must_use]
    pub fn revisions(&self, host: &str, kind: &str, id: u64) -> u64 {
        self.site.with_blog(host, |blog| blog.revisions(kind, id)).unwrap_or_default()
    }

    /// The content of a post of a blog, by its path without the leading slash.
    #[must_use]
    pub fn post(&self, host: &str, path: &str) -> String {
        self.site.with_blog(host, |blog| blog.content(path)).unwrap_or_default()
    }

    /// Edits a post of a blog, as its author may do at any time.
    pub fn edit_post(&self, host: &str, kind: &str, id: u64, content: &str) {
        self.site.with_blog(host, |blog| blog.edit(kind, id, content));
    }

    /// Every request so far.
    #[must_use]
    pub fn requests(&self) -> Vec<ReceivedRequest> {
        self.log.lock().expect("nothing panics while it holds the log").clone()
    }
}

#[derive(Debug, Default)]
struct Site {
    hosts: Arc<std::collections::BTreeMap<String, Host>>,
    log: Arc<Mutex<Vec<ReceivedRequest>>>,
    /// The blogs as they are now, by host.
    blogs: Mutex<HashMap<String, LiveBlog>>,
    /// How many times a path that fails first has failed.
    failures: Mutex<HashMap<(String, String), u32>>,
}

type Body = BoxBody<Bytes, io::Error>;

const HTML: header::HeaderValue = header::HeaderValue::from_static("text/html; charset=utf-8");

/// DNS uses the same port over UDP and TCP.
async fn name_sockets() -> io::Result<(UdpSocket, TcpListener)> {
    for _ in 0..20 {
        let udp = UdpSocket::bind("127.0.0.1:0").await?;
        if let Ok(tcp) = TcpListener::bind(udp.local_addr()?).await {
            return Ok((udp, tcp));
        }
    }
    Err(io::Error::other("no port is free over both UDP and TCP"))
}

/// Serves while the hosts are up.
async fn stay_up(
    listener: TcpListener,
    mut is_up: watch::Receiver<bool>,
    site: Arc<Site>,
    authority: Arc<Authority>,
) {
    let Ok(at) = listener.local_addr() else { return };
    let mut listener = Some(listener);
    while let Some(open) = listener.take() {
        tokio::select! {
            () = accept(open, Arc::clone(&site), Arc::clone(&authority)) => {}
            _ = is_up.wait_for(|up| !up) => {}
        }
        if is_up.wait_for(|up| *up).await.is_ok() {
            listener = reopen(at).ok();
        }
    }
}

/// The same port, although connections to it may still be closing.
fn reopen(at: SocketAddr) -> io::Result<TcpListener> {
    let socket = TcpSocket::new_v4()?;
    socket.set_reuseaddr(true)?;
    socket.bind(at)?;
    socket.listen(1024)
}

async fn accept(listener: TcpListener, site: Arc<Site>, authority: Arc<Authority>) {
    let mut tasks = JoinSet::new();
    loop {
        let Ok((stream, _)) = listener.accept().await else { continue };
        let _ = stream.set_nodelay(true);
        tasks.spawn(connection(stream, Arc::clone(&site), Arc::clone(&authority)));
        while tasks.try_join_next().is_some() {}
    }
}

async fn connection(mut stream: TcpStream, site: Arc<Site>, authority: Arc<Authority>) {
    let mut head = [0; 4096];
    let Ok(length @ 1..) = stream.peek(&mut head).await else { return };
    if head[0] == 0x16 {
        return secure_connection(stream, &head[..length], site, &authority).await;
    }
    match site.reach(&head[..length]) {
        // A socket that is dropped without lingering is reset.
        ConnectionMode::Resets => drop(stream.set_zero_linger()),
        ConnectionMode::Babbles => {
            // A client that disconnects early is not a failure of the server.
            let _ = stream.write_all(b"220 towpath mail at your service\r\n").await;
        }
        ConnectionMode::Serves | ConnectionMode::Refuses => {
            answer_requests(stream, site, false, false).await
        }
    }
}

async fn secure_connection(
    mut stream: TcpStream,
    hello: &[u8],
    site: Arc<Site>,
    authority: &Authority,
) {
    // A client that disconnects early is not a failure of the server.
    match site.tls(hello) {
        Tls::Silent => std::future::pending().await,
        Tls::Plain => drop(stream.write_all(b"HTTP/1.1 400 Bad Request\r\n\r\n").await),
        // A fatal alert, protocol_version (RFC 8446 §6).
        Tls::NothingInCommon => drop(stream.write_all(&[0x15, 3, 3, 0, 2, 2, 70]).await),
        _ => {
            let Ok(hello) = LazyConfigAcceptor::new(Acceptor::default(), stream).await else {
                return;
            };
            let config = authority.of(hello.client_hello().server_name());
            if let Ok(stream) = hello.into_stream(config).await {
                let is_h2 = stream.get_ref().1.alpn_protocol() == Some(b"h2");
                answer_requests(stream, site, true, is_h2).await;
            }
        }
    }
}

async fn answer_requests<S>(stream: S, site: Arc<Site>, secure: bool, is_h2: bool)
where
    S: AsyncRead + AsyncWrite + Unpin + Send + 'static,
{
    let service = service_fn(move |request| {
        let site = Arc::clone(&site);
        async move { site.answer(request, secure).await }
    });
    let stream = TokioIo::new(stream);
    // A client that disconnects early is not a failure of the server.
    if is_h2 {
        let _ = hyper::server::conn::http2::Builder::new(TokioExecutor::new())
            .serve_connection(stream, service)
            .await;
    } else {
        let _ = hyper::server::conn::http1::Builder::new().serve_connection(stream, service).await;
    }
}

impl Site {
    /// How a plain connection is handled, by the host that its request names.
    fn reach(&self, head: &[u8]) -> ConnectionMode {
        let unusual =
            |host: &Host| !matches!(host.reach, ConnectionMode::Serves | ConnectionMode::Refuses);
        if !self.hosts.values().any(unusual) {
            return ConnectionMode::Serves;
        }
        let head = String::from_utf8_lossy(head).to_ascii_lowercase();
        let named = |name: &str| head.contains(&format!("\r\nhost: {name}\r\n"));
        let mut unusual = self.hosts.iter().filter(|(_, host)| unusual(host));
        unusual.find(|(name, _)| named(name)).map_or(ConnectionMode::Serves, |(_, host)| host.reach)
    }

    /// How a TLS connection is handled, by the host that its first message names in plain text
    /// (RFC 6066 §3).
    fn tls(&self, hello: &[u8]) -> Tls {
        let names = |name: &str| hello.windows(name.len()).any(|part| part == name.as_bytes());
        let mut unusual = self.hosts.iter().filter(|(_, host)| host.tls != Tls::Good);
        unusual.find(|(name, _)| names(name)).map_or(Tls::Good, |(_, host)| host.tls)
    }

    /// Returns an error to end the connection instead.
    async fn answer(
        &self,
        mut request: Request<Incoming>,
        secure: bool,
    ) -> Result<Response<Body>, io::Error> {
        let body = match request.method() {
            &http::Method::POST => request.body_mut().collect().await.ok(),
            _ => None,
        };
        let field = |name| request.headers().get(name).and_then(|value| value.to_str().ok());
        let host = field(header::HOST).or(request.uri().host()).unwrap_or_default();
        let host = host.split(':').next().unwrap_or_default().to_owned();
        let path = request.uri().path_and_query().map_or("/", |path| path.as_str()).to_owned();
        self.log.lock().expect("nothing panics while it holds the log").push(ReceivedRequest {
            method: request.method().to_string(),
            host: host.clone(),
            path: path.clone(),
            secure,
            authorization: field(header::AUTHORIZATION).map(str::to_owned),
            user_agent: field(header::USER_AGENT).unwrap_or_default().to_owned(),
        });
        let Some(known) = self.hosts.get(&host) else {
            return Ok(response(&answer_of(&Act::status(421))));
        };
        if known.secure && !secure {
            let location = format!("https://{host}{path}");
            return Ok(response(&answer_of(&Act::redirect(301, &location))));
        }
        if known.refuses.contains(&self.has_failed(&host, "")) {
            return Ok(response(&answer_of(&Act::status(403))));
        }
        if known.blog.is_some() {
            let body = body.map(|body| body.to_bytes()).unwrap_or_default();
            let authorization = field(header::AUTHORIZATION).unwrap_or_default();
            let method = request.method().as_str();
            let answer =
                self.with_blog(&host, |blog| blog.answer(method, &path, authorization, &body));
            if let Some(Some(answer)) = answer {
                return Ok(response(&answer));
            }
        }
        let missing = Act::status(404);
        let act = known.paths.get(&path).or_else(|| known.catch_all(&path)).unwrap_or(&missing);
        if let (Act::Answer(answer), Some(requests)) = (act, field(header::IF_NONE_MATCH))
            && answer.fields.iter().any(|(name, value)| *name == "etag" && value == requests)
        {
            let unchanged =
                Answer { status: 304, fields: answer.fields.clone(), ..Answer::default() };
            return Ok(response(&unchanged));
        }
        let cookies = field(header::COOKIE).unwrap_or_default();
        let visit = Visit {
            head: request.method() == http::Method::HEAD,
            host: &host,
            path: &path,
            cookies,
        };
        self.play(act, visit).await
    }

    async fn play(&self, act: &Act, visit: Visit<'_>) -> Result<Response<Body>, io::Error> {
        match act {
            Act::Answer(answer) => Ok(response(answer)),
            Act::Head(act, _) if visit.head => Box::pin(self.play(act, visit)).await,
            Act::Head(_, act) => Box::pin(self.play(act, visit)).await,
            Act::First(times, first, then) => {
                let act =
                    if self.has_failed(visit.host, visit.path) < *times { first } else { then };
                Box::pin(self.play(act, visit)).await
            }
            Act::NeedsCookie(cookie, act) => {
                if visit.cookies.split("; ").any(|brought| brought == *cookie) {
                    return Box::pin(self.play(act, visit)).await;
                }
                let again = Act::redirect(302, visit.path).with("set-cookie", cookie);
                Ok(response(&answer_of(&again)))
            }
            Act::Silent => std::future::pending().await,
            Act::Endless => Ok(endless()),
            Act::CutOff(start) => Ok(cut_off(start)),
        }
    }

    /// Does something with the blog of a host, if it has one.
    fn with_blog<T>(&self, host: &str, act: impl FnOnce(&mut LiveBlog) -> T) -> Option<T> {
        let mut blogs = self.blogs.lock().expect("nothing panics while it holds the blogs");
        blogs.get_mut(host).map(act)
    }

    /// How many times this has been requested before.
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
    let mut response = Response::new(
        Full::new(Bytes::from(answer.body.clone())).map_err(|never| match never {}).boxed(),
    );
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

/// A request and its context.
#[derive(Clone, Copy)]
struct Visit<'a> {
    head: bool,
    host: &'a str,
    path: &'a str,
    cookies: &'a str,
}

/// A page that ends before its announced length.
fn cut_off(start: &[u8]) -> Response<Body> {
    let (sender, receiver) = mpsc::channel(2);
    let start = Bytes::copy_from_slice(start);
    let length = start.len() as u64 + 1000;
    tokio::spawn(async move {
        // A client that disconnects early is not a failure of the server.
        let _ = sender.send(Ok(Frame::data(start))).await;
        let _ = sender.send(Err(io::Error::other("cut off"))).await;
    });
    let mut response = Response::new(StreamBody::new(Drips(receiver)).boxed());
    response.headers_mut().insert(header::CONTENT_TYPE, HTML);
    response.headers_mut().insert(header::CONTENT_LENGTH, length.into());
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
    response.headers_mut().insert(header::CONTENT_TYPE, HTML);
    response
}

/// A channel as a stream.
struct Drips(mpsc::Receiver<Result<Frame<Bytes>, io::Error>>);

impl futures_core::Stream for Drips {
    type Item = Result<Frame<Bytes>, io::Error>;

    fn poll_next(
        mut self: std::pin::Pin<&mut Self>,
        context: &mut std::task::Context<'_>,
    ) -> std::task::Poll<Option<Self::Item>> {
        self.0.poll_recv(context)
    }
}
