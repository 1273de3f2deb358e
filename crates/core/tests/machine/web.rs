//! A web in memory and a driver with a clock that jumps from event to event.

use std::cell::{Cell, RefCell};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap, HashMap};
use std::sync::Arc;
use std::time::Duration;

use rummage_core::Moment;
use rummage_core::crawl::{
    BodyUse, Crawl, Event, FragmentFault, Judged, Note, Reply, Request, Response, Settings,
    TEST_PREFIX, Target, UrlId,
};
use rummage_core::evidence::{
    Attempt, AttemptOutcome, DnsFailure, Failure, Method, Purpose, ResponseHead, Stage,
};
use rummage_core::extract::lists::lines;
use rummage_core::extract::repeats::Repeats;
use rummage_core::extract::signs::Signs;
use rummage_core::extract::{Extractor, Limits};
use rummage_core::verdict::Cause;
use url::Url;

/// How a server handles a request for a URL.
#[derive(Debug, Clone)]
#[expect(clippy::large_enum_variant, reason = "there are a handful")]
pub(crate) enum Act {
    /// An HTML page.
    Page(String),
    /// A status only.
    Status(u16),
    /// A status and a `Location`.
    Redirect(u16, String),
    /// Something that is not a page.
    File(&'static str),
    /// Another format to parse: media type and body.
    Body(&'static str, String),
    /// A list of URLs, one per line, as given by a user.
    List(String),
    /// A failure.
    Fail(Failure),
    /// No response for as long as a client waits.
    Hang,
    /// A body that never ends: three time-outs, or a quarter of one.
    Drip,
    /// The first until this moment, the second from then on.
    Until(Duration, Box<Act>, Box<Act>),
    /// The first for HEAD, the second for GET.
    ByMethod(Box<Act>, Box<Act>),
    /// The first for clients with this cookie, the second for others.
    WithCookie(&'static str, Box<Act>, Box<Act>),
    /// The first this many times, then the second.
    Times(u32, Box<Act>, Box<Act>),
    /// An HTML page with this status.
    Says(u16, String),
    /// An act with other response headers.
    ResponseHead(ResponseHead, Box<Act>),
}

/// A simulated web; everything else is 404.
#[derive(Debug, Default, Clone)]
pub(crate) struct Web {
    acts: HashMap<String, (Duration, Act)>,
    /// How many times URLs that change were requested.
    requested: RefCell<HashMap<String, u32>>,
    /// A host that fails with this status when this many requests are in flight.
    chokes: Option<(String, usize, u16)>,
    /// The request, by number, that gets a temporary failure.
    struck: Option<(Cell<usize>, AttemptOutcome)>,
    /// A URL that takes its server down for this long whenever it is requested; and until when it
    /// is down.
    deadly: Option<(String, Duration, Cell<Duration>)>,
    /// What addresses give that begin so and are not there otherwise.
    fallbacks: Vec<(String, Act)>,
    /// Everything fails from the first of these moments on, to the second.
    down: Option<(Duration, Duration, AttemptOutcome)>,
    /// A third of all requests for pages gets this outcome.
    shaky: Option<(Cell<u64>, AttemptOutcome)>,
    /// From this moment on, the DNS server answers NXDOMAIN to everything; the site's own server
    /// is known, and goes on.
    nameless: Option<Duration>,
    /// It takes only so many requests a second.
    rate_limit: Option<RateLimit>,
    /// The responses of an earlier crawl, by URL: they are recalled instead of requested.
    recalled: HashMap<String, Vec<Response>>,
    /// Parts of pages that occurred before are copied.
    repeats: Option<Arc<Repeats>>,
}

/// A leaky bucket: what comes too fast waits in it, and what overflows is refused.
#[derive(Debug, Clone)]
pub(crate) struct RateLimit {
    /// The status of a refusal.
    pub(crate) status: u16,
    pub(crate) per_second: u32,
    /// What fits into the bucket.
    pub(crate) burst: u32,
    /// What is in the bucket waits until it is due; otherwise it is served at once.
    pub(crate) delays: bool,
    /// What is in the bucket, in thousandths of a request, and since when.
    level: Cell<(u128, Duration)>,
}

impl RateLimit {
    pub(crate) fn new(status: u16, per_second: u32, burst: u32, delays: bool) -> RateLimit {
        RateLimit { status, per_second, burst, delays, level: Cell::default() }
    }

    /// How long a request waits; `None` if it is refused.
    fn handle_request(&self, now: Duration) -> Option<Duration> {
        let (level, since) = self.level.get();
        let drained = u128::from(self.per_second) * (now - since).as_millis();
        let level = (level + 1000).saturating_sub(drained);
        if level > u128::from(self.burst) * 1000 {
            return None;
        }
        self.level.set((level, now));
        let wait = u64::try_from(level).unwrap() / u64::from(self.per_second);
        Some(Duration::from_millis(if self.delays { wait } else { 0 }))
    }
}

/// The results of a crawl.
#[derive(Debug)]
pub(crate) struct Seen {
    /// Every request, in order: moment, method, URL.
    pub(crate) requests: Vec<(Moment, Method, String)>,
    /// What the body of each request is used for.
    pub(crate) bodies: Vec<(String, BodyUse)>,
    /// The last verdict of each URL, as text.
    pub(crate) verdicts: BTreeMap<String, String>,
    /// Pages in the order in which they were parsed.
    pub(crate) pages: Vec<String>,
    /// The moment of each.
    pub(crate) pages_at: Vec<Moment>,
    /// Fragments without an anchor.
    pub(crate) missing: Vec<String>,
    /// The notes.
    pub(crate) notes: Vec<(String, Note)>,
    /// The targets of the links of each page.
    pub(crate) links: BTreeMap<String, Vec<String>>,
    /// The numbers of parts, with the targets of their links, as often as they occurred.
    pub(crate) parts: BTreeMap<u64, Vec<Vec<String>>>,
    /// Faults of links: cause, target, page.
    pub(crate) faults: Vec<String>,
    /// Replies, as a store would keep them.
    pub(crate) replies: Vec<(String, Response)>,
    pub(crate) end: Moment,
    /// The highest number of concurrent requests.
    pub(crate) most_in_flight: usize,
    pub(crate) crawl: Crawl,
    urls: Vec<String>,
    /// All requests, including those that no test is about.
    pub(crate) started: usize,
}

/// In which order, how late and how often replies arrive.
pub(crate) struct Mischief {
    /// Which of this many is the next.
    next: Box<dyn FnMut(usize) -> usize>,
    /// How much time passes before it arrives.
    delay: Box<dyn FnMut() -> Duration>,
    /// Replies that have arrived arrive again.
    duplicates: bool,
    /// After this many replies the crawl is stopped.
    most: usize,
}

impl Mischief {
    pub(crate) fn order(next: impl FnMut(usize) -> usize + 'static) -> Mischief {
        let delay = || Duration::from_millis(20);
        let (duplicates, most) = (false, usize::MAX);
        Mischief { next: Box::new(next), delay: Box::new(delay), duplicates, most }
    }

    pub(crate) fn random(seed: u64) -> Mischief {
        let order = generator(seed);
        let mut wait = generator(!seed);
        let delay = move || Duration::from_millis([0, 1, 30, 700][wait(4)]);
        Mischief { delay: Box::new(delay), ..Mischief::order(order) }
    }

    pub(crate) fn with_duplicates(self) -> Mischief {
        Mischief { duplicates: true, ..self }
    }

    pub(crate) fn stopped_after(self, most: usize) -> Mischief {
        Mischief { most, ..self }
    }
}

/// Pseudo-random numbers below a bound, by xorshift.
pub(crate) fn generator(seed: u64) -> impl FnMut(usize) -> usize + 'static {
    let mut state = seed | 1;
    move |below| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        usize::try_from(state % below as u64).unwrap()
    }
}

impl Seen {
    pub(crate) fn verdict(&self, url: &str) -> &str {
        self.verdicts.get(url).unwrap_or_else(|| panic!("no verdict on {url}: {self:#?}"))
    }

