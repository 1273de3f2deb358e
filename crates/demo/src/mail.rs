//! A mail server on loopback that accepts emails and keeps them: SMTP (RFC 5321) with STARTTLS
//! (RFC 3207) and AUTH PLAIN (RFC 4954), as far as a sender needs it.
//!
//! It can be set to reject emails for a while, or to drop the connection just after accepting
//! one, so that the sender does not know whether it was accepted.

use std::io;
use std::sync::{Arc, Mutex};

use mail_parser::MessageParser;
use rustls::ServerConfig;
use tokio::io::{AsyncBufReadExt, AsyncRead, AsyncWrite, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::watch;
use tokio::task::JoinSet;
use tokio_rustls::TlsAcceptor;

/// An email that was accepted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReceivedEmail {
    /// The envelope sender.
    pub from: String,
    /// The envelope recipients.
    pub to: Vec<String>,
    /// It came over TLS.
    pub secure: bool,
    /// The user who logged in, with the password.
    pub user: Option<(String, String)>,
    /// Headers and body, as received.
    pub source: String,
}

impl ReceivedEmail {
    /// A header as written, with folded lines joined.
    #[must_use]
    pub fn field(&self, name: &str) -> Option<String> {
        let message = MessageParser::default().parse(&self.source)?;
        message.header_raw(name).map(|raw| raw.split_whitespace().collect::<Vec<_>>().join(" "))
    }

    /// The subject.
    #[must_use]
    pub fn subject(&self) -> String {
        let message = MessageParser::default().parse(&self.source);
        let subject = message.as_ref().and_then(|message| message.subject());
        subject.unwrap_or_default().to_owned()
    }

    /// The plain-text part.
    #[must_use]
    pub fn text(&self) -> String {
        let message = MessageParser::default().parse(&self.source);
        let text = message.as_ref().and_then(|message| message.body_text(0));
        text.unwrap_or_default().replace("\r\n", "\n")
    }

    /// The HTML part.
    #[must_use]
    pub fn html(&self) -> String {
        let message = MessageParser::default().parse(&self.source);
        let html = message.as_ref().and_then(|message| message.body_html(0));
        html.unwrap_or_default().into_owned()
    }
}

/// What the mail server does with emails.
#[derive(Debug, Default)]
pub(crate) struct Post {
    state: Mutex<State>,
    /// The number of emails received.
    count: watch::Sender<usize>,
}

#[derive(Debug, Default)]
struct State {
    emails: Vec<ReceivedEmail>,
    /// How many emails are rejected from now on.
    refuse: u32,
    /// The connection is dropped after the next email.
    drop_connection: bool,
}

impl Post {
    pub(crate) fn emails(&self) -> Vec<ReceivedEmail> {
        self.state.lock().expect("nothing panics while it holds the post").emails.clone()
    }

    pub(crate) fn refuse(&self, emails: u32) {
        self.state.lock().expect("nothing panics while it holds the post").refuse = emails;
    }

    pub(crate) fn drop_connection(&self) {
        self.state.lock().expect("nothing panics while it holds the post").drop_connection = true;
    }

    /// Signals the number of emails, each time one arrives.
    pub(crate) fn arrivals(&self) -> watch::Receiver<usize> {
        self.count.subscribe()
    }

    /// The reply to an email; `None` if the connection is dropped instead.
    fn take(&self, email: ReceivedEmail) -> Option<&'static str> {
        let mut state = self.state.lock().expect("nothing panics while it holds the post");
        if state.refuse > 0 {
            state.refuse -= 1;
            return Some("451 4.3.0 mailbox busy, try again later");
        }
        state.emails.push(email);
        self.count.send_replace(state.emails.len());
        if std::mem::take(&mut state.drop_connection) { None } else { Some("250 2.0.0 taken") }
    }
}

/// Accepts connections until the task is ended. `over_tls`: TLS begins at once.
pub(crate) async fn serve(
    listener: TcpListener,
    post: Arc<Post>,
    tls: Arc<ServerConfig>,
    over_tls: bool,
) {
    let mut tasks = JoinSet::new();
    loop {
        let Ok((stream, _)) = listener.accept().await else { continue };
        let (post, tls) = (Arc::clone(&post), TlsAcceptor::from(Arc::clone(&tls)));
        tasks.spawn(async move {
            // A client that disconnects early is not a failure of the server.
            let _ = connection(stream, &post, &tls, over_tls).await;
        });
        while tasks.try_join_next().is_some() {}
    }
}

