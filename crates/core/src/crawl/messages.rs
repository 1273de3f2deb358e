//! What goes in and out of the machine: requests and events out, replies in.

use std::time::Duration;

use crate::Moment;
use crate::crawl::discovery::traps::Stop;
use crate::crawl::requests::pace::Slowing;
use crate::evidence::{Attempt, AttemptOutcome, Method, Purpose, ResponseHead, Validators};
use crate::extract::reading::{Format, Reading};
use crate::url::scope::{Bounds, Scope};
use crate::verdict::{Cause, Verdict};

/// An address that a crawl has heard of; counted from 0 in the order of hearing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct UrlId(u32);

impl UrlId {
    /// The id of the address that was heard of as the n-th, from 0.
    ///
    /// # Panics
    /// From 2^32 addresses on.
    #[must_use]
    pub fn from_index(index: usize) -> UrlId {
        UrlId(u32::try_from(index).expect("a crawl knows fewer than 2^32 addresses"))
    }

    /// As which the address was heard of, from 0.
    #[must_use]
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// A server that URLs are requested from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct ServerId(u32);

impl ServerId {
    pub(crate) fn from_index(index: usize) -> ServerId {
        ServerId(u32::try_from(index).expect("there are fewer servers than URLs"))
    }

    pub(crate) fn index(self) -> usize {
        self.0 as usize
    }
}

/// One request of a crawl; counted from 0 in the order in which they are made.
///
/// One URL may have several requests in flight, for different reasons: the id is the only
/// thing that tells their replies apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RequestId(u64);

impl RequestId {
    /// The id of the n-th request, from 0.
    #[must_use]
    pub fn from_number(number: u64) -> RequestId {
        RequestId(number)
    }
}

/// What the engine is to do with the body of a 2xx answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BodyUse {
    /// Nothing: drop it.
    Drop,
    /// Read the start of an HTML page, for what it says of itself.
    Title,
    /// Read an HTML page to its end, for the places that fragments may name.
    Anchors,
    /// Read an HTML page or a style sheet for all that is in it.
    Page,
    /// Read a style sheet for the addresses in it.
    Sheet,
    /// Read a sitemap, compressed or not.
    Sitemap,
    /// Read robots.txt, whatever it says it is.
    Robots,
}

impl BodyUse {
    /// As what the body of an answer is to be read; `None`: it is dropped. Of a page
    /// that is no success the start is read: a gatekeeper may have written it.
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
            _ => None,
        };
        match self {
            BodyUse::Drop => None,
            BodyUse::Title | BodyUse::Anchors => said.filter(|format| format.is_page()),
            BodyUse::Page => said,
            BodyUse::Sheet => said.filter(|format| *format == Format::Css),
            BodyUse::Sitemap => Some(Format::Sitemap),
            BodyUse::Robots => Some(Format::Robots),
        }
    }
}

/// The kind of thing that a browser would expect here (sets `Accept`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A page.
    Page,
    /// A picture.
    Image,
    /// A style sheet.
    Style,
    /// Anything.
    Any,
}

/// One request that the engine is to make, of one hop.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// Which request, to be named in the reply.
    pub id: RequestId,
    /// The address.
    pub url: String,
    /// Why it is made.
    pub purpose: Purpose,
    /// How to ask.
    pub method: Method,
    /// What to read.
    pub body: BodyUse,
    /// What to say is wanted.
    pub kind: Kind,
    /// Within the site, as far as is known: credentials may be sent.
    pub scope: Scope,
    /// An attempt after the first: on a fresh connection, with twice the patience.
    pub later: bool,
    /// The `Cookie` field to send (RFC 6265 §4.2): what this chain of redirects has set.
    pub cookies: Option<String>,
    /// Make a hash of the page's text (see [`Reading::sketch`]).
    pub sketch: bool,
    /// Ask only whether it has changed since it was read (RFC 9110 §13.1); the crawl
    /// leaves that to whoever keeps what was read.
    pub validators: Option<Validators>,
}

/// How a request ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reply {
    /// Which request.
    pub id: RequestId,
    /// What came of it.
    pub response: Response,
}

/// What came of a request, now or in an earlier run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Response {
    /// What was seen.
    pub attempt: Attempt,
    /// The page, where one was read.
    pub reading: Option<Reading>,
}

/// What a link names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// The address.
    pub id: UrlId,
    /// The fragment, as the URL standard serialises it, without `#`.
    pub fragment: Option<String>,
}

/// A final word on an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Judged {
    /// What is said.
    pub verdict: Verdict,
    /// Why.
    pub cause: Option<Cause>,
    /// The last status on the way; `None` where no server answered.
    pub status: Option<u16>,
    /// The next hop, where the address redirects.
    pub next: Option<UrlId>,
    /// Where the hops ended; the address itself without any.
    pub last: UrlId,
    /// How many hops there were.
    pub hops: u32,
    /// For what moved: where the leading permanent redirects end.
    pub moved_to: Option<UrlId>,
    /// Why a page of the site was asked, but not read.
    pub not_parsed: Option<NotParsed>,
    /// Some link names it; it is not only a hop on the way to another.
    pub linked: bool,
}

impl Judged {
    /// A word on an address that links name and that leads to no other.
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

/// Why a page of the site was asked, but not read for links.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum NotParsed {
    /// It lies deeper than is to be read.
    Depth,
    /// It lies outside the prefixes that confine the site.
    Within,
    /// robots.txt asks robots not to read it.
    Robots,
}

impl NotParsed {
    /// All of them.
    pub const ALL: [NotParsed; 3] = [NotParsed::Depth, NotParsed::Within, NotParsed::Robots];