    pub(crate) fn times_requested(&self, url: &str) -> usize {
        self.requests.iter().filter(|(_, _, requested)| requested == url).count()
    }

    pub(crate) fn methods(&self, url: &str) -> Vec<Method> {
        let of = self.requests.iter().filter(|(_, _, requested)| requested == url);
        of.map(|(_, method, _)| *method).collect()
    }
}

pub(crate) fn page(links: &[&str]) -> Act {
    let links: String = links.iter().map(|to| format!("<a href='{to}'>to {to}</a>\n")).collect();
    Act::Page(format!("<title>A page</title><main>{links}</main>"))
}

impl Web {
    pub(crate) fn on(mut self, url: &str, act: Act) -> Web {
        self.acts.insert(url.to_owned(), (Duration::from_millis(20), act));
        self
    }

    pub(crate) fn slow(mut self, url: &str, latency: Duration, act: Act) -> Web {
        self.acts.insert(url.to_owned(), (latency, act));
        self
    }

    /// Parts of pages that occurred before are copied.
    pub(crate) fn repeating(mut self) -> Web {
        self.repeats = Some(Arc::default());
        self
    }

    /// The response for other URLs with this prefix.
    pub(crate) fn fallback(mut self, start: &str, act: Act) -> Web {
        self.fallbacks.push((start.to_owned(), act));
        self
    }

