//! The crawl as a state machine, without I/O. See [`Crawl`].

use std::time::Duration;

use url::Url;

use super::board::{Board, ReplySource};
use super::discovery::{Discovery, handle_type_checked};
use super::effect::Effect;
use super::health::Health;
use super::judging::Judging;
use super::messages::{
    BodyUse, Event, Halt, Judged, Reply, Request, RequestId, Response, StartProblem, UrlId,
};
use super::requests::side_requests::Reason;
use super::requests::{Requests, Work};
use super::robots::RobotsGate;
use super::settings::Settings;
use super::shared::SharedState;
use super::urls::{Confirmation, Phase};
use crate::Moment;
use crate::crawl::progress::Progress;
use crate::evidence::{Method, Purpose};
use crate::url::scope::Scope;
use crate::verdict::Cause;

/// A hanging request blocks the others of its server for this long at least.
const SHORTEST_SILENCE: Duration = Duration::from_millis(200);

/// One crawl of a site.
///
/// The name of a method says its kind:
///
/// - `handle_*` take input: a reply has arrived.
/// - `poll_*` return output: the next [`Request`], the next [`Event`], the next [`Moment`] to
///   wake up.
/// - All others only read.
///
/// After any `handle_*`, and whenever the moment of [`poll_timeout`](Crawl::poll_timeout) has
/// come, call [`poll_request`](Crawl::poll_request) and [`poll_event`](Crawl::poll_event) until
/// they return `None`.
///
/// # Guarantees
///
/// - **Once.** A URL is requested once, however many links and redirects name it. There are
///   exceptions: temporary failures are retried, missing pages are confirmed, failures with HEAD
///   are repeated with GET, a page that turns out to need parsing is fetched again, and side
///   requests go to URLs that worked.
/// - **Each reply to its request.** A reply names its request. A reply to a request that is not
///   in flight changes nothing.
/// - **To the end.** When nothing is in flight and nothing waits, the crawl [is
///   finished](Crawl::is_finished), and every discovered URL has a verdict.
/// - **Resumable.** Responses of an earlier part of a run, replayed in order with
///   [`handle_replayed`](Crawl::handle_replayed), restore the machine's state. Responses that are
///   left out are requested anew: that is a recheck.
/// - **Reusable results.** What an earlier run knows can be passed to
///   [`handle_recalled`](Crawl::handle_recalled) in place of a request.
///
/// # Examples
///
/// A server that responds 404 to everything except its home page, which has one link:
///
/// ```
/// use std::time::Duration;
///
/// use rummage_core::Moment;
/// use rummage_core::crawl::{Crawl, Reply, Response, Settings};
/// use rummage_core::evidence::{Attempt, AttemptOutcome, ResponseHead};
/// use rummage_core::extract::{Extractor, Format};
/// use url::Url;
///
/// let home = "http://a.test/";
/// let mut crawl = Crawl::new(Settings::default(), vec![Url::parse(home).unwrap()]);
/// let mut now = Moment::START;
/// loop {
///     let Some(request) = crawl.poll_request(now) else {
///         // Nothing is in flight here: the next request waits for its time, or it is the end.
///         let Some(at) = crawl.poll_timeout() else { break };
///         now = at;
///         continue;
///     };
///     let is_home = request.url == home;
///     let took = Duration::from_millis(20);
///     now = now + took;
///     let head = ResponseHead {
///         status: if is_home { 200 } else { 404 },
///         media_type: Some("text/html".to_owned()),
///         ..ResponseHead::default()
///     };
///     let reading = is_home.then(|| {
///         let mut page = Extractor::new(Format::Html, None, 1 << 20);
///         page.feed(b"<title>Home</title><a href=lost>Lost</a>");
///         page.finish()
///     });
///     let outcome = AttemptOutcome::Response(head);
///     let attempt = Attempt::new(now, took, request.method, outcome);
///     crawl.handle_reply(now, Reply { id: request.id, response: Response { attempt, reading } });
/// }
/// assert!(crawl.is_finished());
/// assert_eq!(crawl.progress().broken, 1);
/// ```
#[derive(Debug)]
pub struct Crawl {
    shared: SharedState,
    discovery: Discovery,
    judging: Judging,
    problem: Option<StartProblem>,
    halt: Option<Halt>,
    stage: Stage,
    /// URLs were queued that may have earlier results.
    polls_again: bool,
}

/// How many URLs get their verdict at once when a crawl ends, so that their events need not all
/// be in memory.
const ENDED_AT_ONCE: usize = 10_000;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Stage {
    Open,
    /// Nothing more is requested; URLs that were never to be requested get their verdict, from
    /// this one on.
    Ending(usize),
    Finished,
}

