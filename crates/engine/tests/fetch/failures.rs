//! Failures on the wire, each with its own name.

use rummage_core::evidence::{Failure, Stage};
use tokio::net::{TcpListener, TcpSocket};

use crate::script::{
    Play, TIMEOUT, answer, config, failure, fetch, fetch_from, page, request, say, serve,
};

#[tokio::test]
async fn a_closed_port_refuses() {
    let closed = TcpSocket::new_v4().unwrap();
    closed.bind("127.0.0.1:0".parse().unwrap()).unwrap();
    let url = format!("http://{}/", closed.local_addr().unwrap());
    assert_eq!(*failure(&fetch(config(), request(&url)).await), Failure::Refused);
}

#[tokio::test]
async fn a_reset_is_repeated_at_once_and_then_reported() {
    assert_eq!(*failure(&fetch_from(vec![Play::Reset]).await), Failure::Reset);
    let reply = fetch_from(vec![Play::Reset, page("", b"fine")]).await;
    assert_eq!(answer(&reply).status, 200);
}

#[tokio::test]
async fn a_later_attempt_is_not_repeated() {
    let server = serve(vec![Play::Reset, page("", b"fine")]).await;
    let mut wanted = request(&format!("http://{server}/"));
    wanted.later = true;
    assert_eq!(*failure(&fetch(config(), wanted).await), Failure::Reset);
}

#[tokio::test]
async fn a_closed_kept_alive_connection_is_not_a_failure() {
    // The first response offers to reuse the connection, and then closes it.
    let kept = say("HTTP/1.1 200 OK\nContent-Type: text/html\nContent-Length: 2\n\nok");
    let server = serve(vec![kept.clone(), kept]).await;
    let clock = rummage_engine::Clock::starting_at(std::time::Duration::ZERO);
    let fetcher = rummage_engine::Fetcher::new(config(), clock);
    for _ in 0..2 {
        let reply = fetcher.fetch(request(&format!("http://{server}/"))).await.reply.response;
        assert_eq!(answer(&reply).status, 200);
    }
}

#[tokio::test]
async fn silence_costs_its_time() {
    let reply = fetch_from(vec![Play::Hang]).await;
    assert_eq!(*failure(&reply), Failure::Timeout(Stage::FirstByte));
    assert!(reply.attempt.took >= TIMEOUT);
}

#[tokio::test]
async fn an_endless_body_times_out() {
    let begun = b"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n\r\n<p>drip".to_vec();
    let reply = fetch_from(vec![Play::SayAndHang(begun)]).await;
    assert_eq!(*failure(&reply), Failure::Timeout(Stage::Body));
    assert!(reply.attempt.took >= TIMEOUT * 2);
}

#[tokio::test]
async fn a_server_that_accepts_no_connection_times_out() {
    // A full backlog: the system may accept the connection, but nothing responds.
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = format!("http://{}/", listener.local_addr().unwrap());
    let reply = fetch(config(), request(&url)).await;
    assert!(matches!(failure(&reply), Failure::Timeout(_)));
}

#[tokio::test]
async fn a_response_that_is_not_http_is_recognized() {
    for text in ["220 mail.test ESMTP\n", "<html>no head</html>\n\n", "HTTP/1.1 20 OK\n\n"] {
        let reply = fetch_from(vec![say(text)]).await;
        assert!(matches!(failure(&reply), Failure::BadResponse(_)), "{text:?} {reply:?}");
    }
}

#[tokio::test]
async fn an_empty_response_is_a_reset() {
    assert_eq!(*failure(&fetch_from(vec![say("")]).await), Failure::Reset);
}
