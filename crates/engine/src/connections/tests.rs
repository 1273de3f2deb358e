//! Requests to a server that keeps its connections open, on a clock that only the tests move.

use std::net::SocketAddr;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, mpsc};
use std::task::Poll;
use std::time::Duration;

use bytes::Bytes;
use http_body_util::{BodyExt as _, Empty};
use rummage_core::evidence::Failure;
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tokio::task::{JoinHandle, yield_now};
use tokio::time::{advance, sleep};

use super::dial::Network;
use super::rest::{LONGEST_REST, SHORTEST_REST};
use super::*;
use crate::Config;

/// How long after its response `/twice` sends another, and `/last` ends the connection.
const LATER: Duration = Duration::from_millis(15);

/// A server, and the connections to it.
struct Pair {
    address: SocketAddr,
    accepted: Arc<AtomicUsize>,
    workers: Arc<Semaphore>,
    accepting: JoinHandle<()>,
    connections: Connections<Empty<Bytes>>,
    /// While a blocking task runs, a paused clock stands still.
    _clock: mpsc::Sender<()>,
}

async fn pair() -> Pair {
    pair_of(usize::MAX >> 3, false).await
}

/// A server with so many workers, each of which serves one connection until that is closed.
async fn pair_with(workers: usize) -> Pair {
    pair_of(workers, false).await
}

/// `resets`: connections without a worker are reset. Otherwise, they wait.
async fn pair_of(workers: usize, resets: bool) -> Pair {
    let workers = Arc::new(Semaphore::new(workers));
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port is free");
    let address = listener.local_addr().expect("it is bound");
    let accepted = Arc::new(AtomicUsize::new(0));
    let (counter, own_workers) = (Arc::clone(&accepted), Arc::clone(&workers));
    let accepting = tokio::spawn(async move {
        while let Ok((stream, _)) = listener.accept().await {
            counter.fetch_add(1, Ordering::Relaxed);
            let workers = Arc::clone(&own_workers);
            tokio::spawn(async move {
                if resets && workers.available_permits() == 0 {
                    return stream.set_zero_linger();
                }
                let _worker = workers.acquire().await;
                serve(stream).await
            });
        }
    });
    let (clock, stands) = mpsc::channel();
    tokio::task::spawn_blocking(move || stands.recv());
    let network = Arc::new(Network::new(Config::for_tests()));
    let dialer = Dialer::new(network, Duration::from_secs(1), false);
    Pair {
        address,
        accepted,
        workers,
        accepting,
        connections: Connections::new(dialer),
        _clock: clock,
    }
}

/// Responds to each request with its path.
async fn serve(mut stream: TcpStream) -> std::io::Result<()> {
    let mut request = vec![0; 4096];
    loop {
        let length = stream.read(&mut request).await?;
        let head = String::from_utf8_lossy(&request[..length]).into_owned();
        let Some(path) = head.split(' ').nth(1) else { return Ok(()) };
        if path == "/reset" {
            return stream.set_zero_linger();
        }
        if path == "/never" {
            return std::future::pending().await;
        }
        let response = format!("HTTP/1.1 200 OK\r\nContent-Length: {}\r\n\r\n{path}", path.len());
        stream.write_all(response.as_bytes()).await?;
        if path == "/twice" {
            sleep(LATER).await;
            stream.write_all(response.as_bytes()).await?;
        }
        if path == "/last" {
            sleep(LATER).await;
            return Ok(());
        }
    }
}

async fn body(response: Result<Response<Incoming>, SendError>) -> String {
    let (_head, body) = response.expect("it responds").into_parts();
    let body = body.collect().await.expect("it is complete");
    String::from_utf8(body.to_bytes().to_vec()).expect("it is the path")
}

impl Pair {
    /// The body of the response for a path. As in a crawl, a request is repeated if the server has
    /// closed its connection just then.
    async fn get(&self, path: &str) -> String {
        let mut patience = Patience::new(Duration::from_secs(60));
        match self.connections.request(self.request(path), &mut patience).await {
            Err(SendError::Exchange(_)) => self.get_alone(path).await,
            response => body(response).await,
        }
    }

    /// The same over a connection of its own.
    async fn get_alone(&self, path: &str) -> String {
        let Pair { connections, .. } = self;
        let mut patience = Patience::new(Duration::from_secs(60));
        let request = self.request(path);
        body(connections.request_alone(&connections.dialer, request, &mut patience).await).await
    }