impl Crawl {
    /// A crawl that tries these start URLs in order, until one responds.
    ///
    /// # Panics
    /// If there is no start URL.
    #[must_use]
    pub fn new(settings: Settings, starts: Vec<Url>) -> Crawl {
        let timeout = settings.retry.timeout;
        let silence = (timeout / 10).max(SHORTEST_SILENCE);
        let requests = Requests::new(settings.concurrency, silence);
        let mut board = Board::new(settings, requests);
        let discovery = Discovery::new(&mut board, starts);
        let shared =
            SharedState { board, health: Health::new(timeout), robots: RobotsGate::default() };
        let judging = Judging::default();
        Crawl {
            shared,
            discovery,
            judging,
            problem: None,
            halt: None,
            stage: Stage::Open,
            polls_again: false,
        }
    }

    /// The next request to make, if one may start now.
    pub fn poll_request(&mut self, now: Moment) -> Option<Request> {
        self.polls_again = false;
        if let Stage::Ending(next) = self.stage {
            self.end_from(next);
        }
        while self.stage == Stage::Open {
            let Board { requests, urls, .. } = &mut self.shared.board;
            if let Some((request, id, work)) = requests.poll(now, urls) {
                return Some(self.request(now, request, id, work));
            }
            let more = self.discovery.begin_listed(&mut self.shared)
                || self.judging.enqueue_unconfirmed(&mut self.shared.board);
            // Earlier results of these come before requests.
            self.polls_again =
                !more && self.judging.request_home_pages(&mut self.shared, &mut self.discovery);
            self.apply_effects();
            if !more {
                if self.stage == Stage::Open && !self.polls_again && self.shared.board.is_idle() {
                    self.shared.health.handle_idle(&mut self.shared.board);
                    self.apply_effects();
                }
                if self.stage == Stage::Open && !self.polls_again && self.shared.board.is_idle() {
                    self.finish();
                }
                return None;
            }
        }
        None
    }

    /// The next event, oldest first.
    pub fn poll_event(&mut self) -> Option<Event> {
        self.shared.board.poll_event()
    }

    /// When to poll for requests again, if no reply comes before.
    #[must_use]
    pub fn poll_timeout(&self) -> Option<Moment> {
        if self.polls_again || matches!(self.stage, Stage::Ending(_)) {
            return Some(Moment::START);
        }
        self.shared.board.requests.next_moment()
    }

    /// A request has ended. A reply to a request that is not in flight changes nothing.
    pub fn handle_reply(&mut self, now: Moment, reply: Reply) {
        let Reply { id: request, response } = reply;
        let SharedState { board, health, .. } = &mut self.shared;
        let Some(of) = board.requests.in_flight(request) else { return };
        let signal = health.signal(board, now, of, &response.attempt);
        let (work, slowing) = board.requests.take(now, &board.urls, request, signal);
        if let Some(slowing) = slowing {
            let server = board.requests.server_name(of.0).to_owned();
            board.report(Event::Slowed { server, slowing });
        }
        if let Some(work) = work.filter(|_| self.stage == Stage::Open) {
            self.handle_response(now, of.1, work, response);
        }
    }

    /// A response from an earlier part of the run, in the order in which they came. Returns
    /// false, and changes nothing, if the URL has not been discovered. After the last one, call
    /// [`handle_resumed`](Crawl::handle_resumed).
    pub fn handle_replayed(&mut self, url: &str, response: Response) -> bool {
        self.judging.expect_home_page(&mut self.shared, &mut self.discovery, url);
        let SharedState { board, health, .. } = &mut self.shared;
        let Some(id) = board.urls.find(url) else { return false };
        let Some(server) = board.entry(id).server else { return false };
        let now = response.attempt.at;
        board.source = ReplySource::Replay;
        let signal = health.signal(board, now, (server, id), &response.attempt);
        let purpose = response.attempt.purpose;
        if let Some(work) = board.requests.take_replayed(now, (server, id), purpose, signal) {
            self.handle_known(now, id, work, response);
        }
        true
    }

    /// What an earlier run knows about a URL, in place of a request: the responses in their
    /// order. Once the URL has its verdict, or if it is not queued, they change nothing.
    pub fn handle_recalled(&mut self, url: &str, mut responses: Vec<Response>) {
        // GET has confirmed or contradicted it.
        let by_get = |response: &Response| response.attempt.method == Method::Get;
        if responses.iter().any(by_get) {
            responses.retain(by_get);
        }
        let Some(id) = self.shared.board.urls.find(url) else { return };
        for response in responses {
            let entry = self.shared.board.entry(id);
            let waits =
                matches!(entry.phase(), Phase::Queued(_) | Phase::Retry(_) | Phase::Unconfirmed);
            // The anchors of external pages are not stored.
            let for_anchors = entry.anchors_requested && entry.scope == Scope::External;
            if !waits || for_anchors {
                return;
            }
            self.shared.board.source = ReplySource::Recall;
            let now = response.attempt.at;
            self.handle_known(now, id, Work::Verdict { later: false }, response);
            self.shared.board.source = ReplySource::Now;
        }
    }

