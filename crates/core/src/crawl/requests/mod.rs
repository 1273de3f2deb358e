//! The queue of requests, the requests in flight, and their pace.
//!
//! [`Requests`] knows which request was made for which job: a reply names its [`RequestId`], and
//! one that is not in flight changes nothing.

mod frontier;
pub(super) mod head_trust;
pub mod pace;
pub mod retry;
pub(super) mod side_requests;
mod silent;
mod spacing;

use std::collections::HashMap;
use std::time::Duration;

pub(super) use frontier::LATER_AT_ONCE;
use frontier::{Frontier, Job, Turn};
use head_trust::HeadTrust;
use pace::{Limits, Pace, Signal, Slowing};
use side_requests::{Reason, SideRequests};

use super::messages::{RequestId, ServerId, UrlId};
use super::urls::{Phase, UrlTable};
use crate::Moment;
use crate::evidence::{AttemptOutcome, Purpose};

/// The order in which a URL is requested among those of its server.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Order {
    /// After those that are queued.
    Last,
    /// Before those that are queued.
    First,
    /// As a later attempt: on a fresh connection, with a longer time-out.
    Later,
}

/// What a request is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Work {
    /// The verdict of its URL; `later`, if it is an attempt after the first.
    Verdict { later: bool },
    /// Something else.
    Side(Reason),
}

/// All requests of a crawl. See the [module](self).
#[derive(Debug)]
pub(super) struct Requests {
    frontier: Frontier,
    side: SideRequests,
    pub(super) head_trust: HeadTrust,
    /// The failures so far of URLs that will be retried.
    failures: HashMap<UrlId, Vec<AttemptOutcome>>,
}

impl Requests {
    pub(super) fn new(concurrency: u32, silence: Duration) -> Requests {
        Requests {
            frontier: Frontier::new(concurrency, silence),
            side: SideRequests::default(),
            head_trust: HeadTrust::default(),
            failures: HashMap::new(),
        }
    }

    /// The server with this name, whose lane is created if necessary.
    pub(super) fn server(&mut self, name: &str, own_host: bool, limits: Limits) -> ServerId {
        self.frontier.server(name, own_host, limits)
    }

    /// The server's name.
    pub(super) fn server_name(&self, server: ServerId) -> &str {
        self.frontier.name(server)
    }

    pub(super) fn set_own(&mut self, server: ServerId, own_host: bool, limits: Limits) {
        self.frontier.set_own(server, own_host, limits);
    }

    pub(super) fn is_own(&self, server: ServerId) -> bool {
        self.frontier.is_own(server)
    }

    pub(super) fn pace(&self, server: ServerId) -> &Pace {
        self.frontier.pace(server)
    }

    /// Whether only side requests may be made to a server.
    pub(super) fn set_closed(&mut self, server: ServerId, closed: bool) {
        self.frontier.set_closed(server, closed);
    }

    /// Whether a URL of a server that has never responded waits for a later attempt.
    pub(super) fn set_on_trial(&mut self, server: ServerId, on_trial: bool) {
        self.frontier.set_on_trial(server, on_trial);
    }

    /// How many second attempts may be in flight for a server.
    pub(super) fn set_second_at_once(&mut self, server: ServerId, most: u32) {
        self.frontier.set_second_at_once(server, most);
    }

    pub(super) fn wait_until(&mut self, server: ServerId, moment: Moment) {
        self.frontier.wait_until(server, moment);
    }

    /// The refusals of a server had nothing to do with the rate of requests.
    pub(super) fn handle_unrelated_refusals(&mut self, server: ServerId) {
        self.frontier.handle_unrelated_refusals(server);
    }

    /// The next request to a server follows from its last response.
    pub(super) fn grant(&mut self, server: ServerId) {
        self.frontier.grant(server);
    }

    /// Whether a server's HEAD is worth trying at all.
    pub(super) fn trusts_head(&self, server: ServerId) -> bool {
        self.head_trust.trusts_head(server)
    }

    /// Queues a URL.
    pub(super) fn enqueue(&mut self, urls: &mut UrlTable, id: UrlId, order: Order) {
        let Some(server) = urls.entry(id).server else { return };
        let ticket = urls.take_ticket();
        urls.set_phase(id, Phase::Queued(ticket));
        let turn = if order == Order::Later { Turn::Later } else { Turn::First };
        let job = Job { url: id, ticket, turn };
        if order == Order::First {
            self.frontier.push_first(server, job);
        } else {
            self.frontier.push(server, job);
        }
    }

    /// Moves a queued URL before the others of its server.
    pub(super) fn hasten(&mut self, urls: &mut UrlTable, id: UrlId) {
        if matches!(urls.entry(id).phase(), Phase::Queued(_)) {
            self.enqueue(urls, id, Order::First);
        }
    }

    /// Queues a URL again for this moment.
    pub(super) fn retry_at(&mut self, urls: &mut UrlTable, id: UrlId, due: Moment) {
        let Some(server) = urls.entry(id).server else { return };
        let ticket = urls.take_ticket();
        urls.set_phase(id, Phase::Retry(ticket));
        let turn = if urls.entry(id).attempts.count == 1 { Turn::Second } else { Turn::Later };
        self.frontier.push_at(due, server, Job { url: id, ticket, turn });
    }

