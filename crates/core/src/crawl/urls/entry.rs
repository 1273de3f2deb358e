//! What a crawl keeps of each URL.

use super::roles::Roles;
use crate::Moment;
use crate::crawl::messages::{BodyUse, Judged, Kind, RequestId, ServerId, UrlId};
use crate::evidence::ResponseHead;
use crate::url::scope::Scope;
use crate::verdict::Cause;

/// One URL. Its phase changes by [`UrlTable::set_phase`](super::UrlTable::set_phase) alone.
#[derive(Debug)]
pub(in crate::crawl) struct Entry {
    /// `None` for what is not requested over HTTP.
    pub(in crate::crawl) server: Option<ServerId>,
    pub(in crate::crawl) scope: Scope,
    /// Links away from the start, by the shortest way known so far.
    pub(in crate::crawl) depth: u32,
    /// Redirects on the way here, by the way it was first heard of.
    pub(in crate::crawl) chain: u32,
    /// A rule of the settings excludes it.
    pub(in crate::crawl) excluded: bool,
    pub(in crate::crawl) roles: Roles,
    pub(super) phase: Phase,
    /// Some link names it.
    pub(super) linked: bool,
    pub(in crate::crawl) attempts: Attempts,
    pub(in crate::crawl) last: LastResponse,
    pub(in crate::crawl) redirect: Redirect,
    pub(in crate::crawl) page: Page,
    pub(in crate::crawl) type_check: TypeCheck,
    /// Its response is like that to a nonexistent test URL.
    pub(in crate::crawl) like_missing: bool,
    /// Fragments of it are checked though it is external.
    pub(in crate::crawl) anchors_requested: bool,
}

/// The attempts at a URL so far.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::crawl) struct Attempts {
    /// GET requests that have ended and count.
    pub(in crate::crawl) count: u32,
    /// Those that do not count: they failed while the server showed strain.
    pub(in crate::crawl) strained: u32,
    /// When the last one began.
    pub(in crate::crawl) began: Moment,
    /// The last one got no response in time.
    pub(in crate::crawl) hung: bool,
    /// HEAD was tried and is not to be trusted here.
    pub(in crate::crawl) by_get: bool,
    pub(in crate::crawl) confirmation: Confirmation,
}

/// Whether a 404, 410 or NXDOMAIN was checked once more.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(in crate::crawl) enum Confirmation {
    /// It was not.
    #[default]
    None,
    /// The attempt under way does.
    UnderWay,
    /// It was.
    Done,
}

/// What the last request wanted, and what kind of response it got.
#[derive(Debug, Clone, Copy)]
pub(in crate::crawl) struct LastResponse {
    /// What it was requested as.
    pub(in crate::crawl) kind: Kind,
    /// What was wanted of the body, as far as that was read.
    pub(in crate::crawl) body: BodyUse,
    pub(in crate::crawl) success: bool,
    /// A success that is HTML.
    pub(in crate::crawl) html: bool,
    /// A success that is CSS.
    pub(in crate::crawl) css: bool,
}

impl LastResponse {
    /// The response to that request has come.
    pub(in crate::crawl) fn handle_answer(&mut self, answer: &ResponseHead) {
        self.success = answer.is_success();
        self.html = self.success && answer.is_html();
        self.css = self.success && answer.is_css();
    }
}

/// How a URL redirects, where it does.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::crawl) struct Redirect {
    pub(in crate::crawl) permanent: bool,
    /// Its `Location` brought a fragment of its own.
    pub(in crate::crawl) own_fragment: bool,
    /// It sets a cookie that the next hop may want to see.
    pub(in crate::crawl) sets_cookie: bool,
    /// Its redirects were followed with cookies.
    pub(in crate::crawl) with_cookies: bool,
}

/// What is known of a URL as a page of the site.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::crawl) struct Page {
    /// It is to be read whatever the bounds say: the start.
    pub(in crate::crawl) always_read: bool,
    /// Its links were taken.
    pub(in crate::crawl) read: bool,
    /// A link on another page leads here, or a person began here.
    pub(in crate::crawl) reached: bool,
}

/// Whether a page is a page as well where something else is wanted of it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(in crate::crawl) enum TypeCheck {
    /// Not known.
    #[default]
    None,
    /// A side request is to show it.
    Requested,
    /// It is.
    Wrong,
}

impl Confirmation {
    /// The response of an earlier attempt is told: it is no confirmation.
    pub(in crate::crawl) fn handle_known(&mut self) {
        if *self == Confirmation::UnderWay {
            *self = Confirmation::None;
        }
    }
}

impl Entry {
    /// What is known of a URL before anything is.
    pub(in crate::crawl) fn unknown() -> Entry {
        Entry {
            server: None,
            scope: Scope::External,
            depth: u32::MAX,
            chain: 0,
            excluded: false,
            roles: Roles::NONE,
            phase: Phase::Unrequested(Cause::ServiceLink),
            linked: false,
            attempts: Attempts::default(),
            last: LastResponse {
                kind: Kind::Any,
                body: BodyUse::Drop,
                success: false,
                html: false,
                css: false,
            },
            redirect: Redirect::default(),
            page: Page::default(),
            type_check: TypeCheck::None,
            like_missing: false,
            anchors_requested: false,
        }
    }

    pub(in crate::crawl) fn phase(&self) -> Phase {
        self.phase
    }

    /// Whether some link names it.
    pub(in crate::crawl) fn is_linked(&self) -> bool {
        self.linked
    }

    /// Its verdict, once it has one.
    pub(in crate::crawl) fn judged(&self) -> Option<Judged> {
        match self.phase {
            Phase::Settled(judged) => Some(judged),
            _ => None,
        }
    }

    /// Where it redirects to, as far as is known.
    pub(in crate::crawl) fn next_hop(&self) -> Option<UrlId> {
        match self.phase {
            Phase::Follows(next) => Some(next),
            Phase::Settled(judged) => judged.next,
            _ => None,
        }
    }
}

/// Where a URL is on its way to a verdict.
///
/// ```text
///  Unrequested ─▶ Queued ─▶ InFlight ─┬▶ Settled
///       │  ▲         ▲          │     └▶ Follows ─▶ Settled
///       ▼  └─ trap   ├─ Retry ◀─┤
///     Held ──────────┴─ Unconfirmed, Refused
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) enum Phase {
    /// Not to be requested, for this cause; a later link may change that.
    Unrequested(Cause),
    /// Waits until the rules of robots.txt are known.
    Held,
    /// Waits to be requested, by the job with this ticket.
    Queued(u32),
    /// Waits for a later attempt at a moment that the frontier knows, by that job.
    Retry(u32),
    /// Is requested; `None` while the response of an earlier run is processed.
    InFlight(Option<RequestId>),
    /// Seems to be missing; will be requested once more when nothing else is left.
    Unconfirmed,
    /// Refused; a page of its server that had responded is being requested again.
    Refused,
    /// Redirects; its verdict follows from that of this URL.
    Follows(UrlId),
    /// Has its verdict.
    Settled(Judged),
}

impl Phase {
    /// Whether it is to be requested, now or later.
    pub(in crate::crawl) fn waits(self) -> bool {
        use Phase::{Held, Queued, Refused, Retry, Unconfirmed};
        matches!(self, Held | Queued(_) | Retry(_) | Unconfirmed | Refused)
    }
}