    fn act(&self, url: &str) -> Option<&Act> {
        let fits = |(start, _): &&(String, Act)| {
            url.starts_with(start.as_str()) && !url.ends_with(".txt") && !url.ends_with(".xml")
        };
        let known = self.acts.get(url).map(|(_, act)| act);
        known.or_else(|| self.fallbacks.iter().find(fits).map(|(_, act)| act))
    }

    /// The host fails with this status when this many requests are in flight.
    pub(crate) fn choking(mut self, host: &str, most: usize, status: u16) -> Web {
        self.chokes = Some((host.to_owned(), most, status));
        self
    }

    /// The server takes only so many requests a second.
    pub(crate) fn limiting(mut self, limit: RateLimit) -> Web {
        self.rate_limit = Some(limit);
        self
    }

    /// Each request for this URL takes its server down for this long.
    pub(crate) fn deadly(mut self, url: &str, down: Duration) -> Web {
        self.deadly = Some((url.to_owned(), down, Cell::new(Duration::ZERO)));
        self
    }

    /// The n-th request, from 0, fails with this outcome.
    pub(crate) fn struck(mut self, number: usize, outcome: AttemptOutcome) -> Web {
        self.struck = Some((Cell::new(number), outcome));
        self
    }

    /// Everything fails with this outcome between these moments.
    pub(crate) fn down(mut self, from: Duration, to: Duration, outcome: AttemptOutcome) -> Web {
        self.down = Some((from, to, outcome));
        self
    }

    /// A third of all requests for pages, at random, gets this outcome.
    pub(crate) fn shaky(mut self, seed: u64, outcome: AttemptOutcome) -> Web {
        self.shaky = Some((Cell::new(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15)), outcome));
        self
    }

    /// The DNS server answers NXDOMAIN to everything from this moment on.
    pub(crate) fn nameless(mut self, from: Duration) -> Web {
        self.nameless = Some(from);
        self
    }

    /// Recalls the responses of an earlier crawl instead of requesting.
    pub(crate) fn recalling(mut self, replies: &[(String, Response)]) -> Web {
        for (url, reply) in replies {
            self.recalled.entry(url.clone()).or_default().push(reply.clone());
        }
        self
    }