    /// Queues a side request for now or for this moment.
    pub(super) fn enqueue_side(
        &mut self,
        urls: &UrlTable,
        id: UrlId,
        reason: Reason,
        at: Option<Moment>,
    ) {
        let Some(server) = urls.entry(id).server else { return };
        let job = Job { url: id, ticket: self.side.add(id, reason), turn: Turn::Side };
        match at {
            Some(moment) => self.frontier.push_at(moment, server, job),
            None => self.frontier.push(server, job),
        }
    }

    /// The next request that may be made now.
    pub(super) fn poll(
        &mut self,
        now: Moment,
        urls: &mut UrlTable,
    ) -> Option<(RequestId, UrlId, Work)> {
        let side = &self.side;
        let (request, job) = self.frontier.poll(now, |job| holds(urls, side, job))?;
        let work = match self.side.reason(job.ticket).filter(|_| job.turn == Turn::Side) {
            Some(reason) => Work::Side(reason),
            None => {
                urls.set_phase(job.url, Phase::InFlight(Some(request)));
                Work::Verdict { later: job.turn.is_later() }
            }
        };
        Some((request, job.url, work))
    }

    /// When to poll again, if nothing happens before.
    pub(super) fn next_moment(&self) -> Option<Moment> {
        self.frontier.next_moment()
    }

    /// The server and the URL of a request in flight; `None` for one that has ended or never
    /// existed.
    pub(super) fn in_flight(&self, request: RequestId) -> Option<(ServerId, UrlId)> {
        self.frontier.job(request).map(|(server, job)| (server, job.url))
    }

    /// A request has ended. Returns what it was for, if that is still valid, and whether its
    /// server is slowed down now.
    pub(super) fn take(
        &mut self,
        now: Moment,
        urls: &UrlTable,
        request: RequestId,
        signal: Signal,
    ) -> (Option<Work>, Option<Slowing>) {
        let Some((_, job)) = self.frontier.job(request) else { return (None, None) };
        let slowing = self.frontier.handle_ended(now, request, signal);
        let work = match job.turn {
            Turn::Side => self.side.take(job.ticket).map(Work::Side),
            turn => {
                urls.awaits(job.url, request).then_some(Work::Verdict { later: turn.is_later() })
            }
        };
        (work, slowing)
    }

    /// A response of an earlier, interrupted part of the run. Returns what it was for, unless
    /// that was a side request that nothing waits for.
    pub(super) fn take_replayed(
        &mut self,
        now: Moment,
        (server, id): (ServerId, UrlId),
        purpose: Purpose,
        signal: Signal,
    ) -> Option<Work> {
        self.frontier.handle_replayed(now, server, signal);
        if purpose.is_side() {
            self.side.take_waiting(id, purpose).map(Work::Side)
        } else {
            Some(Work::Verdict { later: false })
        }
    }

    /// An attempt has failed, and another follows.
    pub(super) fn handle_failure(&mut self, id: UrlId, outcome: AttemptOutcome) {
        self.failures.entry(id).or_default().push(outcome);
    }

    /// The outcome to report for a URL that failed at all attempts: the most frequent one, the
    /// first if there are several. One outlier must not decide the verdict.
    pub(super) fn most_frequent(&mut self, id: UrlId, last: AttemptOutcome) -> AttemptOutcome {
        let Some(mut all) = self.failures.remove(&id).filter(|_| last.may_pass()) else {
            return last;
        };
        all.push(last);
        let count = |outcome: &AttemptOutcome| all.iter().filter(|other| *other == outcome).count();
        let most = all.iter().rev().max_by_key(|outcome| count(outcome));
        most.expect("there is one at least").clone()
    }

    /// Whether nothing is queued for now and nothing is in flight. Retries may still be waiting.
    pub(super) fn is_quiet(&self, urls: &UrlTable) -> bool {
        self.frontier.is_quiet(|job| holds(urls, &self.side, job))
    }

    /// Whether no retries are waiting either.
    pub(super) fn is_idle(&self, urls: &UrlTable) -> bool {
        self.frontier.is_empty(|job| holds(urls, &self.side, job))
    }

    /// The only server that still has work, with the number of its URLs, if there is just one.
    pub(super) fn last_server(&self, urls: &UrlTable) -> Option<(&str, u64)> {
        let (server, jobs) = self.frontier.last_server(|job| holds(urls, &self.side, job))?;
        Some((self.frontier.name(server), jobs))
    }

    /// How many requests are in flight.
    pub(super) fn count_in_flight(&self) -> u32 {
        self.frontier.in_flight()
    }
}

/// Whether a job is still valid: its URL waits, and for this job.
fn holds(urls: &UrlTable, side: &SideRequests, job: Job) -> bool {
    match job.turn {
        Turn::Side => side.reason(job.ticket).is_some(),
        Turn::First | Turn::Second | Turn::Later => urls.holds(job.url, job.ticket),
    }
}
