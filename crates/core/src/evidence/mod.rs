//! What was seen when an address was asked: the evidence, without an opinion.

pub mod landing;

use std::net::IpAddr;
use std::time::Duration;

use serde::{Deserialize, Serialize};

use crate::Moment;
use crate::extract::signs::Signs;

/// The request method (RFC 9110 §9.3).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "UPPERCASE")]
pub enum Method {
    /// Asks for the head of the answer alone.
    Head,
    /// Asks for the whole answer.
    Get,
}

impl Method {
    /// The method's name.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Method::Head => "HEAD",
            Method::Get => "GET",
        }
    }
}

/// Why a request was made.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Purpose {
    /// For the verdict of the URL that it names.
    #[default]
    Verdict,
    /// A side request: is the server of a URL that responded before still available?
    Server,
    /// A side request: is the network still up?
    Network,
    /// A side request: is the URL a page as well when something else is wanted of it?
    Type,
    /// A side request: which anchors does the page have?
    Anchors,
}

impl Purpose {
    /// All of them; a store counts them from 0 in this order.
    pub const ALL: [Purpose; 5] =
        [Purpose::Verdict, Purpose::Server, Purpose::Network, Purpose::Type, Purpose::Anchors];

    /// Whether the verdict of the URL does not depend on the response.
    #[must_use]
    pub fn is_side(self) -> bool {
        self != Purpose::Verdict
    }
}

/// One time that an address was asked, and how it ended.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Attempt {
    /// When the answer or failure was in.
    pub at: Moment,
    /// How long it took, from the request's start to the first byte of the answer,
    /// or to the failure.
    pub took: Duration,
    /// How it was asked.
    pub method: Method,
    /// What came of it.
    pub outcome: AttemptOutcome,
    /// The address that was asked, where it was a hop of a chain with cookies: such a
    /// chain is asked anew from its first hop.
    pub hop: Option<String>,
    /// It failed while its host showed strain, and did not count.
    pub strained: bool,
    /// Why it was made.
    pub purpose: Purpose,
}

impl Attempt {
    /// An attempt that counts, of the address itself.
    #[must_use]
    pub fn new(at: Moment, took: Duration, method: Method, outcome: AttemptOutcome) -> Attempt {
        Attempt { at, took, method, outcome, hop: None, strained: false, purpose: Purpose::Verdict }
    }
}

/// How an attempt ended.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[expect(clippy::large_enum_variant, reason = "nearly all endings are answers")]
pub enum AttemptOutcome {
    /// A server answered.
    ResponseHead(ResponseHead),
    /// No answer came.
    Failure(Failure),
}

/// The head of an answer, as far as it is of use.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ResponseHead {
    /// The status code (RFC 9110 §15).
    pub status: u16,
    /// The media type, lower case, without parameters.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub media_type: Option<String>,
    /// The `charset` parameter of the media type.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub charset: Option<String>,
    /// Octets of the body: as announced, else as counted where it was read to its end.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub length: Option<u64>,
    /// The `Location` field, as sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub location: Option<String>,
    /// The `Server` field.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub server: Option<String>,
    /// The `ETag` field.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub etag: Option<String>,
    /// The `Last-Modified` field.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_modified: Option<String>,
    /// The server said that nothing has changed (304): all else is what it had said before.
    #[serde(skip_serializing_if = "is_false", default)]
    pub unchanged: bool,
    /// The body ended before its announced length.
    #[serde(skip_serializing_if = "is_false", default)]
    pub truncated: bool,
    /// The wait that `Retry-After` asks for, in seconds (RFC 9110 §10.2.3).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub retry_after: Option<u64>,
    /// Its head says that a gatekeeper wants to see a person, not a robot.
    #[serde(skip_serializing_if = "is_false", default)]
    pub challenge: bool,
    /// `Content-Security-Policy: upgrade-insecure-requests`: what the page names by
    /// http, browsers ask by https.
    #[serde(skip_serializing_if = "is_false", default)]
    pub upgrades: bool,
    /// What it sets.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub cookies: Vec<SetCookie>,
    /// What its page says of itself, where it was read.
    #[serde(skip_serializing_if = "Signs::is_plain", default)]
    pub signs: Signs,
}

/// By what a server knows whether something has changed (RFC 9110 §8.8).
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Validators {
    /// The `ETag` that it gave.
    pub etag: Option<String>,
    /// The `Last-Modified` that it gave.
    pub last_modified: Option<String>,
}