    /// All responses to keep have been replayed, and the rest is a recheck. Responses that were
    /// left out are requested; URLs that were deferred then are not.
    pub fn handle_rechecked(&mut self) {
        self.go_on();
        self.shared.health.take_deferred();
        self.judging.begin_chains_anew(&mut self.shared.board);
    }

    /// All responses of the earlier part of the run have been replayed, and the run continues.
    /// Deferred URLs are requested, and servers that were given up get another chance.
    pub fn handle_resumed(&mut self) {
        self.go_on();
        for id in self.shared.health.take_deferred() {
            let entry = self.shared.board.entry_mut(id);
            // A response that was in flight may have arrived after all.
            let is_deferred =
                |judged: Judged| matches!(judged.cause, Some(Cause::Blocking | Cause::Offline));
            if entry.judged().is_some_and(is_deferred) {
                let attempts = &mut entry.attempts;
                (attempts.count, attempts.strained) = (0, 0);
                attempts.confirmation = Confirmation::None;
                self.shared.enqueue(id);
            }
        }
        self.judging.begin_chains_anew(&mut self.shared.board);
    }

    fn go_on(&mut self) {
        self.shared.board.source = ReplySource::Now;
        self.stage = if self.problem.is_some() { Stage::Finished } else { Stage::Open };
        self.halt = None;
        self.shared.health.handle_resumed();
    }

    /// Whether the start URL responded, so that the bounds of the site are known.
    #[must_use]
    pub fn is_bounded(&self) -> bool {
        self.shared.board.urls.bounds().is_some()
    }

    /// Why the run has ended early, if it has.
    #[must_use]
    pub fn halt(&self) -> Option<Halt> {
        self.halt
    }

    /// Whether every URL has its verdict.
    #[must_use]
    pub fn is_finished(&self) -> bool {
        self.stage == Stage::Finished
    }

    /// Why the start page could not be crawled, if it could not.
    #[must_use]
    pub fn start_problem(&self) -> Option<&StartProblem> {
        self.problem.as_ref()
    }

    /// The progress of the crawl.
    #[must_use]
    pub fn progress(&self) -> Progress {
        let board = &self.shared.board;
        let in_flight = u64::from(board.requests.count_in_flight());
        Progress { in_flight, ..board.urls.progress() }
    }

    /// The only server for which there is still work, with the number of its URLs. `None` while
    /// there are several.
    #[must_use]
    pub fn last_server(&self) -> Option<(&str, u64)> {
        let board = &self.shared.board;
        board.requests.last_server(&board.urls)
    }

    /// The URL with this id.
    #[must_use]
    pub fn url(&self, id: UrlId) -> &str {
        self.shared.board.urls.text(id)
    }

    fn request(&mut self, now: Moment, request: RequestId, id: UrlId, work: Work) -> Request {
        let plain = |board: &Board| Request {
            id: request,
            purpose: Purpose::Verdict,
            method: Method::Get,
            body: BodyUse::Drop,
            kind: board.entry(id).roles.kind,
            scope: board.entry(id).scope,
            later: true,
            brief: false,
            cookies: None,
            url: board.urls.text(id).to_owned(),
            sketch: false,
            validators: None,
        };
        let later = match work {
            Work::Verdict { later } => later,
            Work::Side(reason) => {
                return Request {
                    purpose: reason.purpose(),
                    body: reason.body(),
                    kind: reason.kind(),
                    ..plain(&self.shared.board)
                };
            }
        };
        let body = self.discovery.body_use(&self.shared, id);
        let board = &mut self.shared.board;
        let sketch = body == BodyUse::Page && self.discovery.needs_sketch(board, id);
        let entry = board.entry_mut(id);
        (entry.last.kind, entry.last.body) = (entry.roles.kind, body);
        let entry = board.entry(id);
        let by_get = board.settings.by_get
            || entry.roles.more_than_media()
            || entry.attempts.by_get
            || !entry.server.is_some_and(|server| board.requests.trusts_head(server));
        let method = if by_get { Method::Get } else { Method::Head };
        let brief = entry.server.is_some_and(|server| self.shared.health.is_dripping(server));
        let mut request = Request { method, body, later, sketch, brief, ..plain(board) };
        self.judging.prepare(board, now, id, &mut request);
        request
    }

