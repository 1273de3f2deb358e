//! Passes TCP connections on to a server, and each request late: a network with latency.
//!
//!     cargo run --release -p rummage-demo --example delaying_proxy -- LISTEN SERVER MILLISECONDS

use std::time::Duration;
use std::{env, io};

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};

#[tokio::main(flavor = "current_thread")]
async fn main() -> io::Result<()> {
    let arguments: Vec<String> = env::args().skip(1).collect();
    let [listen, server, delay] = arguments.as_slice() else {
        return Err(io::Error::other("name where to listen, the server, and milliseconds"));
    };
    let delay = Duration::from_millis(delay.parse().map_err(io::Error::other)?);
    let listener = TcpListener::bind(listen).await?;
    loop {
        let (client, _) = listener.accept().await?;
        let server = server.clone();
        tokio::spawn(async move { pass(client, &server, delay).await });
    }
}

/// What the client sends is passed on late; what the server sends, at once.
async fn pass(client: TcpStream, server: &str, delay: Duration) -> io::Result<()> {
    let server = TcpStream::connect(server).await?;
    client.set_nodelay(true)?;
    server.set_nodelay(true)?;
    let (mut from_client, mut to_client) = client.into_split();
    let (mut from_server, mut to_server) = server.into_split();
    let requests = async move {
        let mut request = vec![0; 16 << 10];
        loop {
            let length = from_client.read(&mut request).await?;
            if length == 0 {
                return to_server.shutdown().await;
            }
            tokio::time::sleep(delay).await;
            to_server.write_all(&request[..length]).await?;
        }
    };
    let responses = async move { tokio::io::copy(&mut from_server, &mut to_client).await };
    let (ended, _) = tokio::join!(requests, responses);
    ended
}
