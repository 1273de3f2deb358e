//! Email over SMTP (RFC 5321), with TLS by default (RFC 3207, RFC 8314).

use std::error::Error as _;
use std::io;
use std::sync::Arc;
use std::time::Duration;

use lettre::Message;
use lettre::message::header::{HeaderName, HeaderValue};
use lettre::message::{Mailbox, MultiPart};
use lettre::transport::smtp::authentication::{Credentials, DEFAULT_MECHANISMS};
use lettre::transport::smtp::client::{
    AsyncSmtpConnection, AsyncTokioStream, Certificate, TlsParameters,
};
use lettre::transport::smtp::extension::ClientId;
use rustls::pki_types::{CertificateDer, ServerName};
use tokio::net::TcpStream;
use tokio_rustls::TlsConnector;

use super::DeliveryError;
use super::limited::Limited;
use crate::tls;

/// No server has more to say about one email.
const MOST_READ: usize = 1 << 20;
/// How long the server may take to say goodbye.
const FAREWELL: Duration = Duration::from_secs(1);

/// How the connection to a mail server is secured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Security {
    /// It begins in plain text, and continues only with TLS.
    Starttls,
    /// TLS from the start.
    Tls,
    /// Not secured.
    None,
}

/// A mail server.
#[derive(Debug, Clone)]
pub struct MailServer {
    /// Its host name or IP address.
    pub host: String,
    /// Its port.
    pub port: u16,
    /// How the connection is secured.
    pub security: Security,
    /// User and password, if it requires them.
    pub user: Option<(String, String)>,
    /// Certificates to trust in addition to the system's.
    pub ca_certs: Vec<CertificateDer<'static>>,
    /// How long it may take to send an email.
    pub time_limit: Duration,
}

impl MailServer {
    fn name(&self) -> String {
        format!("{}:{}", self.host, self.port)
    }
}

/// An email.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mail {
    /// The sender: an address, with or without a name.
    pub from: String,
    /// The recipients.
    pub to: Vec<String>,
    /// The subject.
    pub subject: String,
    /// The plain text.
    pub text: String,
    /// The HTML.
    pub html: String,
    /// The message id, without `<>`: the same for each attempt to deliver it.
    pub message_id: String,
    /// The message id that all emails of a thread refer to, without `<>`.
    pub thread: String,
}

/// Sends an email. Returns the server's reply when it has accepted it. Dropping the future ends
/// the attempt.
///
/// # Errors
/// If the email is invalid, the server cannot be reached, takes too long, or does not accept it.
pub async fn send(server: &MailServer, mail: &Mail) -> Result<String, DeliveryError> {
    let message = message(mail)?;
    let attempt = send_message(server, &message);
    tokio::time::timeout(server.time_limit, attempt).await.unwrap_or_else(|_| {
        let seconds = server.time_limit.as_secs();
        Err(DeliveryError::Line {
            server: server.name(),
            why: format!("it took longer than {seconds} s"),
        })
    })
}

async fn send_message(server: &MailServer, message: &Message) -> Result<String, DeliveryError> {
    let smtp = |error: lettre::transport::smtp::Error| failure(server, &error);
    let hello = ClientId::default();
    let stream = connect(server).await.map_err(|error| DeliveryError::Line {
        server: server.name(),
        why: tls::words_for_mail(&error).map_or_else(|| error.to_string(), str::to_owned),
    })?;
    let mut connection =
        AsyncSmtpConnection::connect_with_transport(stream, &hello).await.map_err(smtp)?;
    if server.security == Security::Starttls {
        let parameters = parameters(server).map_err(smtp)?;
        connection.starttls(parameters, &hello).await.map_err(smtp)?;
    }
    if let Some((user, password)) = &server.user {
        let credentials = Credentials::new(user.clone(), password.clone());
        connection.auth(DEFAULT_MECHANISMS, &credentials).await.map_err(smtp)?;
    }
    let answer = connection.send(message.envelope(), &message.formatted()).await.map_err(smtp)?;
    // The email is accepted: how the connection ends does not matter.
    let _ = tokio::time::timeout(FAREWELL, connection.quit()).await;
    let words: Vec<&str> = answer.message().collect();
    Ok(format!("{} {}", answer.code(), words.join(" ")))
}

