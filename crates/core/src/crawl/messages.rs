//! The input and output of the machine: requests and events out, replies in.

use std::ops::Range;
use std::time::Duration;

pub(crate) use super::ids::ServerId;
pub use super::ids::{RequestId, UrlId};
use crate::Moment;
use crate::crawl::discovery::traps::Stop;
use crate::crawl::requests::pace::Slowing;
use crate::crawl::suspicion::Suspicion;
use crate::evidence::{
    Attempt, AttemptOutcome, DnsFailure, Failure, Method, Purpose, ResponseHead, Validators,
};
use crate::extract::reading::{Format, Reading};
use crate::url::scope::{Bounds, Scope};
use crate::verdict::{Cause, Verdict};

/// What the engine does with the body of a 2xx response.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BodyUse {
    /// Discard it.
    Drop,
    /// Read the start of an HTML page, for its title and signs.
    Title,
    /// Read an HTML page to its end, for its anchors.
    Anchors,
    /// Parse an HTML page, a feed or a stylesheet for everything in it.
    Page,
    /// Parse a web app manifest, whatever its media type.
    Manifest,
    /// Parse a stylesheet for the URLs in it.
    Stylesheet,
    /// Parse a sitemap, compressed or not.
    Sitemap,
    /// Parse robots.txt, whatever its media type.
    Robots,
}

impl BodyUse {
    /// Whether this use gives readings in this format.
    #[must_use]
    pub fn gives(self, format: Format) -> bool {
        match self {
            BodyUse::Drop => false,
            BodyUse::Title | BodyUse::Anchors => format.is_page(),
            BodyUse::Page => format.is_page() || matches!(format, Format::Css | Format::Feed),
            BodyUse::Stylesheet => format == Format::Css,
            BodyUse::Sitemap => format == Format::Sitemap,
            BodyUse::Manifest => format == Format::Manifest,
            BodyUse::Robots => format == Format::Robots,
        }
    }

    /// The format in which the body of a response is parsed; `None` if it is discarded. Of an
    /// error page, the start is read: it may be a bot check.
    #[must_use]
    pub fn format(self, answer: &ResponseHead) -> Option<Format> {
        if !answer.is_success() {
            let may_be_gate = matches!(answer.status, 401..=403 | 405 | 429 | 503);
            return (may_be_gate && answer.is_html()).then_some(Format::Html);
        }
        let said = match answer.media_type.as_deref() {
            Some("text/html") => Some(Format::Html),
            Some("application/xhtml+xml") => Some(Format::Xhtml),
            Some("text/css") => Some(Format::Css),
            // Feeds are often sent as any XML. What is no feed has no links.
            Some(
                "application/rss+xml"
                | "application/atom+xml"
                | "application/xml"
                | "text/xml"
                | "application/rdf+xml",
            ) => Some(Format::Feed),
            _ => None,
        };
        match self {
            BodyUse::Drop => None,
            BodyUse::Title | BodyUse::Anchors => said.filter(|format| format.is_page()),
            BodyUse::Page => said,
            BodyUse::Stylesheet => said.filter(|format| *format == Format::Css),
            BodyUse::Sitemap => Some(Format::Sitemap),
            BodyUse::Manifest => Some(Format::Manifest).filter(|_| !answer.is_html()),
            BodyUse::Robots => Some(Format::Robots),
        }
    }
}

/// What a browser would expect at this place (sets `Accept`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A page.
    Page,
    /// An image.
    Image,
    /// A stylesheet.
    Style,
    /// Anything.
    Any,
}

/// One request for the engine to make, without following redirects.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// The request, to be named in the reply.
    pub id: RequestId,
    /// The URL.
    pub url: String,
    /// Why it is made.
    pub purpose: Purpose,
    /// The method.
    pub method: Method,
    /// What to do with the body.
    pub body: BodyUse,
    /// What to accept.
    pub kind: Kind,
    /// The scope, as far as it is known.
    pub scope: Scope,
    /// An attempt after the first: on a fresh connection, with twice the time-out.
    pub later: bool,
    /// Several bodies of its server in a row have not ended in time: this one gets a quarter of
    /// the time-out.
    pub brief: bool,
    /// The `Cookie` header to send (RFC 6265 §4.2): what this chain of redirects has set.
    pub cookies: Option<String>,
    /// Compute a hash of the page's text (see [`Reading::sketch`]).
    pub sketch: bool,
    /// Make the request conditional (RFC 9110 §13.1). The crawl leaves this to the caller that
    /// keeps what was read.
    pub validators: Option<Validators>,
}

/// The end of a request.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reply {
    /// The request.
    pub id: RequestId,
    /// The result.
    pub response: Response,
}