    /// Recalls what is known of the URLs that were discovered from `first` on.
    fn recall(&self, seen: &mut Seen, now: Moment, mut first: usize) {
        while let Some(url) = seen.urls.get(first).cloned() {
            first += 1;
            let replies = self.recalled.get(&url).cloned().unwrap_or_default();
            seen.crawl.handle_recalled(&url, replies);
            seen.drain(now);
        }
    }

    fn strike(&self, _: &Request) -> Option<AttemptOutcome> {
        let (left, outcome) = self.struck.as_ref()?;
        let number = left.get();
        left.set(number.wrapping_sub(1));
        (number == 0).then(|| outcome.clone())
    }

    /// Crawls from `http://a.test/` with these settings.
    pub(crate) fn crawl(&self, settings: Settings) -> Seen {
        self.crawl_from(settings, &["http://a.test/"])
    }

    pub(crate) fn crawl_from(&self, settings: Settings, starts: &[&str]) -> Seen {
        let timeout = settings.retry.timeout;
        let starts = starts.iter().map(|start| Url::parse(start).unwrap()).collect();
        self.drive(Crawl::new(settings, starts), timeout, Moment::START, usize::MAX)
    }

    /// Drives a crawl until it is finished, or until this many replies have arrived.
    pub(crate) fn drive(
        &self,
        crawl: Crawl,
        timeout: Duration,
        from: Moment,
        replies: usize,
    ) -> Seen {
        let mut seen = Seen::of(crawl, from);
        let mut now = from;
        let mut recalled = 0;
        let mut in_flight: BinaryHeap<Reverse<(Moment, usize)>> = BinaryHeap::new();
        let mut waiting: HashMap<usize, (Moment, Request, AttemptOutcome)> = HashMap::new();
        for number in 0.. {
            assert!(number < 1_000_000, "the crawl never ends");
            if !self.recalled.is_empty() {
                let first = recalled;
                seen.drain(now);
                self.recall(&mut seen, now, first);
                recalled = seen.urls.len();
            }
            while let Some(request) = seen.crawl.poll_request(now) {
                seen.started += 1;
                if !self.is_courtesy(&request.url) {
                    seen.requests.push((now, request.method, request.url.clone()));
                    seen.bodies.push((request.url.clone(), request.body));
                }
                let patience = if request.later { timeout * 2 } else { timeout };
                let together = in_flight.len() + 1;
                let (took, outcome) = self.answer(&request, now, patience, together);
                let number = seen.started;
                in_flight.push(Reverse((now + took, number)));
                waiting.insert(number, (now, request, outcome));
                seen.most_in_flight = seen.most_in_flight.max(in_flight.len());
            }
            seen.drain(now);
            assert_eq!(seen.crawl.progress().in_flight, in_flight.len() as u64);
            if seen.crawl.is_finished() || seen.replies.len() >= replies {
                break;
            }
            let reply = in_flight.peek().map(|Reverse((at, _))| *at);
            let timer = seen.crawl.poll_timeout();
            now = reply.into_iter().chain(timer).min().expect("the crawl has a next step").max(now);
            if reply == Some(now) {
                let Reverse((_, number)) = in_flight.pop().unwrap();
                let (began, request, outcome) = waiting.remove(&number).unwrap();
                let reply = self.reply(&request, began, now, outcome);
                seen.replies.push((request.url, reply.response.clone()));
                seen.crawl.handle_reply(now, reply);
                seen.drain(now);
            }
        }
        seen.end = now;
        seen.verdicts.retain(|url, _| !self.is_courtesy(url));
        seen
    }