/// A cookie that an answer sets (RFC 6265 §4.1). What it holds is never stored.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SetCookie {
    /// Its name.
    pub name: String,
    /// Its value; empty in what comes out of a store.
    #[serde(skip)]
    pub value: String,
    /// A hash of its value, which tells it from others.
    pub hash: u64,
    /// It takes an earlier one away.
    #[serde(skip_serializing_if = "is_false", default)]
    pub expired: bool,
}

fn is_false(value: &bool) -> bool {
    !value
}

/// Why no answer came.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Failure {
    /// The name could not be turned into a network address.
    Dns(DnsFailure),
    /// Time ran out at this stage.
    Timeout(Stage),
    /// The server's machine refused the connection.
    Refused,
    /// The connection was reset or closed before an answer.
    Reset,
    /// No way leads to the server's network.
    Unreachable,
    /// The name has IPv6 addresses alone, and this machine has no IPv6.
    NoIpv6,
    /// No secure connection could be made.
    Tls(TlsFailure),
    /// What came is not HTTP. The text says how.
    BadResponse(String),
    /// The proxy could not be reached, or could not reach the server. The text says how.
    Proxy(String),
    /// The name leads into a private network, which was not asked.
    Private(IpAddr),
    /// This program failed, not the server. The text says how.
    Internal(String),
}

/// What became of a DNS question.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DnsFailure {
    /// NXDOMAIN: the name does not exist (RFC 1035 §4.1.1, RFC 2308).
    NoSuchName,
    /// The name exists, and has no address records.
    NoAddress,
    /// The name server failed or refused. The text is its response code.
    ServerFailure(String),
    /// No name server answered in time.
    Silence,
}

/// What kept a secure connection from being made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum TlsFailure {
    /// The certificate's time is over.
    Expired,
    /// The certificate's time has not begun.
    NotYetValid,
    /// The certificate is for other hosts.
    WrongHost,
    /// The certificate is signed by itself.
    SelfSigned,
    /// Nobody known signed the certificate.
    UnknownIssuer,
    /// No protocol version or cipher in common.
    Unsupported,
    /// Anything else. The text says what.
    Other(String),
}

/// The stage of a request at which time ran out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// While connecting.
    Connect,
    /// In the TLS handshake.
    Tls,
    /// After the request was sent, before the first byte of an answer.
    FirstByte,
    /// In the middle of the body.
    Body,
}

impl Failure {
    /// Whether the same question may well get an answer a little later.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        match self {
            Failure::Timeout(_)
            | Failure::Refused
            | Failure::Reset
            | Failure::Unreachable
            | Failure::Proxy(_)
            | Failure::Dns(DnsFailure::ServerFailure(_) | DnsFailure::Silence)
            | Failure::Tls(TlsFailure::Other(_)) => true,
            Failure::Dns(DnsFailure::NoSuchName | DnsFailure::NoAddress)
            | Failure::Tls(_)
            | Failure::BadResponse(_)
            | Failure::NoIpv6
            | Failure::Private(_)
            | Failure::Internal(_) => false,
        }
    }
}

impl ResponseHead {
    /// Whether the same question may well get another answer a little later:
    /// 408, 425, 429, 5xx (RFC 9110 §15, RFC 8470), or a body cut short.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        matches!(self.status, 408 | 425 | 429 | 500..=599) || self.truncated
    }

    /// Whether it succeeded (RFC 9110 §15.3).
    #[must_use]
    pub fn is_success(&self) -> bool {
        (200..300).contains(&self.status)
    }

    /// Whether this sends the visitor on (RFC 9110 §15.4).
    #[must_use]
    pub fn is_redirect(&self) -> bool {
        matches!(self.status, 301 | 302 | 303 | 307 | 308)
    }

    /// Whether it says that the new place is for good (RFC 9110 §15.4.2, §15.4.9).
    #[must_use]
    pub fn is_permanent_redirect(&self) -> bool {
        matches!(self.status, 301 | 308)
    }

    /// Whether the body is CSS.
    #[must_use]
    pub fn is_css(&self) -> bool {
        self.media_type.as_deref() == Some("text/css")
    }

    /// Whether the body is HTML or XHTML.
    #[must_use]
    pub fn is_html(&self) -> bool {
        matches!(self.media_type.as_deref(), Some("text/html" | "application/xhtml+xml"))
    }
}

impl AttemptOutcome {
    /// Whether asking again may end otherwise.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        match self {
            AttemptOutcome::ResponseHead(answer) => answer.may_pass(),
            AttemptOutcome::Failure(failure) => failure.may_pass(),
        }
    }

    /// The status, where a server answered.
    #[must_use]
    pub fn status(&self) -> Option<u16> {
        match self {
            AttemptOutcome::ResponseHead(answer) => Some(answer.status),
            AttemptOutcome::Failure(_) => None,
        }
    }
}
