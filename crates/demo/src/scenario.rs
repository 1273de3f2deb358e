//! A simulated web, and the truth about its faults.

use std::collections::BTreeMap;

/// A simulated web.
#[derive(Debug, Clone)]
pub struct Scenario {
    /// What a user would type to check the site.
    pub start: String,
    /// Every host, by name. Other names do not exist.
    pub hosts: BTreeMap<String, Host>,
    /// Every planted fault. Nothing else is broken.
    pub truth: Vec<Fault>,
    /// The URLs of the site's pages that may be parsed.
    pub pages: Vec<String>,
}

/// One host.
#[derive(Debug, Clone, Default)]
pub struct Host {
    /// What DNS says about its name.
    pub resolves: Resolves,
    /// How connections to it are handled.
    pub reach: ConnectionMode,
    /// It redirects visitors from http to https.
    pub secure: bool,
    /// How TLS connections to it are handled.
    pub tls: Tls,
    /// Its responses, by path and query. Everything else is 404.
    pub paths: BTreeMap<String, Act>,
    /// It refuses these of its requests, counted from 0, with 403, whatever they are for.
    pub refuses: std::ops::Range<u32>,
    /// Its response for all other paths with this prefix.
    pub others: Option<(String, Act)>,
    /// It is a blog, whose posts can be edited.
    pub blog: Option<Blog>,
}

impl Host {
    /// Its response for a path that it does not have, if not 404.
    #[must_use]
    pub fn catch_all(&self, path: &str) -> Option<&Act> {
        let (start, act) = self.others.as_ref()?;
        path.starts_with(start.as_str()).then_some(act)
    }
}

/// A blog as it is at first.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Blog {
    /// The user who may edit.
    pub user: &'static str,
    /// The user's application password.
    pub password: &'static str,
    /// Posts, pages and comments.
    pub items: Vec<BlogItem>,
}

/// A post, a page or a comment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BlogItem {
    /// The collection of the API: `posts`, `pages` or `comments`.
    pub kind: &'static str,
    /// Its number.
    pub id: u64,
    /// Where it is published, from the root.
    pub path: &'static str,
    /// The title; comments have none.
    pub title: &'static str,
    /// The content as it was written.
    pub content: String,
}

/// What DNS says about a name that exists.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Resolves {
    /// An IP address.
    #[default]
    ToAddress,
    /// A failure (SERVFAIL).
    WithFailure,
    /// No address records.
    ToNothing,
    /// Nothing, for as long as a client waits.
    InSilence,
    /// An IP address, but only over TCP: over UDP the answer is truncated (RFC 1035 §4.2.1).
    ByTcp,
    /// An IP address of a private network (RFC 1918).
    ToPrivate,
}

/// How TLS connections to a host are handled.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Tls {
    /// With a good certificate.
    #[default]
    Good,
    /// With an expired certificate.
    Expired,
    /// With a certificate that ends in ten days.
    EndsSoon,
    /// With a certificate that is not valid yet.
    NotYetValid,
    /// With a certificate for another host.
    OtherHost,
    /// With a self-signed certificate.
    SelfSigned,
    /// Without the certificate of the issuer.
    NoIssuer,
    /// Without a common protocol version.
    NothingInCommon,
    /// The port is for plain HTTP.
    Plain,
    /// The handshake never ends.
    Silent,
}

/// How connections to a host are handled.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum ConnectionMode {
    /// They are served.
    #[default]
    Serves,
    /// They are refused.
    Refuses,
    /// They are reset once a request has arrived.
    Resets,
    /// The response is not HTTP.
    Babbles,
}

/// A host's response for one path.
#[derive(Debug, Clone)]
pub enum Act {
    /// This response.
    Answer(Answer),
    /// The first for HEAD, the second for GET.
    Head(Box<Act>, Box<Act>),
    /// The second for clients with this cookie; for others, a redirect to itself that sets it.
    NeedsCookie(&'static str, Box<Act>),
    /// The connection is closed in the middle of this page.
    CutOff(Vec<u8>),
    /// The first this many times, then the second.
    First(u32, Box<Act>, Box<Act>),
    /// Nothing, for as long as a client waits.
    Silent,
    /// A page that goes on, a little at a time, for as long as a client reads.
    Endless,
}

/// A response.
#[derive(Debug, Clone, Default)]
pub struct Answer {
    /// The status code.
    pub status: u16,
    /// The `Content-Type`; none if empty.
    pub content_type: &'static str,
    /// The `Location`.
    pub location: Option<String>,
    /// Other headers, names in lower case.
    pub fields: Vec<(&'static str, String)>,
    /// The body.
    pub body: Vec<u8>,
}

impl Act {
    /// An HTML page.
    #[must_use]
    pub fn page(html: String) -> Act {
        Act::file("text/html; charset=utf-8", html.into_bytes())
    }

    /// Any other content.
    #[must_use]
    pub fn file(content_type: &'static str, body: Vec<u8>) -> Act {
        Act::Answer(Answer { status: 200, content_type, body, ..Answer::default() })
    }

    /// A status with a page that shows it.
    #[must_use]
    pub fn status(status: u16) -> Act {
        let body = format!("<!DOCTYPE html><title>{status}</title><h1>{status}</h1>");
        let content_type = "text/html; charset=utf-8";
        let body = body.into_bytes();
        Act::Answer(Answer { status, content_type, body, ..Answer::default() })
    }

    /// The same with another header, its name in lower case.
    #[must_use]
    pub fn with(self, name: &'static str, value: &str) -> Act {
        match self {
            Act::Answer(mut answer) => {
                answer.fields.push((name, value.to_owned()));
                Act::Answer(answer)
            }
            other => other,
        }
    }

    /// This status for HEAD, something else for GET.
    #[must_use]
    pub fn head_refused(status: u16, act: Act) -> Act {
        Act::Head(Box::new(Act::status(status)), Box::new(act))
    }

    /// This status this many times, then something else.
    #[must_use]
    pub fn fails_first(times: u32, status: u16, act: Act) -> Act {
        Act::First(times, Box::new(Act::status(status)), Box::new(act))
    }

    /// A redirect.
    #[must_use]
    pub fn redirect(status: u16, location: &str) -> Act {
        Act::Answer(Answer { status, location: Some(location.to_owned()), ..Answer::default() })
    }
}

/// A planted fault: the correct verdict on a target, and where it appears.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// URL and fragment, as the tool should show them.
    pub target: String,
    /// The verdict.
    pub verdict: &'static str,
    /// The cause.
    pub cause: &'static str,
    /// The last status; `None` if no server responds.
    pub status: Option<u16>,
    /// Where it appears.
    pub places: FaultLinks,
}

/// Where a fault appears.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FaultLinks {
    /// On these pages.
    On(Vec<FaultLink>),
    /// On every page of the site, with this element and text.
    EveryPage(&'static str, String),
}

/// One link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultLink {
    /// The URL of the page.
    pub page: String,
    /// The element.
    pub element: &'static str,
    /// The link text, or the alt text of an image.
    pub text: String,
}