async fn connection(
    stream: TcpStream,
    post: &Post,
    tls: &TlsAcceptor,
    over_tls: bool,
) -> io::Result<()> {
    if over_tls {
        let stream = tls.accept(stream).await?;
        return converse(stream, post, true, true).await.map(drop);
    }
    if let Some(stream) = converse(stream, post, false, true).await? {
        let stream = tls.accept(stream).await?;
        converse(stream, post, true, false).await?;
    }
    Ok(())
}

/// Talks to a client. Returns the stream if TLS is to start.
async fn converse<S>(stream: S, post: &Post, secure: bool, greet: bool) -> io::Result<Option<S>>
where
    S: AsyncRead + AsyncWrite + Unpin,
{
    let mut stream = BufReader::new(stream);
    if greet {
        say(&mut stream, "220 post.ashlock-canal.test ready").await?;
    }
    let (mut from, mut to, mut user) = (String::new(), Vec::new(), None);
    let mut line = String::new();
    loop {
        line.clear();
        if stream.read_line(&mut line).await? == 0 {
            return Ok(None);
        }
        let said = line.trim_end();
        let (verb, rest) = said.split_once(' ').unwrap_or((said, ""));
        match verb.to_ascii_uppercase().as_str() {
            "EHLO" | "HELO" if secure => {
                say(&mut stream, "250-post.ashlock-canal.test\r\n250-8BITMIME\r\n250 AUTH PLAIN")
                    .await?;
            }
            "EHLO" | "HELO" => {
                let offer =
                    "250-post.ashlock-canal.test\r\n250-8BITMIME\r\n250-AUTH PLAIN\r\n250 STARTTLS";
                say(&mut stream, offer).await?;
            }
            "STARTTLS" if !secure => {
                say(&mut stream, "220 ready to start TLS").await?;
                return Ok(Some(stream.into_inner()));
            }
            "AUTH" => {
                user = credentials(rest);
                let fine = user.as_ref().is_some_and(|(_, password)| password != "wrong");
                let answer =
                    if fine { "235 2.7.0 authenticated" } else { "535 5.7.8 invalid credentials" };
                say(&mut stream, answer).await?;
            }
            "MAIL" => {
                from = address(rest);
                to.clear();
                say(&mut stream, "250 2.1.0 OK").await?;
            }
            "RCPT" if address(rest).ends_with("@elsewhere.test") => {
                say(&mut stream, "550 5.1.1 no such mailbox").await?;
            }
            "RCPT" => {
                to.push(address(rest));
                say(&mut stream, "250 2.1.5 OK").await?;
            }
            "DATA" => {
                say(&mut stream, "354 end data with a dot").await?;
                let source = data(&mut stream).await?;
                let email = ReceivedEmail {
                    from: from.clone(),
                    to: to.clone(),
                    secure,
                    user: user.clone(),
                    source,
                };
                match post.take(email) {
                    Some(answer) => say(&mut stream, answer).await?,
                    None => return Ok(None),
                }
            }
            "QUIT" => {
                say(&mut stream, "221 2.0.0 closing connection").await?;
                return Ok(None);
            }
            "RSET" | "NOOP" => say(&mut stream, "250 2.0.0 OK").await?,
            _ => say(&mut stream, "502 5.5.1 command not implemented").await?,
        }
    }
}

async fn say(stream: &mut (impl AsyncWrite + Unpin), text: &str) -> io::Result<()> {
    stream.write_all(format!("{text}\r\n").as_bytes()).await?;
    stream.flush().await
}

/// The text between < and >.
fn address(words: &str) -> String {
    let inner = words.split_once('<').and_then(|(_, rest)| rest.split_once('>'));
    inner.map(|(inner, _)| inner.to_owned()).unwrap_or_default()
}

/// Name and password in `PLAIN …` (RFC 4616).
fn credentials(words: &str) -> Option<(String, String)> {
    use base64::Engine as _;
    let encoded = words.strip_prefix("PLAIN ")?;
    let plain = base64::engine::general_purpose::STANDARD.decode(encoded).ok()?;
    let plain = String::from_utf8(plain).ok()?;
    let mut parts = plain.split('\0').skip(1).map(str::to_owned);
    Some((parts.next()?, parts.next()?))
}

/// An email, up to the line with only a dot (RFC 5321 §4.5.2).
async fn data(stream: &mut (impl AsyncBufReadExt + Unpin)) -> io::Result<String> {
    let mut source = Vec::new();
    loop {
        let start = source.len();
        if stream.read_until(b'\n', &mut source).await? == 0 {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        match &source[start..] {
            b".\r\n" => {
                source.truncate(start);
                return Ok(String::from_utf8_lossy(&source).into_owned());
            }
            [b'.', ..] => drop(source.remove(start)),
            _ => {}
        }
    }
}
