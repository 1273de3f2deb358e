//! What a simulated web holds, and the truth about its faults.

use std::collections::BTreeMap;

/// A simulated web.
#[derive(Debug, Clone)]
pub struct Scenario {
    /// What a person would type to check the site.
    pub start: String,
    /// Every host that has a name, by that name. Other names do not exist.
    pub hosts: BTreeMap<String, Host>,
    /// Every planted fault, and nothing else that is wrong.
    pub truth: Vec<Fault>,
    /// The addresses of the site's pages that can be read.
    pub pages: Vec<String>,
}

/// One host.
#[derive(Debug, Clone, Default)]
pub struct Host {
    /// What its name server says of it.
    pub resolves: Resolves,
    /// What becomes of connections to it.
    pub reach: ConnectionMode,
    /// It sends visitors who come by http to https.
    pub secure: bool,
    /// What becomes of secure connections to it.
    pub tls: Tls,
    /// What it answers, by path and query. What is not here is 404.
    pub paths: BTreeMap<String, Act>,
    /// It refuses these of its requests, counted from 0, with 403, whatever they ask for.
    pub refuses: std::ops::Range<u32>,
    /// What it answers to all other paths that begin so.
    pub others: Option<(String, Act)>,
}

impl Host {
    /// What it answers to a path that it does not have, if not 404.
    #[must_use]
    pub fn catch_all(&self, path: &str) -> Option<&Act> {
        let (start, act) = self.others.as_ref()?;
        path.starts_with(start.as_str()).then_some(act)
    }
}

/// What a name server says of a name that exists.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Resolves {
    /// An address.
    #[default]
    ToAddress,
    /// That it failed (SERVFAIL).
    WithFailure,
    /// That it has no address.
    ToNothing,
    /// Nothing, for as long as anyone waits.
    InSilence,
    /// An address, but over TCP alone: over UDP the answer is cut (RFC 1035 §4.2.1).
    ByTcp,
    /// An address of a private network (RFC 1918).
    ToPrivate,
}

/// What becomes of secure connections to a host.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Tls {
    /// They are served, with a good certificate.
    #[default]
    Good,
    /// The certificate is out of date.
    Expired,
    /// The certificate is not valid yet.
    NotYetValid,
    /// The certificate is for another host.
    OtherHost,
    /// The certificate is signed by itself.
    SelfSigned,
    /// The certificate of the issuer is not sent along.
    NoIssuer,
    /// There is no protocol version in common.
    NothingInCommon,
    /// The port speaks plain HTTP.
    Plain,
    /// The handshake never ends.
    Silent,
}

/// What becomes of connections to a host.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum ConnectionMode {
    /// They are served.
    #[default]
    Serves,
    /// They are refused.
    Refuses,
    /// They are reset once a request has come.
    Resets,
    /// They are answered with something that is not HTTP.
    Babbles,
}

/// What a host answers to one path.
#[derive(Debug, Clone)]
pub enum Act {
    /// This answer.
    Answer(Answer),
    /// This to HEAD, and to GET something else.
    Head(Box<Act>, Box<Act>),
    /// The first to who brings this cookie, a redirect to itself that sets it to others.
    NeedsCookie(&'static str, Box<Act>),
    /// The connection is cut off in the middle of this page.
    CutOff(Vec<u8>),
    /// The first so many times, then the second.
    First(u32, Box<Act>, Box<Act>),
    /// Nothing, for as long as anyone waits.
    Silent,
    /// A page that goes on, a little at a time, for as long as anyone reads.
    Endless,
}

/// One answer.
#[derive(Debug, Clone, Default)]
pub struct Answer {
    /// The status code.
    pub status: u16,
    /// The `Content-Type`; none where empty.
    pub content_type: &'static str,
    /// The `Location`.
    pub location: Option<String>,
    /// Other fields, names in lower case.
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

    /// Some other content.
    #[must_use]
    pub fn file(content_type: &'static str, body: Vec<u8>) -> Act {
        Act::Answer(Answer { status: 200, content_type, body, ..Answer::default() })
    }

    /// A bare status, with a page that says it.
    #[must_use]
    pub fn status(status: u16) -> Act {
        let body = format!("<!DOCTYPE html><title>{status}</title><h1>{status}</h1>");
        let content_type = "text/html; charset=utf-8";
        let body = body.into_bytes();
        Act::Answer(Answer { status, content_type, body, ..Answer::default() })
    }

    /// The same with one more field in its head, its name in lower case.
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

    /// This status to HEAD, and to GET something else.
    #[must_use]
    pub fn head_refused(status: u16, act: Act) -> Act {
        Act::Head(Box::new(Act::status(status)), Box::new(act))
    }

    /// This status so many times, then something else.
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

/// A planted fault: what is to be said of a target, and where it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Address and fragment, as the tool is to show it.
    pub target: String,
    /// The verdict.
    pub verdict: &'static str,
    /// The cause.
    pub cause: &'static str,
    /// The last status; none where no server answers.
    pub status: Option<u16>,
    /// Where it stands.
    pub places: FaultLinks,
}

/// Where a fault stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FaultLinks {
    /// On these pages.
    On(Vec<FaultLink>),
    /// On every page of the site, with this element and text.
    EveryPage(&'static str, String),
}

/// One place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultLink {
    /// The address of the page.
    pub page: String,
    /// The element.
    pub element: &'static str,
    /// The link text, or the alt text of an image.
    pub text: String,
}