    /// Drives a crawl to its end while replies arrive as in `mischief`.
    pub(crate) fn drive_by(&self, crawl: Crawl, from: Moment, mut mischief: Mischief) -> Seen {
        let mut seen = Seen::of(crawl, from);
        let patience = Duration::from_secs(60);
        let mut now = from;
        let mut in_flight: Vec<(Moment, Request, AttemptOutcome)> = Vec::new();
        let mut past: Vec<Reply> = Vec::new();
        for number in 0.. {
            assert!(number < 1_000_000, "the crawl never ends");
            while let Some(request) = seen.crawl.poll_request(now) {
                seen.started += 1;
                if !self.is_courtesy(&request.url) {
                    seen.requests.push((now, request.method, request.url.clone()));
                }
                let (_, outcome) = self.answer(&request, now, patience, 1);
                in_flight.push((now, request, outcome));
            }
            seen.drain(now);
            if seen.crawl.is_finished() || seen.replies.len() >= mischief.most {
                break;
            }
            if in_flight.is_empty() {
                now = seen.crawl.poll_timeout().expect("the crawl has a next step").max(now);
                continue;
            }
            now = now + (mischief.delay)();
            let (began, request, outcome) = in_flight.remove((mischief.next)(in_flight.len()));
            let reply = self.reply(&request, began, now, outcome);
            seen.replies.push((request.url, reply.response.clone()));
            if mischief.duplicates {
                past.push(reply.clone());
            }
            seen.crawl.handle_reply(now, reply);
            seen.drain(now);
            if mischief.duplicates {
                let stale = past[(mischief.next)(past.len())].clone();
                seen.crawl.handle_reply(now, stale);
                assert_eq!(seen.crawl.poll_event(), None, "a stale reply is no news");
            }
        }
        seen.end = now;
        seen.verdicts.retain(|url, _| !self.is_courtesy(url));
        seen
    }

    /// URLs that are requested on every site, and that no test is about.
    fn is_courtesy(&self, url: &str) -> bool {
        let requested = ["/robots.txt", "/sitemap.xml"].iter().any(|path| url.ends_with(path));
        (requested || url.contains(TEST_PREFIX)) && !self.acts.contains_key(url)
    }

    /// The response of a server that cannot handle this many requests.
    fn overload(&self, request: &Request, in_flight: usize) -> Option<AttemptOutcome> {
        let (host, most, status) = self.chokes.as_ref()?;
        let is_too_much = request.url.starts_with(host) && in_flight >= *most;
        is_too_much.then(|| {
            AttemptOutcome::Response(ResponseHead { status: *status, ..ResponseHead::default() })
        })
    }

    fn answer(
        &self,
        request: &Request,
        now: Moment,
        patience: Duration,
        in_flight: usize,
    ) -> (Duration, AttemptOutcome) {
        if let Some((url, down, until)) = &self.deadly {
            let now = now.since_start();
            if now < until.get() {
                return (Duration::from_millis(1), AttemptOutcome::Failure(Failure::Refused));
            }
            if request.url == *url {
                until.set(now + *down);
                return (Duration::from_millis(1), AttemptOutcome::Failure(Failure::Reset));
            }
        }
        if let Some((from, to, outcome)) = &self.down
            && (*from..*to).contains(&now.since_start())
        {
            return (Duration::from_millis(1), outcome.clone());
        }
        if let Some(from) = self.nameless
            && now.since_start() >= from
        {
            let is_known = |host: &str| request.url.starts_with(host);
            if request.purpose == Purpose::Names || !is_known("http://a.test/") {
                let failure = Failure::Dns(DnsFailure::NoSuchName);
                return (Duration::from_millis(1), AttemptOutcome::Failure(failure));
            }
        }
        if let Some((state, outcome)) = &self.shaky
            && request.url.contains("/p")
        {
            state.set(generator(state.get())(usize::MAX) as u64);
            if (state.get() >> 7).is_multiple_of(3) {
                return (Duration::from_millis(5), outcome.clone());
            }
        }
        if let Some(failure) = self.strike(request) {
            return (Duration::from_millis(20), failure);
        }
        let mut wait = Duration::ZERO;
        if let Some(limit) = &self.rate_limit {
            let Some(waits) = limit.handle_request(now.since_start()) else {
                let status = limit.status;
                let refusal = ResponseHead { status, ..ResponseHead::default() };
                return (Duration::from_millis(1), AttemptOutcome::Response(refusal));
            };
            wait = waits;
        }
        let missing = Act::Status(404);
        let usual = Duration::from_millis(20);
        let latency = self.acts.get(&request.url).map_or(&usual, |(latency, _)| latency);
        let act = self.act(&request.url).unwrap_or(&missing);
        let outcome = match self.overload(request, in_flight) {
            Some(outcome) => outcome,
            None => self.play(act, request, now),
        };
        if outcome == AttemptOutcome::Failure(Failure::Timeout(Stage::Body)) {
            return (if request.brief { patience / 4 } else { patience * 3 }, outcome);
        }
        let timed_out = AttemptOutcome::Failure(Failure::Timeout(Stage::FirstByte));
        if outcome == timed_out || *latency > patience {
            return (patience, timed_out);
        }
        (*latency + wait, outcome)
    }

