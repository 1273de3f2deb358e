//! What was observed when a URL was requested: evidence, without judgement.

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
    /// Requests only the header of the response.
    Head,
    /// Requests the whole response.
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
    /// For the verdict of its URL.
    #[default]
    Verdict,
    /// A side request: is a URL that responded before, on a server that fails now, still
    /// available?
    Server,
    /// A side request: is the network still up?
    Network,
    /// A side request: does the server send an HTML page even with a browser's `Accept` header?
    Type,
    /// A side request: which anchors does the page have?
    Anchors,
    /// A side request: is the name of the host, which was resolved before, still resolved? It is
    /// looked up again, whatever is cached.
    Names,
}

impl Purpose {
    /// All purposes; the store numbers them from 0 in this order.
    pub const ALL: [Purpose; 6] = [
        Purpose::Verdict,
        Purpose::Server,
        Purpose::Network,
        Purpose::Type,
        Purpose::Anchors,
        Purpose::Names,
    ];

    /// Whether the verdict of the URL does not depend on the response.
    #[must_use]
    pub fn is_side(self) -> bool {
        self != Purpose::Verdict
    }
}

/// One request for a URL, and its outcome.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Attempt {
    /// When the response or failure arrived.
    pub at: Moment,
    /// Time from the start of the request to the first byte of the response, or to the failure.
    pub took: Duration,
    /// The request method.
    pub method: Method,
    /// The outcome.
    pub outcome: AttemptOutcome,
    /// The URL that was requested, if it is a redirect hop requested with cookies: such a chain
    /// is requested again from its first hop.
    pub hop: Option<String>,
    /// It failed while its host was slowing down, and does not count.
    pub strained: bool,
    /// Why the request was made.
    pub purpose: Purpose,
}

impl Attempt {
    /// An attempt that counts, at the URL itself.
    #[must_use]
    pub fn new(at: Moment, took: Duration, method: Method, outcome: AttemptOutcome) -> Attempt {
        Attempt { at, took, method, outcome, hop: None, strained: false, purpose: Purpose::Verdict }
    }
}

/// The outcome of an attempt.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[expect(clippy::large_enum_variant, reason = "nearly all outcomes are responses")]
pub enum AttemptOutcome {
    /// The server sent a response.
    // The name in stores of earlier versions.
    #[serde(rename = "answer")]
    Response(ResponseHead),
    /// There was no response.
    Failure(Failure),
}

/// The header of a response, as far as it is used.
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
    /// Length of the body in bytes: as announced, else as counted if it was read to its end.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub length: Option<u64>,
    /// The `Location` header, as sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub location: Option<String>,
    /// The `Server` header.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub server: Option<String>,
    /// The `ETag` header.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub etag: Option<String>,
    /// The `Last-Modified` header.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_modified: Option<String>,
    /// The server responded that nothing has changed (304): the other fields are from the earlier
    /// response.
    #[serde(skip_serializing_if = "is_false", default)]
    pub unchanged: bool,
    /// The body ended before its announced length.
    #[serde(skip_serializing_if = "is_false", default)]
    pub truncated: bool,
    /// The time in the `Retry-After` header, in seconds (RFC 9110 §10.2.3).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub retry_after: Option<u64>,
    /// Its headers are those of a bot check.
    #[serde(skip_serializing_if = "is_false", default)]
    pub challenge: bool,
    /// `Content-Security-Policy: upgrade-insecure-requests`: browsers request the page's http
    /// URLs by https.
    #[serde(skip_serializing_if = "is_false", default)]
    pub upgrades: bool,
    /// The page is to be kept out of search engines, by its `X-Robots-Tag` header or its text.
    #[serde(skip_serializing_if = "is_false", default)]
    pub noindex: bool,
    /// It is a file of this machine: no server and no network had a part in it.
    #[serde(skip_serializing_if = "is_false", default)]
    pub local: bool,
    /// The cookies it sets.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub cookies: Vec<SetCookie>,
    /// How long the certificate of the server remains valid. Not stored.
    #[serde(skip)]
    pub certificate_left: Option<Duration>,
    /// What the text of the page shows, if it was read.
    #[serde(skip_serializing_if = "Signs::is_plain", default)]
    pub signs: Signs,
}

/// The validators of a response, for conditional requests (RFC 9110 §8.8).
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Validators {
    /// Its `ETag`.
    pub etag: Option<String>,
    /// Its `Last-Modified`.
    pub last_modified: Option<String>,
}

