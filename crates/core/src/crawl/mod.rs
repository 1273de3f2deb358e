//! The crawl as a machine: told what happened, it says what to do.
//!
//! A [`Crawl`] knows every address of one run and what became of it. It makes no
//! request itself and reads no clock. A method's name says which kind it is:
//!
//! - `handle_*` take news in: a reply has come.
//! - `poll_*` give work out: the next [`Request`], the next [`Event`], the next
//!   [`Moment`] to wake.
//! - All others only look.
//!
//! After any `handle_*`, and whenever the moment of [`poll_timeout`](Crawl::poll_timeout)
//! has come, call [`poll_request`](Crawl::poll_request) and
//! [`poll_event`](Crawl::poll_event) until they give `None`.
//!
//! # Promises
//!
//! - **Once.** An address is asked once, however many links and redirects name it.
//!   Only what may be a passing failure is asked again, what is missing is
//!   confirmed, what HEAD said badly is asked by GET, and what answered well is asked
//!   beside when something else hangs on it.
//! - **To the end.** When nothing is in flight and nothing waits, the crawl
//!   [is finished](Crawl::is_finished), and every address it heard of has a verdict.
//! - **Again.** Replies of an earlier part of a run, told once more in their
//!   order by [`handle_replayed`](Crawl::handle_replayed), bring the machine to
//!   where it was. What is left out of them is asked anew: that is a recheck.
//! - **Not needlessly.** What is known from an earlier run can be told by
//!   [`handle_recalled`](Crawl::handle_recalled) in place of a request.
//!
//! Inside, `discover` goes from links to addresses, `attempts` from replies to what is
//! asked again, `redirects` from hop to hop, `settle` to verdicts, `start` knows what is special about the first address,
//! `permits` what may be read, `suspects` what leads nowhere, `watching` and `line`
//! whether servers and the line are there at all, `made_up` what servers say of what
//! they do not have, `chains` walks redirects with their cookies, `beside` asks what
//! else is to be known of an address, `heads` whom to believe.

mod admission;
mod attempts;
mod beside;
mod chains;
mod discover;
mod entry;
pub(crate) mod frontier;
mod heads;
mod line;
mod made_up;
mod messages;
pub mod pace;
mod permits;
mod places;
mod redirects;
mod refusals;
pub mod retry;
mod settings;
mod settle;
mod start;
mod suspects;
pub mod trap;
mod watching;

use std::collections::{BTreeMap, HashMap, VecDeque};

use std::time::Duration;

use indexmap::IndexSet;
use url::Url;

pub use made_up::{MADE_UP, made_up_beside};
pub use messages::{
    AddressId, BodyWish, Event, Judged, Kind, NotRead, Note, Place, Reply, Request, RequestId,
    Response, Target,
};
pub use settings::{Externals, Fragments, RobotsRule, Settings, SitemapRule};
pub use start::StartProblem;

use crate::Moment;
use crate::crawl::frontier::{Frontier, Job, ServerId, Turn};
use crate::crawl::trap::Traps;
use crate::evidence::{Attempt, Ending, Method, Purpose};
use crate::url::memo::Memo;
use crate::url::scope::Scope;
use crate::verdict::{Cause, Verdict};
use admission::Admission;
use beside::Beside;
use chains::Chain;
use entry::{Entry, State, Uses};
use heads::Heads;
use line::Line;
use made_up::MadeUp;
use permits::Permits;
use places::PlaceBook;
use start::Start;
use watching::Server;

/// A request in flight holds the others of its server up for so long at least.
const SHORTEST_SILENCE: Duration = Duration::from_millis(200);

/// One run through a site. See the [module](self).
#[derive(Debug)]
pub struct Crawl {
    settings: Settings,
    start: Start,
    /// Every address heard of; its index is its id.
    addresses: IndexSet<Box<str>>,
    /// What is kept of each, by the same index.
    entries: Vec<Entry>,
    memo: Memo<AddressId>,
    frontier: Frontier,
    /// Set when only so many pages may be read.
    admission: Option<Admission>,
    /// Pages that each read page leads to; kept only where a limit of depth needs it.
    leads_to: HashMap<AddressId, Vec<AddressId>>,
    /// Addresses whose verdict follows from that of another, by that other.
    followers: HashMap<AddressId, Vec<AddressId>>,
    /// How addresses have failed so far that are to be asked again.
    failures: HashMap<AddressId, Vec<Ending>>,
    /// What is to be confirmed when nothing else is left.
    unconfirmed: Vec<AddressId>,
    /// How often something of a server was put there.
    confirmations: HashMap<ServerId, u32>,
    places: PlaceBook,
    permits: Permits,
    traps: Traps,
    /// Readings of pages that lead nowhere and have scripts, with the first page that
    /// was like that.
    shells: HashMap<u128, AddressId>,
    /// Some page is drawn by script: not all links were seen.
    has_shells: bool,
    /// What is known of servers beside their pace.
    servers: HashMap<ServerId, Server>,
    line: Line,
    heads: HashMap<ServerId, Heads>,
    made_up: MadeUp,
    /// Chains that are being walked with cookies, by their first hop.
    chains: BTreeMap<AddressId, Chain>,
    beside: Beside,
    /// Addresses whose verdict was withheld, to be asked when the run goes on.
    withheld: Vec<AddressId>,
    halt: Option<Halt>,
    events: VecDeque<Event>,
    progress: Progress,
    told: Told,
    finished: bool,
}