async fn connect(server: &MailServer) -> io::Result<Box<dyn AsyncTokioStream>> {
    let stream = TcpStream::connect((server.host.as_str(), server.port)).await?;
    let peer = stream.peer_addr()?;
    if server.security != Security::Tls {
        return Ok(Box::new(Limited::new(stream, peer, MOST_READ)));
    }
    let name = ServerName::try_from(server.host.clone()).map_err(io::Error::other)?;
    let mut config = (*tls::config(&server.ca_certs)).clone();
    // These are for HTTP.
    config.alpn_protocols.clear();
    let stream = TlsConnector::from(Arc::new(config)).connect(name, stream).await?;
    Ok(Box::new(Limited::new(stream, peer, MOST_READ)))
}

fn parameters(server: &MailServer) -> Result<TlsParameters, lettre::transport::smtp::Error> {
    let mut parameters = TlsParameters::builder(server.host.clone());
    for certificate in &server.ca_certs {
        parameters = parameters.add_root_certificate(Certificate::from_der(certificate.to_vec())?);
    }
    parameters.build()
}

fn message(mail: &Mail) -> Result<Message, DeliveryError> {
    let mailbox = |address: &str| -> Result<Mailbox, DeliveryError> {
        address.parse().map_err(|_| DeliveryError::Address { address: address.to_owned() })
    };
    let thread = format!("<{}>", mail.thread);
    let mut message = Message::builder()
        .from(mailbox(&mail.from)?)
        .subject(&mail.subject)
        .message_id(Some(format!("<{}>", mail.message_id)))
        .in_reply_to(thread.clone())
        .references(thread);
    for to in &mail.to {
        message = message.to(mailbox(to)?);
    }
    // Suppresses automatic replies (RFC 3834 §5).
    let automatic = HeaderName::new_from_ascii_str("Auto-Submitted");
    let message = message.raw_header(HeaderValue::new(automatic, "auto-generated".to_owned()));
    message
        .multipart(MultiPart::alternative_plain_html(mail.text.clone(), mail.html.clone()))
        .map_err(|error| DeliveryError::Email { why: error.to_string() })
}