    fn request(&self, path: &str) -> Request<Empty<Bytes>> {
        let uri = format!("http://{}{path}", self.address);
        Request::builder().uri(uri).body(Empty::new()).expect("it is a URI")
    }

    /// Requests this path so many times, one after the other.
    async fn get_often(&self, path: &str, times: usize) {
        for _ in 0..times {
            assert_eq!(self.get(path).await, path);
        }
    }

    fn accepted(&self) -> usize {
        self.accepted.load(Ordering::Relaxed)
    }

    fn server(&self) -> Arc<Server<Empty<Bytes>>> {
        let uri = format!("http://{}/", self.address).parse().expect("it is a URI");
        self.connections.server(&uri)
    }

    /// Waits until so many connections rest.
    async fn until_rests(&self, resting: usize) {
        let server = self.server();
        while server.counts().0 != resting {
            yield_now().await;
        }
    }

    /// Waits until so many connections rest, and so many are idle.
    async fn until(&self, resting: usize, idle: usize) {
        let server = self.server();
        while server.counts() != (resting, idle, 0) {
            yield_now().await;
        }
    }
}

#[tokio::test(start_paused = true)]
async fn a_connection_that_rests_holds_up_no_request() {
    let pair = pair().await;
    pair.get_often("/a", 3).await;
    assert_eq!(pair.accepted(), 3, "each request has a connection at once");
    pair.until(3, 0).await;
    advance(SHORTEST_REST + Duration::from_millis(1)).await;
    pair.until(0, 3).await;
    pair.get_often("/b", 1).await;
    assert_eq!(pair.accepted(), 3, "one has ended its rest");
}

#[tokio::test(start_paused = true)]
async fn connections_that_no_request_needs_are_closed() {
    let pair = pair().await;
    pair.get_often("/a", 3).await;
    pair.until(3, 0).await;
    advance(LONGEST_REST).await;
    pair.until(0, 3).await;
    advance(Duration::from_secs(6)).await;
    pair.get_often("/b", 1).await;
    assert_eq!(pair.accepted(), 4, "it has a new one");
}

#[tokio::test(start_paused = true)]
async fn where_many_rest_a_request_waits_for_one_of_them() {
    let pair = pair().await;
    pair.get_often("/a", NEAR + 1).await;
    pair.until(NEAR + 1, 0).await;
    let mut waiting = std::pin::pin!(pair.get("/b"));
    let looks = async {
        for _ in 0..100 {
            yield_now().await
        }
    };
    tokio::select! {
        biased;
        _ = &mut waiting => panic!("all rest"),
        () = looks => {}
    }
    advance(SHORTEST_REST + Duration::from_millis(1)).await;
    assert_eq!(waiting.await, "/b");
    assert_eq!(pair.accepted(), NEAR + 1);
}

#[tokio::test(start_paused = true)]
async fn a_response_too_many_is_noticed_in_the_rest() {
    let pair = pair().await;
    pair.get_often("/twice", 1).await;
    pair.until(1, 0).await;
    assert!(!pair.server().trust.is_lost());
    advance(LATER + Duration::from_millis(1)).await;
    while !pair.server().trust.is_lost() {
        yield_now().await;
    }
    advance(LONGEST_REST).await;
    assert_eq!(pair.get("/b").await, "/b", "it goes over another connection");
    assert_eq!(pair.accepted(), 2);
    for _ in 0..rest::RESTS * 2 {
        pair.until(1, 0).await;
        advance(LONGEST_REST + Duration::from_millis(1)).await;
        pair.until(0, 1).await;
        pair.get_often("/b", 1).await;
    }
    pair.until(1, 0).await;
    assert_eq!(pair.accepted(), 2, "it still rests each time");
}

#[tokio::test(start_paused = true)]
async fn after_its_rests_a_connection_is_used_at_once() {
    let pair = pair().await;
    for _ in 0..rest::RESTS {
        pair.get_often("/a", 1).await;
        pair.until(1, 0).await;
        advance(SHORTEST_REST + Duration::from_millis(1)).await;
        pair.until(0, 1).await;
    }
    for _ in 0..3 {
        pair.get_often("/a", 1).await;
        pair.until(0, 1).await;
    }
    assert_eq!(pair.accepted(), 1);
}