    fn play(&self, act: &Act, request: &Request, now: Moment) -> AttemptOutcome {
        let answer = |status, media_type: Option<&str>, location: Option<String>| {
            let media_type = media_type.map(str::to_owned);
            AttemptOutcome::Response(ResponseHead {
                status,
                media_type,
                location,
                ..ResponseHead::default()
            })
        };
        match act {
            Act::Page(_) => answer(200, Some("text/html"), None),
            Act::List(_) => answer(200, Some("text/plain"), None),
            Act::Says(status, _) => answer(*status, Some("text/html"), None),
            Act::ResponseHead(beside, act) => match self.play(act, request, now) {
                AttemptOutcome::Response(answer) => {
                    let ResponseHead { status, media_type, location, .. } = answer;
                    AttemptOutcome::Response(ResponseHead {
                        status,
                        media_type,
                        location,
                        ..beside.clone()
                    })
                }
                failure => failure,
            },
            Act::WithCookie(cookie, with, without) => {
                let sent = request.cookies.as_deref().unwrap_or_default();
                let brings = sent.split("; ").any(|pair| pair == *cookie);
                self.play(if brings { with } else { without }, request, now)
            }
            Act::Times(times, first, second) => {
                let mut requested = self.requested.borrow_mut();
                let count = requested.entry(request.url.clone()).or_default();
                *count += 1;
                let act = if *count <= *times { first } else { second };
                drop(requested);
                self.play(act, request, now)
            }
            Act::Status(status) => answer(*status, None, None),
            Act::Redirect(status, to) => answer(*status, None, Some(to.clone())),
            Act::File(media_type) | Act::Body(media_type, _) => answer(200, Some(media_type), None),
            Act::Fail(failure) => AttemptOutcome::Failure(failure.clone()),
            Act::Drip => AttemptOutcome::Failure(Failure::Timeout(Stage::Body)),
            Act::Hang => AttemptOutcome::Failure(Failure::Timeout(Stage::FirstByte)),
            Act::Until(moment, before, after) => {
                let act = if now.since_start() < *moment { before } else { after };
                self.play(act, request, now)
            }
            Act::ByMethod(head, get) => {
                self.play(if request.method == Method::Head { head } else { get }, request, now)
            }
        }
    }

    fn reply(
        &self,
        request: &Request,
        began: Moment,
        now: Moment,
        outcome: AttemptOutcome,
    ) -> Reply {
        let mut outcome = outcome;
        let mut reading = None;
        if let AttemptOutcome::Response(answer) = &mut outcome
            && request.method == Method::Get
            && let Some(format) = request.body.format(answer)
        {
            let act = self.act(&request.url);
            let body = act.and_then(|act| body_of(act, answer)).unwrap_or_default();
            let url = &request.url;
            let mut extractor =
                Extractor::of_url(url, format, None, Limits::of_bytes(10 << 20), request.sketch);
            if let Some(repeats) = &self.repeats {
                extractor.set_repeats(repeats);
            }
            extractor.feed(body.as_bytes());
            let read = extractor.finish();
            answer.signs = Signs::of(&read);
            reading = Some(read).filter(|_| answer.is_success());
        }
        if let Some(Act::List(text)) = self.act(&request.url) {
            reading = Some(lines(text.as_bytes()).reading());
        }
        let mut attempt = Attempt::new(now, now - began, request.method, outcome);
        attempt.purpose = request.purpose;
        Reply { id: request.id, response: Response { attempt, reading } }
    }
}

