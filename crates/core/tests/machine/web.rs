//! A web in memory and a driver with a clock that jumps from event to event.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap, HashMap};
use std::time::Duration;

use rummage_core::Moment;
use rummage_core::crawl::{AddressId, Crawl, Event, Judged, Note, Place, Reply, Request, Settings};
use rummage_core::extract::Extractor;
use rummage_core::outcome::{Answer, Attempt, Ending, Failure, Method, Stage};
use rummage_core::verdict::Cause;
use url::Url;

/// What a server does when an address is asked.
#[derive(Debug, Clone)]
pub(crate) enum Act {
    /// An HTML page.
    Page(String),
    /// A bare status.
    Status(u16),
    /// A status and a `Location`.
    Redirect(u16, String),
    /// Something that is no page.
    File(&'static str),
    /// Something else to read: its media type and what it says.
    Body(&'static str, String),
    /// A failure.
    Fail(Failure),
    /// No answer for as long as anyone waits.
    Hang,
    /// The first until the moment has come, the second from then on.
    Until(Duration, Box<Act>, Box<Act>),
    /// The first to HEAD, the second to GET.
    ByMethod(Box<Act>, Box<Act>),
}

/// A simulated web; what it does not hold is 404.
#[derive(Debug, Default, Clone)]
pub(crate) struct Web {
    acts: HashMap<String, (Duration, Act)>,
}

/// All that came of a crawl.
#[derive(Debug)]
pub(crate) struct Seen {
    /// Every request, in order: moment, method, address.
    pub(crate) requests: Vec<(Moment, Method, String)>,
    /// The last verdict of each address, as words.
    pub(crate) verdicts: BTreeMap<String, String>,
    /// Pages in the order in which they were read.
    pub(crate) pages: Vec<String>,
    /// Fragments without a place.
    pub(crate) missing: Vec<String>,
    /// What there is to know beside.
    pub(crate) notes: Vec<(String, Note)>,
    /// Replies, as a store would keep them.
    pub(crate) replies: Vec<(String, Reply)>,
    pub(crate) end: Moment,
    /// Most requests in flight at the same time.
    pub(crate) most_in_flight: usize,
    pub(crate) crawl: Crawl,
    addresses: Vec<String>,
    /// Requests in all, those that no test is about too.
    pub(crate) started: usize,
}

impl Seen {
    pub(crate) fn verdict(&self, address: &str) -> &str {
        self.verdicts.get(address).unwrap_or_else(|| panic!("no verdict on {address}: {self:#?}"))
    }

    pub(crate) fn times_asked(&self, address: &str) -> usize {
        self.requests.iter().filter(|(_, _, asked)| asked == address).count()
    }

    pub(crate) fn methods(&self, address: &str) -> Vec<Method> {
        let of = self.requests.iter().filter(|(_, _, asked)| asked == address);
        of.map(|(_, method, _)| *method).collect()
    }
}

pub(crate) fn page(links: &[&str]) -> Act {
    let links: String = links.iter().map(|to| format!("<a href='{to}'>to {to}</a>\n")).collect();
    Act::Page(format!("<title>A page</title><main>{links}</main>"))
}

impl Web {
    pub(crate) fn on(mut self, address: &str, act: Act) -> Web {
        self.acts.insert(address.to_owned(), (Duration::from_millis(20), act));
        self
    }

    pub(crate) fn slow(mut self, address: &str, latency: Duration, act: Act) -> Web {
        self.acts.insert(address.to_owned(), (latency, act));
        self
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

    /// Drives a crawl until it is finished, or until so many replies have come.
    pub(crate) fn drive(
        &self,
        crawl: Crawl,
        timeout: Duration,
        from: Moment,
        replies: usize,
    ) -> Seen {
        let mut seen = Seen {
            requests: Vec::new(),
            verdicts: BTreeMap::new(),
            pages: Vec::new(),
            missing: Vec::new(),
            notes: Vec::new(),
            replies: Vec::new(),
            end: from,
            most_in_flight: 0,
            crawl,
            addresses: Vec::new(),
            started: 0,
        };
        let mut now = from;
        let mut in_flight: BinaryHeap<Reverse<(Moment, usize)>> = BinaryHeap::new();
        let mut waiting: HashMap<usize, (Moment, Request, Ending)> = HashMap::new();
        for number in 0.. {
            assert!(number < 1_000_000, "the crawl never ends");
            while let Some(request) = seen.crawl.poll_request(now) {
                seen.started += 1;
                if !self.is_courtesy(&request.address) {
                    seen.requests.push((now, request.method, request.address.clone()));
                }
                let patience = if request.later { timeout * 2 } else { timeout };
                let (took, ending) = self.answer(&request, now, patience);
                let number = seen.started;
                in_flight.push(Reverse((now + took, number)));
                waiting.insert(number, (now, request, ending));
                seen.most_in_flight = seen.most_in_flight.max(in_flight.len());
            }
            seen.drain();
            if seen.crawl.is_finished() || seen.replies.len() >= replies {
                break;
            }
            let reply = in_flight.peek().map(|Reverse((at, _))| *at);
            let timer = seen.crawl.poll_timeout();
            now = reply.into_iter().chain(timer).min().expect("somebody must act next").max(now);
            if reply == Some(now) {
                let Reverse((_, number)) = in_flight.pop().unwrap();
                let (began, request, ending) = waiting.remove(&number).unwrap();
                let reply = self.reply(&request, began, now, ending);
                seen.replies.push((request.address, reply.clone()));
                seen.crawl.handle_reply(now, reply);
                seen.drain();
            }
        }
        seen.end = now;
        seen.verdicts.retain(|address, _| !self.is_courtesy(address));
        seen
    }

    /// What every site is asked for, and this web does not hold: no test is about it.
    fn is_courtesy(&self, address: &str) -> bool {
        let asked = ["/robots.txt", "/sitemap.xml"].iter().any(|path| address.ends_with(path));
        asked && !self.acts.contains_key(address)
    }

    fn answer(&self, request: &Request, now: Moment, patience: Duration) -> (Duration, Ending) {
        let missing = (Duration::from_millis(20), Act::Status(404));
        let (latency, act) = self.acts.get(&request.address).unwrap_or(&missing);
        let ending = self.play(act, request.method, now);
        let timed_out = Ending::Failure(Failure::Timeout(Stage::FirstByte));
        if ending == timed_out || *latency > patience {
            return (patience, timed_out);
        }
        (*latency, ending)
    }

    fn play(&self, act: &Act, method: Method, now: Moment) -> Ending {
        let answer = |status, media_type: Option<&str>, location: Option<String>| {
            let media_type = media_type.map(str::to_owned);
            Ending::Answer(Answer { status, media_type, location, ..Answer::default() })
        };
        match act {
            Act::Page(_) => answer(200, Some("text/html"), None),
            Act::Status(status) => answer(*status, None, None),
            Act::Redirect(status, to) => answer(*status, None, Some(to.clone())),
            Act::File(media_type) | Act::Body(media_type, _) => answer(200, Some(media_type), None),
            Act::Fail(failure) => Ending::Failure(failure.clone()),
            Act::Hang => Ending::Failure(Failure::Timeout(Stage::FirstByte)),
            Act::Until(moment, before, after) => {
                let act = if now.since_start() < *moment { before } else { after };
                self.play(act, method, now)
            }
            Act::ByMethod(head, get) => {
                self.play(if method == Method::Head { head } else { get }, method, now)
            }
        }
    }

    fn reply(&self, request: &Request, began: Moment, now: Moment, ending: Ending) -> Reply {
        let format = match &ending {
            Ending::Answer(answer) if answer.status == 200 => request.body.format(answer),
            _ => None,
        };
        let body = self.acts.get(&request.address).and_then(|(_, act)| body_of(act));
        let reading = body.zip(format).map(|(body, format)| {
            let mut extractor =
                Extractor::with_sketch(format, Some("utf-8"), 10 << 20, request.sketch);
            extractor.feed(body.as_bytes());
            extractor.finish()
        });
        let attempt = Attempt { at: now, took: now - began, method: request.method, ending };
        Reply {
            id: request.id,
            attempt,
            reading: reading.filter(|_| request.method == Method::Get),
        }
    }
}

/// The body that an act may give.
fn body_of(act: &Act) -> Option<&str> {
    match act {
        Act::Page(body) | Act::Body(_, body) => Some(body),
        Act::Until(_, first, second) | Act::ByMethod(first, second) => {
            body_of(first).or(body_of(second))
        }
        _ => None,
    }
}

impl Seen {
    fn drain(&mut self) {
        while let Some(event) = self.crawl.poll_event() {
            match event {
                Event::Heard { id, address } => {
                    assert_eq!(id.index(), self.addresses.len(), "ids count from 0");
                    self.addresses.push(address);
                }
                Event::Judged { id, judged } => {
                    self.verdicts.insert(self.name(id), words(&judged));
                }
                Event::Read { id, reading, targets } => {
                    assert_eq!(reading.links().len(), targets.len());
                    self.pages.push(self.name(id));
                }
                Event::NoPlace { id, fragment, place } => {
                    let script = if place == Place::ForScript { " (script)" } else { "" };
                    self.missing.push(format!("{}#{fragment}{script}", self.name(id)));
                }
                Event::Noted { id, note } => self.notes.push((self.name(id), note)),
                Event::Bounded { .. }
                | Event::Placed { .. }
                | Event::Asked { .. }
                | Event::Slowed { .. } => {}
            }
        }
    }

    fn name(&self, id: AddressId) -> String {
        self.addresses[id.index()].clone()
    }
}

fn words(judged: &Judged) -> String {
    let cause = judged.cause.map_or("", Cause::as_str);
    let status = judged.status.map(|status| status.to_string()).unwrap_or_default();
    let not_read = judged.not_read.map(|reason| format!("(not read: {})", reason.as_str()));
    format!("{} {cause} {status} {}", judged.verdict, not_read.unwrap_or_default())
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ")
}