#[tokio::test(start_paused = true)]
async fn a_connection_that_the_server_closes_costs_no_request() {
    let pair = pair().await;
    pair.get_often("/last", 1).await;
    pair.until(1, 0).await;
    advance(LONGEST_REST).await;
    pair.get_often("/a", 1).await;
    assert_eq!(pair.accepted(), 2);
}

#[tokio::test(start_paused = true)]
async fn a_request_that_is_given_up_counts_no_longer() {
    let pair = pair().await;
    let given_up = tokio::time::timeout(LATER, pair.get("/never"));
    let (given_up, ()) = tokio::join!(given_up, async {
        while pair.accepted() == 0 {
            yield_now().await;
        }
        advance(LATER + Duration::from_millis(1)).await;
    });
    given_up.expect_err("it never responds");
    assert_eq!(pair.server().counts(), (0, 0, 0));
}

#[tokio::test(start_paused = true)]
async fn a_server_with_few_workers_gets_a_connection_for_each() {
    let pair = pair_with(2).await;
    let four =
        async { tokio::join!(pair.get("/a"), pair.get("/b"), pair.get("/c"), pair.get("/d")) };
    let clock = async {
        while pair.server().tally().answered() < 2 {
            yield_now().await;
        }
        while pair.server().counts() != (2, 0, 2) {
            yield_now().await;
        }
        advance(SHORTEST_REST + Duration::from_millis(1)).await;
        // Two are idle, and hold up the other two.
        while pair.server().counts() != (0, 2, 2) {
            yield_now().await;
        }
        advance(Duration::from_millis(500)).await;
    };
    let (bodies, ()) = tokio::join!(four, clock);
    assert_eq!(bodies, ("/a".into(), "/b".into(), "/c".into(), "/d".into()));
    assert_eq!((pair.accepted(), pair.server().tally().open()), (4, 2));
    pair.until(2, 0).await;
    advance(LONGEST_REST + Duration::from_millis(1)).await;
    pair.until(0, 2).await;
    let more =
        async { tokio::join!(pair.get("/a"), pair.get("/b"), pair.get("/c"), pair.get("/d")) };
    let clock = async {
        pair.until_rests(2).await;
        advance(LONGEST_REST + Duration::from_millis(1)).await;
    };
    tokio::join!(more, clock);
    assert_eq!(pair.accepted(), 4, "they wait for the two that it serves");
}

#[tokio::test(start_paused = true)]
async fn every_request_gets_its_turn_where_connections_are_few_and_closed() {
    let pair = pair_with(2).await;
    let paths = ["/a", "/last", "/b", "/last", "/last"];
    let all = futures_of((0..100).map(|number| pair.get(paths[number % paths.len()])));
    // A minute, in which each has its response many times over.
    let clock = pass(6000);
    tokio::select! {
        bodies = all => assert_eq!(bodies.len(), 100),
        () = clock => panic!("{:?}, {:?}", pair.server().counts(), pair.server().tally()),
    }
}

#[tokio::test(start_paused = true)]
async fn a_server_that_resets_surplus_connections_gets_fewer() {
    let pair = pair_of(2, true).await;
    pair.get_often("/a", 1).await;
    let all = futures_of((0..30).map(|_| pair.get("/b")));
    let clock = pass(1000);
    tokio::select! {
        bodies = all => assert_eq!(bodies.len(), 30),
        () = clock => panic!("{:?}, {:?}", pair.server().counts(), pair.server().tally()),
    }
    assert_eq!(pair.server().tally().open(), 2);
    assert!(pair.accepted() < 10, "{}", pair.accepted());
}

#[tokio::test(start_paused = true)]
async fn a_url_that_resets_its_connection_is_not_requested_for_ever() {
    let pair = pair().await;
    pair.get_often("/a", 2).await;
    pair.until(2, 0).await;
    let mut patience = Patience::new(Duration::from_secs(60));
    let reset = async { pair.connections.request(pair.request("/reset"), &mut patience).await };
    let (reset, ()) = tokio::join!(reset, async {
        while pair.accepted() < 3 {
            yield_now().await;
        }
        advance(SHORTEST_REST + Duration::from_millis(1)).await;
    });
    assert!(matches!(reset, Err(SendError::Exchange(_))), "new, and then over an idle one");
    let dialer = &pair.connections.dialer;
    let alone = pair.connections.request_alone(dialer, pair.request("/reset"), &mut patience).await;
    assert!(matches!(alone, Err(SendError::Exchange(_))));
    assert_eq!(pair.accepted(), 4, "once");
    pair.until(0, 1).await;
    let _both = tokio::join!(pair.get("/b"), pair.get("/c"));
    assert_eq!(pair.accepted(), 5, "other URLs may have new connections");
}