/// When the reply that is being taken in was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Told {
    /// Just now.
    Now,
    /// In an earlier part of the run, or in the run that is checked again; all of them
    /// are told in their order.
    InOrder,
    /// In an earlier run: it stands by itself, and says nothing of how servers are now.
    Alone,
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

impl Crawl {
    /// A crawl that tries these starts in their order, until one answers.
    ///
    /// # Panics
    /// When there is no start.
    #[must_use]
    pub fn new(mut settings: Settings, starts: Vec<Url>) -> Crawl {
        // They are taken from the end.
        settings.listed.reverse();
        let silence = (settings.retry.timeout / 10).max(SHORTEST_SILENCE);
        let frontier = Frontier::new(settings.concurrency, silence);
        let admission = settings.max_pages.map(Admission::new);
        let mut crawl = Crawl {
            start: Start::new(starts),
            settings,
            addresses: IndexSet::new(),
            entries: Vec::new(),
            memo: Memo::new(),
            frontier,
            admission,
            leads_to: HashMap::new(),
            followers: HashMap::new(),
            failures: HashMap::new(),
            unconfirmed: Vec::new(),
            confirmations: HashMap::new(),
            places: PlaceBook::default(),
            permits: Permits::default(),
            traps: Traps::default(),
            shells: HashMap::new(),
            has_shells: false,
            servers: HashMap::new(),
            line: Line::default(),
            heads: HashMap::new(),
            made_up: MadeUp::default(),
            chains: BTreeMap::new(),
            beside: Beside::default(),
            withheld: Vec::new(),
            halt: None,
            told: Told::Now,
            events: VecDeque::new(),
            progress: Progress::default(),
            finished: false,
        };
        crawl.try_next_start();
        crawl
    }

    /// The next request to make, if one may start now.
    pub fn poll_request(&mut self, now: Moment) -> Option<Request> {
        while !self.finished {
            let (entries, beside) = (&self.entries, &self.beside);
            if let Some((request, job)) = self.frontier.poll(now, |job| holds(entries, beside, job))
            {
                return Some(self.request(request, job));
            }
            if !self.begin_listed() && !self.queue_unconfirmed() {
                self.finish_if_done();
                return None;
            }
        }
        None
    }

    /// The next event, oldest first.
    pub fn poll_event(&mut self) -> Option<Event> {
        self.events.pop_front()
    }

    /// When to poll for requests again, if no reply comes before.
    #[must_use]
    pub fn poll_timeout(&self) -> Option<Moment> {
        self.frontier.next_moment()
    }

    /// A request has ended. A reply that names a request that is not in flight changes
    /// nothing.
    pub fn handle_reply(&mut self, now: Moment, reply: Reply) {
        let Reply { id: request, response } = reply;
        let Some((server, job)) = self.frontier.job(request) else { return };
        let id = job.address;
        let Attempt { took, ref ending, .. } = response.attempt;
        let signal = self.signal(now, server, id, took, ending);
        if let Some(slowing) = self.frontier.handle_ended(now, request, signal) {
            let server = self.frontier.name(server).to_owned();
            self.events.push_back(Event::Slowed { server, slowing });
        }
        if self.finished {
            return;
        }
        if job.turn == Turn::Beside {
            if let Some(reason) = self.beside.take(job.ticket) {
                self.take_in_beside(now, id, reason, response);
            }
        } else if self.entry(id).ticket == job.ticket && self.entry(id).state == State::InFlight {
            self.take_in(now, id, response);
        }
    }

    /// A reply from an earlier part of the run, in the order in which they came.
    /// Gives false, and changes nothing, when the address was never heard of. When all
    /// are told, call [`handle_resumed`](Crawl::handle_resumed).
    pub fn handle_replayed(&mut self, address: &str, response: Response) -> bool {
        let Some(index) = self.addresses.get_index_of(address) else { return false };
        let id = AddressId::from_index(index);
        let Some(server) = self.entry(id).server else { return false };
        let now = response.attempt.at;
        self.told = Told::InOrder;
        let Attempt { took, purpose, ref ending, .. } = response.attempt;
        let signal = self.signal(now, server, id, took, ending);
        self.frontier.handle_replayed(now, server, signal);
        if !purpose.is_side() {
            self.take_in_told(now, id, response);
        } else if let Some(number) = self.beside.waiting(id, purpose)
            && let Some(reason) = self.beside.take(number)
        {
            self.take_in_beside(now, id, reason, response);
        }
        true
    }

