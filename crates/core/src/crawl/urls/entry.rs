//! What a crawl stores for each URL.

use super::roles::Roles;
use crate::Moment;
use crate::crawl::messages::{BodyUse, Judged, Kind, RequestId, ServerId, UrlId};
use crate::evidence::ResponseHead;
use crate::url::scope::Scope;
use crate::verdict::Cause;

/// One URL. Only [`UrlTable::set_phase`](super::UrlTable::set_phase) changes its phase.
#[derive(Debug)]
pub(in crate::crawl) struct Entry {
    /// `None` for what is not an HTTP URL.
    pub(in crate::crawl) server: Option<ServerId>,
    pub(in crate::crawl) scope: Scope,
    /// Depth from the start, by the shortest path known so far.
    pub(in crate::crawl) depth: u32,
    /// Redirects that led here when it was discovered.
    pub(in crate::crawl) chain: u32,
    /// A rule of the settings excludes it.
    pub(in crate::crawl) excluded: bool,
    pub(in crate::crawl) roles: Roles,
    pub(super) phase: Phase,
    /// A link names it.
    pub(super) linked: bool,
    pub(in crate::crawl) attempts: Attempts,
    pub(in crate::crawl) last: LastResponse,
    pub(in crate::crawl) redirect: Redirect,
    pub(in crate::crawl) page: Page,
    pub(in crate::crawl) type_check: TypeCheck,
    /// Its response is like that to a nonexistent test URL.
    pub(in crate::crawl) like_missing: bool,
    /// Fragments of it are checked although it is external.
    pub(in crate::crawl) anchors_requested: bool,
    /// Whether every reference to it so far was written without its scheme: http is tried after
    /// https.
    pub(in crate::crawl) bare: Option<bool>,
}

/// The attempts at a URL so far.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::crawl) struct Attempts {
    /// GET requests that have ended and count.
    pub(in crate::crawl) count: u32,
    /// Requests that do not count: they failed while the server was overloaded.
    pub(in crate::crawl) strained: u32,
    /// When the last one began.
    pub(in crate::crawl) began: Moment,
    /// The last one timed out.
    pub(in crate::crawl) hung: bool,
    /// HEAD was tried and is not reliable here.
    pub(in crate::crawl) by_get: bool,
    pub(in crate::crawl) confirmation: Confirmation,
    /// Its server fails at random, and it may have failed by chance.
    pub(in crate::crawl) by_chance: bool,
}

/// Whether a 404, 410 or NXDOMAIN has been confirmed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(in crate::crawl) enum Confirmation {
    /// It has not.
    #[default]
    None,
    /// The current attempt is the confirmation.
    UnderWay,
    /// It has.
    Done,
}

/// What the last request was for, and the kind of response.
#[derive(Debug, Clone, Copy)]
pub(in crate::crawl) struct LastResponse {
    /// What it accepted.
    pub(in crate::crawl) kind: Kind,
    /// What the body was used for, as far as it was read.
    pub(in crate::crawl) body: BodyUse,
    pub(in crate::crawl) success: bool,
    /// A 2xx response with HTML.
    pub(in crate::crawl) html: bool,
    /// A 2xx response with CSS.
    pub(in crate::crawl) css: bool,
}

impl LastResponse {
    /// The response to that request has arrived.
    pub(in crate::crawl) fn handle_answer(&mut self, answer: &ResponseHead) {
        self.success = answer.is_success();
        self.html = self.success && answer.is_html();
        self.css = self.success && answer.is_css();
    }
}

/// How a URL redirects, if it does.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::crawl) struct Redirect {
    pub(in crate::crawl) permanent: bool,
    /// Its `Location` has a fragment of its own.
    pub(in crate::crawl) own_fragment: bool,
    /// It sets a cookie that the next hop may need.
    pub(in crate::crawl) sets_cookie: bool,
    /// Its redirects were followed with cookies.
    pub(in crate::crawl) with_cookies: bool,
}

/// What is known of a URL as an internal page.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::crawl) struct Page {
    /// It is parsed whatever the bounds are: the start page.
    pub(in crate::crawl) always_read: bool,
    /// Its links were extracted.
    pub(in crate::crawl) read: bool,
    /// A link on another page leads here, or the crawl started here.
    pub(in crate::crawl) reached: bool,
}

/// Whether a URL is an HTML page although another type is expected.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(in crate::crawl) enum TypeCheck {
    /// Unknown.
    #[default]
    None,
    /// A side request will show it.
    Requested,
    /// It is.
    Wrong,
}

impl Confirmation {
    /// An earlier response is replayed, which is not a confirmation.
    pub(in crate::crawl) fn handle_known(&mut self) {
        if *self == Confirmation::UnderWay {
            *self = Confirmation::None;
        }
    }
}

impl Entry {
    /// A URL about which nothing is known.
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
            bare: None,
        }
    }

    pub(in crate::crawl) fn phase(&self) -> Phase {
        self.phase
    }

    /// Whether a link names it.
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

    /// The next hop of its redirects, as far as is known.
    pub(in crate::crawl) fn next_hop(&self) -> Option<UrlId> {
        match self.phase {
            Phase::Follows(next) => Some(next),
            Phase::Settled(judged) => judged.next,
            _ => None,
        }
    }
}

/// The phase of a URL on its way to a verdict.
///
/// ```text
/// Unrequested ─▶ Queued ─▶ InFlight ─┬▶ Settled
///       │  ▲         ▲          │     └▶ Follows ─▶ Settled
///       ▼  └─ trap   ├─ Retry ◀─┤
///     Held ──────────┴─ Unconfirmed, Refused
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::crawl) enum Phase {
    /// Not to be requested, for this cause; a later link may change that.
    Unrequested(Cause),
    /// Waits for the rules of robots.txt.
    Held,
    /// Queued, by the job with this ticket.
    Queued(u32),
    /// Waits for a retry at a moment that the frontier knows, by that job.
    Retry(u32),
    /// Being requested; `None` while a response of an earlier run is processed.
    InFlight(Option<RequestId>),
    /// Seems to be missing; will be requested once more when nothing else is left.
    Unconfirmed,
    /// Refused; the canary of its server is being requested.
    Refused,
    /// Redirects; its verdict follows from that of this URL.
    Follows(UrlId),
    /// Has its verdict.
    Settled(Judged),
}

impl Phase {
    /// Whether it will be requested, now or later.
    pub(in crate::crawl) fn waits(self) -> bool {
        use Phase::{Held, Queued, Refused, Retry, Unconfirmed};
        matches!(self, Held | Queued(_) | Retry(_) | Unconfirmed | Refused)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// There is one for each URL.
    #[test]
    fn an_entry_is_small() {
        assert!(size_of::<Entry>() <= 88, "{}", size_of::<Entry>());
    }
}