    /// Processes an earlier response as though its URL had just been requested.
    fn handle_known(&mut self, now: Moment, id: UrlId, work: Work, response: Response) {
        if let Work::Verdict { .. } = work {
            let body_use = self.discovery.body_use(&self.shared, id);
            // It may have been requested for another use.
            let is_read = response
                .reading
                .as_ref()
                .is_some_and(|reading| !reading.title_only && body_use.gives(reading.format));
            let board = &mut self.shared.board;
            let entry = board.entry_mut(id);
            if entry.phase() == Phase::Unconfirmed {
                entry.attempts.confirmation = Confirmation::UnderWay;
                entry.attempts.count = 0;
            } else {
                entry.attempts.confirmation.handle_known();
            }
            entry.last.kind = entry.roles.kind;
            // What the body was used for then is not stored; for internal URLs, the reading shows
            // it.
            let unread = entry.scope == Scope::Internal && !is_read;
            entry.last.body = if unread { BodyUse::Drop } else { body_use };
            board.urls.set_phase(id, Phase::InFlight(None));
        }
        self.handle_response(now, id, work, response);
    }

    fn handle_response(&mut self, now: Moment, id: UrlId, work: Work, response: Response) {
        match work {
            Work::Verdict { .. } => {
                let (shared, discovery) = (&mut self.shared, &mut self.discovery);
                self.judging.handle_response(shared, discovery, now, id, response);
            }
            Work::Side(reason) => self.handle_side_response(now, id, reason, response),
        }
        self.apply_effects();
    }

    fn handle_side_response(&mut self, now: Moment, id: UrlId, reason: Reason, response: Response) {
        let Response { mut attempt, reading } = response;
        attempt.purpose = reason.purpose();
        let outcome = attempt.outcome.clone();
        let SharedState { board, health, .. } = &mut self.shared;
        board.report_attempt(id, attempt, None, false);
        match reason {
            Reason::Server(server) => health.handle_canary(board, now, (server, id), &outcome),
            Reason::Network => health.handle_network_canary(board, now, id, &outcome),
            Reason::Names => health.handle_names_check(board, now, id, &outcome),
            Reason::Type(_) => handle_type_checked(board, id, &outcome),
            Reason::Anchors => {
                self.discovery.handle_anchors(board, id, &outcome, reading.as_ref());
            }
        }
    }

    /// Applies the effects for machines above, until there are none left.
    fn apply_effects(&mut self) {
        while let Some(effect) = self.shared.board.take_effect() {
            // If there is nothing to crawl, nothing follows.
            if self.problem.is_none() {
                self.apply(effect);
            }
        }
    }

    fn apply(&mut self, effect: Effect) {
        let Crawl { shared, discovery, judging, .. } = self;
        match effect {
            Effect::Use { id, roles, first } => {
                discovery.use_url(shared, id, roles, u32::MAX);
                if first {
                    shared.board.hasten(id);
                }
            }
            Effect::Defer { id, cause } => judging.defer(shared, discovery, id, cause),
            Effect::FinalizeRefused { id, outcome } => {
                judging.finalize_refused(shared, discovery, id, &outcome);
            }
            Effect::Rejudge { id } => judging.rejudge(shared, discovery, id),
            Effect::ConcludeStart { id, outcome, reading } => {
                if let Some(bounds) = shared.board.urls.bounds().cloned() {
                    shared.board.report(Event::Bounded { start: id, bounds: Box::new(bounds) });
                }
                judging.conclude(shared, discovery, id, &outcome, reading.map(|it| *it));
            }
            Effect::BeginMoreStarts => discovery.begin_more_starts(shared),
            Effect::ReleaseStart => discovery.release_start(&mut shared.board),
            Effect::FailStart(problem) => {
                self.problem = Some(problem);
                self.stage = Stage::Finished;
            }
            Effect::Halt { halt, at_once } => {
                self.halt = Some(halt);
                if at_once {
                    self.finish();
                }
            }
        }
    }

    fn finish(&mut self) {
        self.end_from(0);
    }

    /// Gives the next URLs that were never to be requested their verdict.
    fn end_from(&mut self, next: usize) {
        let Crawl { shared, discovery, judging, .. } = self;
        let next = judging.finalize_unrequested(shared, discovery, next..next + ENDED_AT_ONCE);
        self.stage = next.map_or(Stage::Finished, Stage::Ending);
        self.apply_effects();
        if self.stage == Stage::Finished && self.halt.is_none() {
            self.discovery.report_unreached(&mut self.shared.board);
        }
    }
}