    /// A reply of an earlier run, in place of a request to an address that waits to be
    /// asked. Gives false, and changes nothing, when it does not wait for that: once it
    /// has its verdict, what else was asked of it then is of no matter.
    pub fn handle_recalled(&mut self, address: &str, response: Response) -> bool {
        let Some(index) = self.addresses.get_index_of(address) else { return false };
        let id = AddressId::from_index(index);
        let entry = self.entry(id);
        let waits = matches!(entry.state, State::Queued | State::Later | State::Unconfirmed);
        // The places on pages of others are not kept.
        let for_places = entry.places_wanted && entry.scope == Scope::External;
        if !waits || for_places {
            return false;
        }
        self.told = Told::Alone;
        self.take_in_told(response.attempt.at, id, response);
        self.told = Told::Now;
        true
    }

    fn take_in_told(&mut self, now: Moment, id: AddressId, response: Response) {
        self.entry_mut(id).handle_told();
        let is_read = response.reading.as_ref().is_some_and(|reading| !reading.title_only);
        // What was wanted of the body then is not kept: of the site's own, the reading tells.
        let unread = self.entry(id).scope == Scope::Internal && !is_read;
        self.entry_mut(id).asked_body = if unread { BodyWish::Drop } else { self.body_wish(id) };
        self.take_in(now, id, response);
    }

    /// All replies that are to stand have been told, those of a run that is now checked
    /// again. What was left out is asked; what was withheld then is not.
    pub fn handle_rechecked(&mut self) {
        self.go_on();
        self.withheld.clear();
        self.begin_chains_anew();
    }

    fn go_on(&mut self) {
        self.told = Told::Now;
        self.finished = self.start.problem().is_some();
        self.halt = None;
        self.forgive_servers();
        self.forgive_line();
    }

    /// All replies of the earlier part of the run have been told: the run goes on. What
    /// was withheld is asked, and servers that were given up get another chance.
    pub fn handle_resumed(&mut self) {
        self.go_on();
        for id in std::mem::take(&mut self.withheld) {
            if !matches!(self.entry(id).state, State::Settled(_)) {
                continue;
            }
            let entry = self.entry_mut(id);
            (entry.tries, entry.strained, entry.confirmed) = (0, 0, false);
            self.progress.done = self.progress.done.saturating_sub(1);
            if !self.hold(id) {
                self.queue(id, false, false);
            }
        }
        self.begin_chains_anew();
    }

    fn tell_asked(&mut self, id: AddressId, attempt: Attempt, title: Option<String>, again: bool) {
        let recalled = self.told != Told::Now;
        self.events.push_back(Event::Asked { id, attempt, title, again, recalled });
    }

    /// Whether the start was reached, so that it is known where the site ends.
    #[must_use]
    pub fn is_bounded(&self) -> bool {
        self.start.bounds().is_some()
    }

    /// Why the run has ended before its end, if so.
    #[must_use]
    pub fn halt(&self) -> Option<Halt> {
        self.halt
    }

    /// Whether every address has its verdict.
    #[must_use]
    pub fn is_finished(&self) -> bool {
        self.finished
    }

    /// Why the start could not be crawled, if so.
    #[must_use]
    pub fn start_problem(&self) -> Option<&StartProblem> {
        self.start.problem()
    }

    /// Where the crawl is.
    #[must_use]
    pub fn progress(&self) -> Progress {
        Progress { in_flight: u64::from(self.frontier.in_flight()), ..self.progress }
    }

    /// The address of that id.
    #[must_use]
    pub fn address(&self, id: AddressId) -> &str {
        &self.addresses[id.index()]
    }