    /// The word for it in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            NotParsed::Depth => "depth",
            NotParsed::Within => "within",
            NotParsed::Robots => "robots",
        }
    }

    /// The reason of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<NotParsed> {
        NotParsed::ALL.into_iter().find(|reason| reason.as_str() == name)
    }
}

/// Something about a run that a person should know, beside its links.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Note {
    /// A page whose links are put there by scripts: none was seen.
    RenderedByScript,
    /// The robots.txt of a server could not be had: nothing was read there.
    RobotsUnknown,
    /// robots.txt asks for a wait between two requests.
    CrawlDelay {
        /// What it asks for.
        asked: Duration,
        /// What was kept.
        kept: Duration,
    },
    /// A sitemap that no link names could not be had.
    SitemapMissing,
    /// A sitemap is no sitemap, or breaks off.
    SitemapFaulty,
    /// No link leads to this page: only a sitemap or a folder has it.
    Unreached,
    /// Addresses without end were left out.
    Trap(Stop),
    /// A server refuses everything from some moment on, also what it had answered: the
    /// rest of it was not asked.
    Blocked {
        /// Since when.
        since: Moment,
    },
    /// Nothing answers any more, from some moment on: the line seems to be down.
    Offline {
        /// Since when.
        since: Moment,
    },
}

/// What can be said of a fragment that no page's id answers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FragmentFault {
    /// The page was read to its end and has no such place.
    Missing,
    /// The fragment looks like one that a script reads.
    ForScript,
}

impl FragmentFault {
    /// The word for it in the store.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            FragmentFault::Missing => "missing",
            FragmentFault::ForScript => "for-script",
        }
    }

    /// The one of that name.
    #[must_use]
    pub fn named(name: &str) -> Option<FragmentFault> {
        [FragmentFault::Missing, FragmentFault::ForScript]
            .into_iter()
            .find(|fault| fault.as_str() == name)
    }
}

/// What happened, for the store and for whoever watches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// The start was reached: the site's bounds are known.
    Bounded {
        /// Where the start's redirects ended.
        start: UrlId,
        /// The bounds.
        bounds: Bounds,
    },
    /// An address was heard of for the first time.
    Discovered {
        /// The id it has from now on.
        id: UrlId,
        /// The address; for a malformed one, what was written.
        url: String,
    },
    /// On which side of the bounds an address lies.
    Ranked {
        /// The address.
        id: UrlId,
        /// `None` for what is not asked over HTTP.
        scope: Option<Scope>,
    },
    /// An address was asked, once.
    Requested {
        /// The address.
        id: UrlId,
        /// What was seen.
        attempt: Attempt,
        /// The title of a page that is not read for links.
        title: Option<String>,
        /// Another attempt will follow.
        again: bool,
        /// It was made in an earlier run, and is told once more.
        recalled: bool,
    },
    /// A page of the site was read.
    Read {
        /// The page.
        id: UrlId,
        /// What it holds.
        reading: Reading,
        /// What its links name, in the same order.
        targets: Vec<Target>,
    },
    /// An address has its verdict. It may get another: the last one counts.
    Judged {
        /// The address.
        id: UrlId,
        /// The verdict.
        judged: Judged,
    },
    /// A fragment of an address has no place on its page.
    NoAnchor {
        /// The address that links name, redirects not followed.
        id: UrlId,
        /// The fragment.
        fragment: String,
        /// What can be said.
        fault: FragmentFault,
    },
    /// There is something to know about an address.
    Noted {
        /// The address.
        id: UrlId,
        /// What there is to know.
        note: Note,
    },
    /// A server showed strain and is asked more slowly.
    Slowed {
        /// Host, and port where it is not a default one.
        server: String,
        /// Why, and how slowly.
        slowing: Slowing,
    },
    /// A link, or all links that want such a thing, have a fault beside their address.
    LinkFault {
        /// What they name.
        target: UrlId,
        /// The page that has the link; the target itself for `wrong-type`, which is told
        /// of all links that want something else than a page.
        page: UrlId,
        /// `wrong-type`, `mixed-content` or `placeholder`.
        cause: Cause,
        /// What is written in a placeholder link; empty for other faults.
        written: String,
    },
}

/// Why a run ends before its end, and can go on later.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Halt {
    /// The site's own server refuses everything.
    Blocked,
    /// The line is down.
    Offline,
}

/// Where a crawl is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Progress {
    /// Addresses with a verdict that were asked.
    pub done: u64,
    /// Addresses that were asked or are to be asked, as far as is known by now.
    pub known: u64,
    /// Requests in flight.
    pub in_flight: u64,
    /// Addresses that are broken.
    pub broken: u64,
    /// Pages of the site that were read.
    pub pages: u64,
}

/// Why a start could not be crawled.
#[derive(Debug, Clone, PartialEq, Eq)]
#[expect(clippy::large_enum_variant, reason = "there is one of them")]
pub enum StartProblem {
    /// It gave no page: the last address tried, and how that ended.
    NoPage {
        /// The address.
        url: String,
        /// What was seen.
        outcome: AttemptOutcome,
    },
    /// It answered with something that holds no links.
    NotHtml {
        /// The address.
        url: String,
        /// The media type of the answer.
        media_type: Option<String>,
    },
    /// Its redirects end nowhere.
    Redirects {
        /// The address where they were given up.
        url: String,
    },
    /// robots.txt asks robots not to read it.
    RobotsForbid {
        /// The start.
        url: String,
    },
    /// robots.txt could not be had, so that nobody knows what may be read.
    RobotsUnknown {
        /// The address of robots.txt.
        url: String,
    },
}