/// The result of a request, now or in an earlier run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Response {
    /// The evidence.
    pub attempt: Attempt,
    /// The page, if it was parsed.
    pub reading: Option<Reading>,
}

/// What a link names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// The URL.
    pub id: UrlId,
    /// The fragment, as the URL standard serializes it, without `#`.
    pub fragment: Option<String>,
}

/// Links of a page that lead to the same targets, and say the same, wherever this number occurs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FollowedPart {
    /// Their positions in the list of the page's links.
    pub links: Range<usize>,
    /// The number.
    pub number: u64,
}

/// The final verdict on a URL.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Judged {
    /// The verdict.
    pub verdict: Verdict,
    /// The cause.
    pub cause: Option<Cause>,
    /// The last status; `None` if no server responded.
    pub status: Option<u16>,
    /// The next hop, if the URL redirects.
    pub next: Option<UrlId>,
    /// The last hop; the URL itself if it does not redirect.
    pub last: UrlId,
    /// The number of redirects.
    pub hops: u32,
    /// For what moved: where the leading permanent redirects end.
    pub moved_to: Option<UrlId>,
    /// Why an internal page was requested, but not parsed.
    pub not_parsed: Option<NotParsed>,
    /// A link names it; it is not only a redirect hop.
    pub linked: bool,
}

impl Judged {
    /// The verdict on a URL that links name and that does not redirect.
    #[must_use]
    pub fn without_hops(
        id: UrlId,
        verdict: Verdict,
        cause: Option<Cause>,
        status: Option<u16>,
    ) -> Judged {
        Judged {
            verdict,
            cause,
            status,
            next: None,
            last: id,
            hops: 0,
            moved_to: None,
            not_parsed: None,
            linked: true,
        }
    }
}

/// Why an internal page was requested, but not parsed for links.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum NotParsed {
    /// It is deeper than the limit.
    Depth,
    /// It is outside the prefixes that limit the site.
    Within,
    /// robots.txt disallows it.
    Robots,
}

impl NotParsed {
    /// All reasons.
    pub const ALL: [NotParsed; 3] = [NotParsed::Depth, NotParsed::Within, NotParsed::Robots];

    /// Its name in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            NotParsed::Depth => "depth",
            NotParsed::Within => "within",
            NotParsed::Robots => "robots",
        }
    }

    /// The reason with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<NotParsed> {
        NotParsed::ALL.into_iter().find(|reason| reason.as_str() == name)
    }
}

/// Something about a run that the user should know, apart from its links.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Note {
    /// The links of a page are added by JavaScript: none were found.
    RenderedByScript,
    /// The robots.txt of a server could not be fetched: none of its pages were parsed.
    RobotsUnknown,
    /// robots.txt sets a crawl delay.
    CrawlDelay {
        /// The delay in robots.txt.
        requested: Duration,
        /// The delay that was used.
        kept: Duration,
    },
    /// A sitemap that no link names could not be fetched.
    SitemapMissing,
    /// A sitemap is not valid, or incomplete.
    SitemapFaulty,
    /// It names more sitemaps than are read.
    MoreSitemaps,
    /// Links on this page have credentials in their URLs.
    CredentialsInUrl,
    /// No link leads to this page: only a sitemap or a folder has it.
    Unreached,
    /// The result of the crawl is not believed; about the start page.
    Suspicious(Suspicion),
    /// So many URLs were known after this page that no more pages were parsed.
    UrlLimit,
    /// URLs of an endless pattern were skipped.
    Trap(Stop),
    /// A server refuses every request from some moment on, even for URLs that worked before: its
    /// other URLs were not checked.
    Blocked {
        /// Since when.
        since: Moment,
    },
    /// The certificate of the URL's server ends soon.
    CertificateEnds {
        /// When.
        at: Moment,
    },
    /// The server of a URL fails at random: what failed there at all attempts is doubtful.
    Unsteady {
        /// How many requests had failed then.
        failed: u32,
        /// How many had been made.
        made: u32,
    },
    /// Our DNS server resolves no name any more, from some moment on, not even that of this URL,
    /// which it had resolved.
    NoNames {
        /// Since when.
        since: Moment,
    },
    /// No name of any host was resolved: our DNS server may be down.
    NothingResolved {
        /// How many hosts.
        hosts: u32,
    },
    /// No server responds any more, from some moment on: the network seems to be down.
    Offline {
        /// Since when.
        since: Moment,
    },
}

/// What is wrong with a fragment that has no anchor.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FragmentFault {
    /// The page was read to its end and has no such anchor.
    Missing,
    /// The fragment looks like one for a script.
    ForScript,
}