#[tokio::test(start_paused = true)]
async fn a_connection_of_one_request_takes_the_place_of_an_idle_one() {
    let pair = pair_of(2, true).await;
    pair.get_often("/a", 2).await;
    pair.until(2, 0).await;
    let (third, ()) = tokio::join!(pair.get("/a"), async {
        while pair.accepted() < 3 {
            yield_now().await;
        }
        advance(SHORTEST_REST + Duration::from_millis(1)).await;
    });
    assert_eq!(third, "/a", "sent over another, since a third connection is reset");
    pair.until(1, 1).await;
    advance(SHORTEST_REST + Duration::from_millis(1)).await;
    pair.until(0, 2).await;
    let (again, ()) = tokio::join!(pair.get_alone("/b"), async {
        pair.until(0, 1).await;
        // The server notices that the other one is closed.
        while pair.workers.available_permits() == 0 {
            yield_now().await;
        }
        advance(Duration::from_millis(51)).await;
    });
    assert_eq!(again, "/b");
    assert_eq!((pair.accepted(), pair.server().counts()), (4, (0, 1, 0)));
    assert_eq!(pair.server().tally().open(), 1, "it has been closed");
    pair.get_often("/a", 1).await;
    assert_eq!(pair.get_alone("/b").await, "/b");
    assert_eq!(pair.accepted(), 5, "there is room for it");
}

#[tokio::test(start_paused = true)]
async fn a_server_that_accepts_no_more_connections_is_requested_over_those_it_has() {
    let pair = pair().await;
    pair.get_often("/a", 1).await;
    pair.until(1, 0).await;
    advance(SHORTEST_REST + Duration::from_millis(1)).await;
    pair.until(0, 1).await;
    pair.accepting.abort();
    while !pair.accepting.is_finished() {
        yield_now().await;
    }
    let (b, c, ()) = tokio::join!(pair.get("/b"), pair.get("/c"), async {
        pair.until_rests(1).await;
        advance(SHORTEST_REST + Duration::from_millis(1)).await;
    });
    assert_eq!((b.as_str(), c.as_str(), pair.accepted()), ("/b", "/c", 1));
}

#[tokio::test(start_paused = true)]
async fn a_server_is_tried_again_though_nothing_happens() {
    let pair = pair().await;
    pair.get_often("/a", 1).await;
    pair.until(1, 0).await;
    assert!(!pair.server().handle_refused(&Failure::Unreachable), "not for being one too many");
    assert!(pair.server().handle_refused(&Failure::Refused), "it serves one");
    advance(SHORTEST_REST + Duration::from_millis(1)).await;
    pair.until(0, 1).await;
    let never = async {
        tokio::join!(pair.get("/never"), pair.get("/never"));
    };
    let clock = async {
        for _ in 0..20 {
            assert_eq!(pair.accepted(), 1);
            advance(Duration::from_millis(490)).await;
            for _ in 0..100 {
                yield_now().await;
            }
        }
        advance(Duration::from_millis(1500)).await;
        while pair.accepted() == 1 {
            yield_now().await;
        }
    };
    tokio::select! {
        () = never => panic!("it never responds"),
        () = clock => {}
    }
}

/// Lets so many hundredths of a second pass.
async fn pass(hundredths: usize) {
    for _ in 0..hundredths {
        advance(Duration::from_millis(10)).await;
        for _ in 0..20 {
            yield_now().await;
        }
    }
}

/// Waits for all of these at a time.
async fn futures_of<T>(futures: impl Iterator<Item = impl Future<Output = T>>) -> Vec<T> {
    let mut pending: Vec<_> = futures.map(Box::pin).collect();
    let mut ended = Vec::new();
    std::future::poll_fn(|context| {
        pending.retain_mut(|future| match future.as_mut().poll(context) {
            Poll::Ready(output) => {
                ended.push(output);
                false
            }
            Poll::Pending => true,
        });
        if pending.is_empty() { Poll::Ready(()) } else { Poll::Pending }
    })
    .await;
    ended
}
