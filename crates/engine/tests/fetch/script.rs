//! Servers that play a script, and a fetcher for them.

use std::net::SocketAddr;
use std::time::Duration;

use rummage_core::crawl::{BodyUse, Kind, Request, RequestId, Response};
use rummage_core::evidence::{AttemptOutcome, Failure, Method, Purpose, ResponseHead};
use rummage_core::url::scope::Scope;
use rummage_engine::{
    Clock, Config, Credentials, DEFAULT_USER_AGENT, Fetcher, LocalFiles, Proxies,
};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use url::Url;

/// Long enough for a busy machine, short enough for a test that waits for it.
pub(crate) const TIMEOUT: Duration = Duration::from_millis(400);

/// What a server does with a connection once a request has arrived.
#[derive(Debug, Clone)]
pub(crate) enum Play {
    /// Sends these bytes and closes.
    Say(Vec<u8>),
    /// Sends nothing and keeps the connection open.
    Hang,
    /// Sends these bytes and keeps the connection open.
    SayAndHang(Vec<u8>),
    /// Closes with a reset.
    Reset,
    /// Sends the head of the request, as the title of a page.
    Echo,
}

pub(crate) fn say(text: &str) -> Play {
    Play::Say(text.replace('\n', "\r\n").into_bytes())
}

/// A page with these headers and this body.
pub(crate) fn page(fields: &str, body: &[u8]) -> Play {
    let head = format!("HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n{fields}\r\n");
    Play::Say([head.as_bytes(), body].concat())
}

/// Plays the scripts, one per connection, the last one for all further ones.
pub(crate) async fn serve(plays: Vec<Play>) -> SocketAddr {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = listener.local_addr().unwrap();
    tokio::spawn(async move {
        for number in 0.. {
            let (stream, _) = listener.accept().await.unwrap();
            let play = plays[number.min(plays.len() - 1)].clone();
            tokio::spawn(perform(stream, play));
        }
    });
    url
}

async fn perform(mut stream: TcpStream, play: Play) {
    let mut request = [0; 4096];
    let length = stream.read(&mut request).await.unwrap_or_default();
    match play {
        Play::Echo => {
            let head = String::from_utf8_lossy(&request[..length]);
            let body = format!("<title>{head}</title>");
            let head = "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length:";
            let answer = format!("{head} {}\r\n\r\n{body}", body.len());
            stream.write_all(answer.as_bytes()).await.unwrap_or_default();
        }
        Play::Say(bytes) => stream.write_all(&bytes).await.unwrap_or_default(),
        Play::Reset => stream.set_zero_linger().unwrap(),
        Play::Hang => std::future::pending().await,
        Play::SayAndHang(bytes) => {
            stream.write_all(&bytes).await.unwrap_or_default();
            std::future::pending().await
        }
    }
}

pub(crate) fn config() -> Config {
    Config {
        user_agent: DEFAULT_USER_AGENT.parse().unwrap(),
        credentials: Credentials::default(),
        timeout: TIMEOUT,
        dns: None,
        connect: Vec::new(),
        ca_certs: Vec::new(),
        allow_private: true,
        max_size: 100_000,
        max_links: 1000,
        proxies: Proxies::none(),
        local_files: LocalFiles::default(),
    }
}

pub(crate) fn request(url: &str) -> Request {
    Request {
        id: RequestId::from_number(0),
        purpose: Purpose::Verdict,
        url: url.to_owned(),
        method: Method::Get,
        body: BodyUse::Page,
        kind: Kind::Page,
        scope: Scope::Internal,
        later: false,
        brief: false,
        cookies: None,
        sketch: false,
        validators: None,
    }
}

pub(crate) async fn fetch(config: Config, request: Request) -> Response {
    let fetcher = Fetcher::new(config, Clock::starting_at(Duration::ZERO));
    fetcher.handle_start(&Url::parse(&request.url).unwrap()).await;
    fetcher.fetch(request).await.reply.response
}

/// The result of a request to a server that plays these scripts.
pub(crate) async fn fetch_from(plays: Vec<Play>) -> Response {
    let url = serve(plays).await;
    fetch(config(), request(&format!("http://{url}/"))).await
}

pub(crate) fn answer(reply: &Response) -> &ResponseHead {
    match &reply.attempt.outcome {
        AttemptOutcome::Response(answer) => answer,
        AttemptOutcome::Failure(failure) => panic!("no answer: {failure:?}"),
    }
}

pub(crate) fn failure(reply: &Response) -> &Failure {
    match &reply.attempt.outcome {
        AttemptOutcome::Failure(failure) => failure,
        AttemptOutcome::Response(answer) => panic!("an answer: {answer:?}"),
    }
}