/// A cookie that a response sets (RFC 6265 §4.1). Its value is never stored.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct SetCookie {
    /// Its name.
    pub name: String,
    /// Its value; empty when read from a store.
    #[serde(skip)]
    pub value: String,
    /// A hash of its value, to tell it from others.
    pub hash: u64,
    /// The cookie is deleted.
    #[serde(skip_serializing_if = "is_false", default)]
    pub expired: bool,
    /// How long it lasts from its response on, in seconds; `None` as long as the chain.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub seconds: Option<u64>,
    /// Its `Domain`, as written.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub domain: Option<String>,
    /// Its `Path`, as written.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub path: Option<String>,
    /// It is only sent over https.
    #[serde(skip_serializing_if = "is_false", default)]
    pub secure: bool,
}

fn is_false(value: &bool) -> bool {
    !value
}

/// Why there was no response.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Failure {
    /// The host name could not be resolved.
    Dns(DnsFailure),
    /// This stage timed out.
    Timeout(Stage),
    /// The server's machine refused the connection.
    Refused,
    /// The connection was reset or closed before a response.
    Reset,
    /// There is no route to the server's network.
    Unreachable,
    /// The host has only IPv6 addresses, and this machine has no IPv6.
    NoIpv6,
    /// The TLS handshake failed.
    Tls(TlsFailure),
    /// The response is not valid HTTP, with details.
    BadResponse(String),
    /// The proxy could not be reached, or could not reach the server, with details.
    Proxy(String),
    /// The host resolves to a private IP address, which was not requested.
    Private(IpAddr),
    /// The host has a name of private networks, which was not passed on to a proxy.
    PrivateName,
    /// The file is a symbolic link out of the folder that is checked, and was not read.
    OutOfFolder,
    /// This program failed, not the server, with details.
    Internal(String),
}

/// How a DNS lookup failed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DnsFailure {
    /// NXDOMAIN: the name does not exist (RFC 1035 §4.1.1, RFC 2308).
    NoSuchName,
    /// The name exists, but has no address records.
    NoAddress,
    /// The DNS server failed or refused, with its response code.
    ServerFailure(String),
    /// No DNS server responded in time.
    Silence,
}

/// Why a TLS handshake failed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum TlsFailure {
    /// The certificate has expired.
    Expired,
    /// The certificate is not valid yet.
    NotYetValid,
    /// The certificate is for other hosts.
    WrongHost,
    /// The certificate is self-signed.
    SelfSigned,
    /// The certificate's issuer is unknown.
    UnknownIssuer,
    /// No TLS version or cipher in common.
    Unsupported,
    /// The server does not use TLS on this port.
    NotTls,
    /// Anything else, with details.
    Other(String),
}

/// The stage of a request that timed out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// While connecting.
    Connect,
    /// In the TLS handshake.
    Tls,
    /// After the request was sent, before the first byte of the response.
    FirstByte,
    /// While reading the body.
    Body,
}

impl Failure {
    /// Whether the lookup may succeed a little later.
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
            | Failure::PrivateName
            | Failure::OutOfFolder
            | Failure::Internal(_) => false,
        }
    }
}

impl ResponseHead {
    /// Whether the response may be different a little later: 408, 425, 429, 5xx (RFC 9110 §15,
    /// RFC 8470), or a body cut short.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        matches!(self.status, 408 | 425 | 429 | 500..=599) || self.truncated
    }

    /// Whether the status is 2xx (RFC 9110 §15.3).
    #[must_use]
    pub fn is_success(&self) -> bool {
        (200..300).contains(&self.status)
    }

    /// Whether this redirects (RFC 9110 §15.4).
    #[must_use]
    pub fn is_redirect(&self) -> bool {
        matches!(self.status, 301 | 302 | 303 | 307 | 308)
    }

    /// Whether this redirects permanently (RFC 9110 §15.4.2, §15.4.9).
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
    /// Whether a retry may have another outcome.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        match self {
            AttemptOutcome::Response(answer) => answer.may_pass(),
            AttemptOutcome::Failure(failure) => failure.may_pass(),
        }
    }

    /// Whether this is a file of this machine, and no response.
    #[must_use]
    pub fn is_local(&self) -> bool {
        match self {
            AttemptOutcome::Response(answer) => answer.local,
            AttemptOutcome::Failure(failure) => *failure == Failure::OutOfFolder,
        }
    }

    /// The status, if there was a response.
    #[must_use]
    pub fn status(&self) -> Option<u16> {
        match self {
            AttemptOutcome::Response(answer) => Some(answer.status),
            AttemptOutcome::Failure(_) => None,
        }
    }
}