/// The innermost message of an error of the library.
fn failure(server: &MailServer, error: &lettre::transport::smtp::Error) -> DeliveryError {
    let mut innermost = error.source();
    while let Some(deeper) = innermost.and_then(std::error::Error::source) {
        innermost = Some(deeper);
    }
    let words = innermost.map_or_else(|| error.to_string(), ToString::to_string);
    let words = tls::words_for_mail(error).map_or(words, str::to_owned);
    match error.status() {
        Some(code) => {
            DeliveryError::Refused { server: server.name(), said: format!("{code} {words}") }
        }
        None if error.is_client() => DeliveryError::Refused { server: server.name(), said: words },
        None => DeliveryError::Line { server: server.name(), why: words },
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use tokio::io::AsyncWriteExt;

    use super::*;

    fn mail() -> Mail {
        Mail {
            from: "Rummage <rummage@a.test>".to_owned(),
            to: vec!["editor@a.test".to_owned(), "Zoë <zoe@a.test>".to_owned()],
            subject: "a.test: 1 newly broken".to_owned(),
            text: "one".to_owned(),
            html: "<p>one</p>".to_owned(),
            message_id: "rummage.1.2@a.test".to_owned(),
            thread: "rummage.site@a.test".to_owned(),
        }
    }

    #[test]
    fn an_email_has_its_id_its_thread_and_both_parts() {
        let written = String::from_utf8(message(&mail()).unwrap().formatted()).unwrap();
        for line in [
            "Message-ID: <rummage.1.2@a.test>",
            "References: <rummage.site@a.test>",
            "In-Reply-To: <rummage.site@a.test>",
            "Auto-Submitted: auto-generated",
            "Subject: a.test: 1 newly broken",
            "<p>one</p>",
            "one",
        ] {
            assert!(
                written.lines().any(|written_line| written_line == line),
                "{line} in {written}"
            );
        }
        assert!(written.contains("multipart/alternative"), "{written}");
    }

    #[test]
    fn an_invalid_address_is_named() {
        let bad = Mail { to: vec!["editor at home".to_owned()], ..mail() };
        assert_eq!(
            message(&bad).unwrap_err().to_string(),
            "editor at home is not an email address"
        );
    }

    fn server(port: u16, security: Security) -> MailServer {
        MailServer {
            host: "127.0.0.1".to_owned(),
            port,
            security,
            user: None,
            ca_certs: Vec::new(),
            time_limit: Duration::from_millis(300),
        }
    }

    #[tokio::test]
    async fn a_missing_server_cannot_be_reached() {
        let socket = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        let port = socket.local_addr().unwrap().port();
        drop(socket);
        let error = send(&server(port, Security::None), &mail()).await.unwrap_err();
        assert!(matches!(error, DeliveryError::Line { .. }), "{error:?}");
        assert!(error.to_string().starts_with(&format!("cannot reach 127.0.0.1:{port}: ")));
    }

    #[tokio::test]
    async fn a_silent_server_and_one_that_never_ends_a_line_are_given_up() {
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let (count, mut written) = tokio::sync::mpsc::unbounded_channel();
        tokio::spawn(async move {
            while let Ok((mut stream, _)) = listener.accept().await {
                let count = count.clone();
                tokio::spawn(async move {
                    let mut sent = 0;
                    while stream.write_all(&[b'2'; 65_536]).await.is_ok() {
                        sent += 65_536;
                    }
                    let _ = count.send(sent);
                });
            }
        });
        let talkative =
            MailServer { time_limit: Duration::from_secs(60), ..server(port, Security::None) };
        let error = send(&talkative, &mail()).await.unwrap_err().to_string();
        assert!(error.ends_with("the server sends too much"), "{error}");
        // What the network holds beyond what was read.
        assert!(written.recv().await.unwrap() < 20 << 20);
        let silent = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = silent.local_addr().unwrap().port();
        for security in [Security::None, Security::Tls, Security::Starttls] {
            let error = send(&server(port, security), &mail()).await.unwrap_err().to_string();
            assert!(error.ends_with("it took longer than 0 s"), "{error}");
        }
    }

    /// A server with a certificate that it has made itself, which says nothing else.
    async fn self_signed() -> u16 {
        let made = rcgen::generate_simple_self_signed(vec!["localhost".to_owned()]).unwrap();
        let key = made.signing_key.serialize_der();
        let provider = Arc::new(rustls::crypto::ring::default_provider());
        let config = rustls::ServerConfig::builder_with_provider(provider)
            .with_safe_default_protocol_versions()
            .unwrap()
            .with_no_client_auth()
            .with_single_cert(vec![made.cert.der().clone()], key.try_into().unwrap())
            .unwrap();
        let acceptor = tokio_rustls::TlsAcceptor::from(Arc::new(config));
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        tokio::spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                let _ = acceptor.accept(stream).await;
            }
        });
        port
    }

    #[tokio::test]
    async fn what_is_wrong_with_tls_is_said_in_plain_words_with_a_remedy() {
        let patient = |port| MailServer {
            host: "localhost".to_owned(),
            time_limit: Duration::from_secs(30),
            ..server(port, Security::Tls)
        };
        let error = send(&patient(self_signed().await), &mail()).await.unwrap_err().to_string();
        assert!(error.contains("self-signed or from an unknown issuer"), "{error}");
        assert!(error.ends_with("(PEM), in ca-cert"), "{error}");
        let plain = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = plain.local_addr().unwrap().port();
        tokio::spawn(async move {
            while let Ok((mut stream, _)) = plain.accept().await {
                let _ = stream.write_all(b"220 mail.test ready\r\n").await;
            }
        });
        let error = send(&patient(port), &mail()).await.unwrap_err().to_string();
        assert!(error.contains("does not speak TLS on this port"), "{error}");
    }
}