impl FragmentFault {
    /// Its name in the store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            FragmentFault::Missing => "missing",
            FragmentFault::ForScript => "for-script",
        }
    }

    /// The fault with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<FragmentFault> {
        [FragmentFault::Missing, FragmentFault::ForScript]
            .into_iter()
            .find(|fault| fault.as_str() == name)
    }
}

/// Something that happened, for the store and for observers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// The start URL responded: the site's bounds are known.
    Bounded {
        /// The last hop of the start URL.
        start: UrlId,
        /// The bounds.
        bounds: Box<Bounds>,
    },
    /// A URL was discovered.
    Discovered {
        /// Its id from now on.
        id: UrlId,
        /// The URL; for a malformed one, the source text.
        url: String,
    },
    /// The scope of a URL is known.
    Ranked {
        /// The URL.
        id: UrlId,
        /// `None` for what is not an HTTP URL.
        scope: Option<Scope>,
    },
    /// A request for a URL has ended.
    Requested {
        /// The URL.
        id: UrlId,
        /// The evidence.
        attempt: Box<Attempt>,
        /// The title of a page that is not parsed for links.
        title: Option<String>,
        /// Another attempt will follow.
        again: bool,
        /// The request was made in an earlier run, whose result is reused.
        recalled: bool,
    },
    /// An internal page was parsed.
    Read {
        /// The page.
        id: UrlId,
        /// Its contents.
        reading: Box<Reading>,
        /// The targets of its links, in the same order.
        targets: Vec<Target>,
        /// Its parts that other pages may have too, in order.
        parts: Vec<FollowedPart>,
    },
    /// A URL has its verdict. It may get another: the last one counts.
    Judged {
        /// The URL.
        id: UrlId,
        /// The verdict.
        judged: Judged,
    },
    /// A fragment of a URL has no anchor on its page.
    NoAnchor {
        /// The URL that links name, before redirects.
        id: UrlId,
        /// The fragment.
        fragment: String,
        /// The fault.
        fault: FragmentFault,
    },
    /// There is a note about a URL.
    Noted {
        /// The URL.
        id: UrlId,
        /// The note.
        note: Note,
    },
    /// A server is overloaded, and requests to it are slowed down.
    Slowed {
        /// Host, with the port unless it is the default.
        server: String,
        /// Why, and by how much.
        slowing: Slowing,
    },
    /// A link, or all links that expect another type, have a fault apart from their URL.
    LinkFault {
        /// The URL that they name.
        target: UrlId,
        /// The page with the link; the target itself for `wrong-type`, which applies to all links
        /// that expect something other than a page.
        page: UrlId,
        /// `wrong-type`, `mixed-content` or `placeholder`.
        cause: Cause,
        /// The source text of a placeholder link; empty for other faults.
        written: String,
    },
}

/// Why a run ends early, and can be continued later.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Halt {
    /// The site's own server refuses every request.
    Blocked,
    /// The network is down.
    Offline,
}

/// Why a start page could not be crawled.
#[derive(Debug, Clone, PartialEq, Eq)]
#[expect(clippy::large_enum_variant, reason = "there is one of them")]
pub enum StartProblem {
    /// There is no page: the last URL tried, and its outcome.
    NoPage {
        /// The URL.
        url: String,
        /// The outcome.
        outcome: AttemptOutcome,
    },
    /// The response is not a page that can have links.
    NotHtml {
        /// The URL.
        url: String,
        /// The media type of the response.
        media_type: Option<String>,
    },
    /// Its redirects lead nowhere.
    Redirects {
        /// The URL at which following them stopped.
        url: String,
    },
    /// robots.txt disallows it.
    RobotsForbid {
        /// The start URL.
        url: String,
    },
    /// robots.txt could not be fetched, so it is unknown which pages may be crawled.
    RobotsUnknown {
        /// The URL of robots.txt.
        url: String,
    },
}

impl StartProblem {
    /// The URL that the problem is about.
    #[must_use]
    pub fn url(&self) -> &str {
        match self {
            StartProblem::NoPage { url, .. }
            | StartProblem::NotHtml { url, .. }
            | StartProblem::Redirects { url }
            | StartProblem::RobotsForbid { url }
            | StartProblem::RobotsUnknown { url } => url,
        }
    }

    /// Whether no DNS server knows the host.
    #[must_use]
    pub fn is_no_such_name(&self) -> bool {
        matches!(
            self,
            StartProblem::NoPage {
                outcome: AttemptOutcome::Failure(Failure::Dns(DnsFailure::NoSuchName)),
                ..
            }
        )
    }
}