/// The body of an act with this response.
fn body_of<'a>(act: &'a Act, answer: &ResponseHead) -> Option<&'a str> {
    match act {
        Act::Page(body) | Act::Body(_, body) if answer.status == 200 => Some(body),
        Act::Says(status, body) if answer.status == *status => Some(body),
        Act::Until(_, first, second)
        | Act::ByMethod(first, second)
        | Act::WithCookie(_, first, second)
        | Act::Times(_, first, second) => body_of(first, answer).or(body_of(second, answer)),
        Act::ResponseHead(_, act) => body_of(act, answer),
        _ => None,
    }
}

impl Seen {
    fn of(crawl: Crawl, from: Moment) -> Seen {
        Seen {
            requests: Vec::new(),
            bodies: Vec::new(),
            verdicts: BTreeMap::new(),
            pages: Vec::new(),
            pages_at: Vec::new(),
            missing: Vec::new(),
            notes: Vec::new(),
            links: BTreeMap::new(),
            parts: BTreeMap::new(),
            faults: Vec::new(),
            replies: Vec::new(),
            end: from,
            most_in_flight: 0,
            crawl,
            urls: Vec::new(),
            started: 0,
        }
    }

    fn drain(&mut self, now: Moment) {
        while let Some(event) = self.crawl.poll_event() {
            match event {
                Event::Discovered { id, url } => {
                    assert_eq!(id.index(), self.urls.len(), "ids count from 0");
                    self.urls.push(url);
                }
                Event::Judged { id, judged } => {
                    self.verdicts.insert(self.name(id), words(&judged));
                }
                Event::Read { id, reading, targets, parts } => {
                    assert_eq!(reading.links().len(), targets.len());
                    let named = |target: &Target| {
                        let fragment = target.fragment.as_ref();
                        self.name(target.id) + &fragment.map_or(String::new(), |f| format!("#{f}"))
                    };
                    let named: Vec<String> = targets.iter().map(named).collect();
                    for part in parts {
                        let links = named[part.links].to_vec();
                        self.parts.entry(part.number).or_default().push(links);
                    }
                    self.links.insert(self.name(id), named);
                    self.pages.push(self.name(id));
                    self.pages_at.push(now);
                }
                Event::NoAnchor { id, fragment, fault } => {
                    let script = if fault == FragmentFault::ForScript { " (script)" } else { "" };
                    self.missing.push(format!("{}#{fragment}{script}", self.name(id)));
                }
                Event::LinkFault { page, written, cause: Cause::Placeholder, .. } => {
                    self.faults.push(format!("placeholder {written:?} on {}", self.name(page)));
                }
                Event::LinkFault { target, page, cause, .. } => {
                    let (target, page) = (self.name(target), self.name(page));
                    self.faults.push(format!("{cause} {target} on {page}"));
                }
                Event::Noted { id, note } => self.notes.push((self.name(id), note)),
                Event::Bounded { .. }
                | Event::Ranked { .. }
                | Event::Requested { .. }
                | Event::Slowed { .. } => {}
            }
        }
    }

    fn name(&self, id: UrlId) -> String {
        self.urls[id.index()].clone()
    }
}

fn words(judged: &Judged) -> String {
    let cause = judged.cause.map_or("", Cause::as_str);
    let status = judged.status.map(|status| status.to_string()).unwrap_or_default();
    let not_parsed = judged.not_parsed.map(|reason| format!("(not read: {})", reason.as_str()));
    format!("{} {cause} {status} {}", judged.verdict, not_parsed.unwrap_or_default())
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ")
}
