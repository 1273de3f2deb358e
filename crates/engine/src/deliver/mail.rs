//! Email over SMTP (RFC 5321), with TLS by default (RFC 3207, RFC 8314).

use std::error::Error as _;
use std::time::Duration;

use lettre::message::header::{HeaderName, HeaderValue};
use lettre::message::{Mailbox, MultiPart};
use lettre::transport::smtp::authentication::Credentials;
use lettre::transport::smtp::client::{Certificate, Tls, TlsParameters};
use lettre::{Message, SmtpTransport, Transport};
use rustls::pki_types::CertificateDer;

use super::DeliveryError;

/// How long the server may take for each reply.
const TIMEOUT: Duration = Duration::from_secs(30);

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

/// Sends an email. Returns the server's reply when it has accepted it.
///
/// # Errors
/// If the email is invalid, the server cannot be reached, or does not accept it.
pub async fn send(server: MailServer, mail: Mail) -> Result<String, DeliveryError> {
    tokio::task::spawn_blocking(move || send_now(&server, &mail))
        .await
        .expect("the sending thread does not panic")
}

fn send_now(server: &MailServer, mail: &Mail) -> Result<String, DeliveryError> {
    let message = message(mail)?;
    let line = |error: &lettre::transport::smtp::Error| failure(server, error);
    let tls = match server.security {
        Security::None => Tls::None,
        Security::Starttls => Tls::Required(parameters(server).map_err(|error| line(&error))?),
        Security::Tls => Tls::Wrapper(parameters(server).map_err(|error| line(&error))?),
    };
    let mut transport = SmtpTransport::builder_dangerous(&server.host)
        .port(server.port)
        .timeout(Some(TIMEOUT))
        .tls(tls);
    if let Some((user, password)) = &server.user {
        transport = transport.credentials(Credentials::new(user.clone(), password.clone()));
    }
    let answer = transport.build().send(&message).map_err(|error| line(&error))?;
    let words: Vec<&str> = answer.message().collect();
    Ok(format!("{} {}", answer.code(), words.join(" ")))
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

    #[test]
    fn a_missing_server_cannot_be_reached() {
        let socket = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        let port = socket.local_addr().unwrap().port();
        drop(socket);
        let server = MailServer {
            host: "127.0.0.1".to_owned(),
            port,
            security: Security::None,
            user: None,
            ca_certs: Vec::new(),
        };
        let error = send_now(&server, &mail()).unwrap_err();
        assert!(matches!(error, DeliveryError::Line { .. }), "{error:?}");
        assert!(error.to_string().starts_with(&format!("cannot reach 127.0.0.1:{port}: ")));
    }
}