    fn request(&mut self, request: RequestId, job: Job) -> Request {
        let id = job.address;
        if let (Turn::Beside, Some(reason)) = (job.turn, self.beside.reason(job.ticket)) {
            return Request {
                id: request,
                purpose: reason.purpose(),
                method: Method::Get,
                body: reason.body(),
                kind: reason.kind(),
                scope: self.entry(id).scope,
                later: true,
                cookies: None,
                address: self.address(id).to_owned(),
                sketch: false,
                validators: None,
            };
        }
        let body = self.body_wish(id);
        let sketch = body == BodyWish::Page && self.traps.wants_sketch(self.address(id));
        let by_head = !self.settings.by_get
            && self.entry(id).server.is_some_and(|server| self.asks_head(server));
        let entry = self.entry_mut(id);
        entry.state = State::InFlight;
        entry.later = job.turn == Turn::Later;
        entry.asked_as = entry.uses.kind;
        entry.asked_body = body;
        let by_get = entry.uses.more_than_media() || entry.by_get || !by_head;
        let mut request = Request {
            id: request,
            purpose: Purpose::Verdict,
            method: if by_get { Method::Get } else { Method::Head },
            body,
            kind: entry.uses.kind,
            scope: entry.scope,
            later: entry.later,
            cookies: None,
            address: self.address(id).to_owned(),
            sketch,
            validators: None,
        };
        if let Some(chain) = self.chains.get(&id) {
            chain.address().clone_into(&mut request.address);
            request.cookies = chain.cookies();
            let url = Url::parse(chain.address()).expect("normal forms can be parsed");
            request.scope = self.start.scope(&url);
        }
        request
    }

    fn body_wish(&self, id: AddressId) -> BodyWish {
        let Entry { uses, scope, .. } = *self.entry(id);
        let bounded = self.start.bounds().is_some();
        // Where robots.txt has moved to may be a page as well.
        if self.permits.is_robots(id) || (uses.robots() && !uses.visit()) {
            return BodyWish::Robots;
        }
        let permitted = self.permits(id);
        match scope {
            Scope::Internal if !permitted => BodyWish::Drop,
            _ if uses.sitemap() => BodyWish::Sitemap,
            Scope::Internal if uses.visit() => BodyWish::Page,
            Scope::Internal if uses.sheet() => BodyWish::Sheet,
            _ if uses.made_up() => BodyWish::Title,
            Scope::External if uses.visit() && self.entry(id).places_wanted => BodyWish::Places,
            // Where the start's redirects end, there the site will be.
            Scope::External if uses.visit() && !bounded => BodyWish::Page,
            Scope::External if uses.visit() => BodyWish::Title,
            _ => BodyWish::Drop,
        }
    }

    fn queue(&mut self, id: AddressId, later: bool, first: bool) {
        let entry = &mut self.entries[id.index()];
        let Some(server) = entry.server else { return };
        entry.ticket += 1;
        entry.state = State::Queued;
        let turn = if later { Turn::Later } else { Turn::First };
        let job = Job { address: id, ticket: entry.ticket, turn };
        if first {
            self.frontier.push_first(server, job);
        } else {
            self.frontier.push(server, job);
        }
    }

    /// Queues what is to be confirmed, once nothing else is left to do at once.
    fn queue_unconfirmed(&mut self) -> bool {
        let (entries, beside) = (&self.entries, &self.beside);
        let wanted = |job| holds(entries, beside, job);
        if self.unconfirmed.is_empty() || !self.frontier.is_quiet(wanted) {
            return false;
        }
        let mut any = false;
        for id in std::mem::take(&mut self.unconfirmed) {
            // In a replay, the confirmation may have come already.
            if self.entry(id).state == State::Unconfirmed {
                let entry = self.entry_mut(id);
                (entry.confirming, entry.tries) = (true, 0);
                self.queue(id, true, false);
                any = true;
            }
        }
        any
    }

    fn finish_if_done(&mut self) {
        if !self.finished && self.is_idle() {
            self.finish();
        }
    }

    /// Nothing is in flight, and nothing waits.
    fn is_idle(&self) -> bool {
        let (entries, beside) = (&self.entries, &self.beside);
        self.frontier.is_empty(|job| holds(entries, beside, job))
    }

    fn finish(&mut self) {
        self.finished = true;
        for index in 0..self.entries.len() {
            let id = AddressId::from_index(index);
            if let State::Unasked(cause) = self.entry(id).state {
                self.settle_unasked(id, Verdict::Skipped, cause);
            }
        }
        self.tell_unreached();
    }

    fn settle_unasked(&mut self, id: AddressId, verdict: Verdict, cause: Cause) {
        let judged = Judged::without_hops(id, verdict, Some(cause), None);
        self.settle(id, judged);
    }

    fn entry(&self, id: AddressId) -> &Entry {
        &self.entries[id.index()]
    }

    fn entry_mut(&mut self, id: AddressId) -> &mut Entry {
        &mut self.entries[id.index()]
    }
}

/// Whether a job still holds: the address waits, and for this very job.
fn holds(entries: &[Entry], beside: &Beside, job: Job) -> bool {
    if job.turn == Turn::Beside {
        return beside.reason(job.ticket).is_some();
    }
    let entry = &entries[job.address.index()];
    entry.ticket == job.ticket && matches!(entry.state, State::Queued | State::Later)
}
