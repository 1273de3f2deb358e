//! Decides which URL is requested next, and when.
//!
//! A [`Frontier`] has a lane for each server: its queue, and the [`Pace`] at which it is
//! requested. It shares the slots for concurrent requests among the lanes. Like the rest of the
//! core it has no clock: the caller reports what happened and at which [`Moment`].
//!
//! # Guarantees
//!
//! - **Fair.** Lanes take turns; the site's own lanes come first and can always have a quarter of
//!   the slots.
//! - **Wary.** Servers that have not responded yet share half of the slots, so that many dead
//!   hosts cannot stall a working site.
//! - **Undeterred.** Requests to external servers that take long leave their slots to others.
//! - **Patient.** Retries wait here until they are due; no task sleeps for them.

use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap, VecDeque};
use std::time::Duration;

use indexmap::IndexSet;

use super::pace::{Limits, Pace, Ready, Signal, Slowing};
use super::silent::SilentRequests;
use crate::Moment;
use crate::crawl::messages::{RequestId, ServerId, UrlId};

/// Later attempts in flight for one server: each may cost its time-out.
pub(crate) const LATER_AT_ONCE: u32 = 8;

/// A URL that is queued.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Job {
    pub(crate) url: UrlId,
    /// Distinguishes this job from earlier ones for the same URL.
    pub(crate) ticket: u32,
    pub(crate) turn: Turn,
}

/// When a job's turn is, among those of its server.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Turn {
    /// A first attempt.
    First,
    /// A second attempt: on a fresh connection, with a longer time-out.
    Second,
    /// A later one.
    Later,
    /// A side request: at once, even if nothing else may be requested.
    Side,
}

impl Turn {
    /// Whether it is an attempt after the first one.
    pub(crate) fn is_later(self) -> bool {
        matches!(self, Turn::Second | Turn::Later)
    }
}

#[derive(Debug)]
struct Lane {
    pace: Pace,
    own_host: bool,
    waiting: VecDeque<Job>,
    second: VecDeque<Job>,
    later: VecDeque<Job>,
    side: VecDeque<Job>,
    /// Only side requests may be made.
    closed: bool,
    /// A URL of a server that has never responded waits for a later attempt: no others are
    /// requested before it.
    on_trial: bool,
    /// Including second attempts.
    later_in_flight: u32,
    second_in_flight: u32,
    /// How many second attempts may be in flight.
    second_at_once: u32,
    /// The requests in flight with their start, oldest first.
    in_flight: VecDeque<(RequestId, Moment)>,
    /// Requests in flight since before the first response.
    unproven: u32,
    /// Whether the lane is in `ready`, `held` or `timers`; it is in one of them at most once.
    listed: bool,
}

impl Lane {
    fn next(&mut self) -> Option<Job> {
        if let Some(job) = self.side.pop_front() {
            return Some(job);
        }
        if self.closed {
            return None;
        }
        if self.later_in_flight < LATER_AT_ONCE
            && let Some(job) = self.later.pop_front()
        {
            return Some(job);
        }
        if self.takes_second()
            && let Some(job) = self.second.pop_front()
        {
            return Some(job);
        }
        if self.takes_first() { self.waiting.pop_front() } else { None }
    }

    /// All that wait in its queues.
    fn queued(&self) -> impl Iterator<Item = &Job> {
        self.waiting.iter().chain(&self.second).chain(&self.later).chain(&self.side)
    }

    fn has_work(&self) -> bool {
        let later = !self.later.is_empty() && self.later_in_flight < LATER_AT_ONCE
            || !self.second.is_empty() && self.takes_second();
        let first = !self.waiting.is_empty() && self.takes_first();
        !self.side.is_empty() || (!self.closed && (later || first))
    }

    /// How many requests have been in flight for so long that they no longer count. External
    /// servers never get more requests than their pace allows.
    fn stalled(&self, now: Moment, silence: Duration) -> u32 {
        let before = now.before(silence);
        let long = |(_, since): &&(RequestId, Moment)| self.own_host && *since < before;
        u32::try_from(self.in_flight.iter().take_while(long).count()).unwrap_or(u32::MAX)
    }

    /// When the next request in flight stops counting.
    fn next_parking(&self, now: Moment, silence: Duration) -> Option<Moment> {
        let before = now.before(silence);
        let next = self.in_flight.iter().find(|(_, since)| self.own_host && *since >= before);
        next.map(|(_, since)| *since + silence + Duration::from_micros(1))
    }

    fn takes_second(&self) -> bool {
        self.later_in_flight < LATER_AT_ONCE && self.second_in_flight < self.second_at_once
    }

    fn takes_first(&self) -> bool {
        !self.on_trial || self.pace.has_responded()
    }
}

/// The queue of a crawl. See the [module](self).
#[derive(Debug)]
pub(crate) struct Frontier {
    names: IndexSet<String>,
    lanes: Vec<Lane>,
    ready: VecDeque<ServerId>,
    ready_own: VecDeque<ServerId>,
    /// Lanes that could go on if they had a slot.
    held: Vec<ServerId>,
    timers: BinaryHeap<Reverse<(Moment, ServerId)>>,
    due: BinaryHeap<Reverse<(Moment, ServerId, Job)>>,
    /// When lanes may go on although none of their requests has ended.
    parkings: BinaryHeap<Reverse<(Moment, ServerId)>>,
    concurrency: u32,
    /// Requests that are in flight for longer than this no longer count against their server.
    silence: Duration,
    /// The requests in flight.
    requests: HashMap<RequestId, (ServerId, Job)>,
    /// The number of requests so far.
    made: u64,
    others: u32,
    unproven: u32,
    /// Requests to external servers, of which some have left their slots.
    silent: SilentRequests,
    /// When the next one leaves its slot, if a lane waits for one.
    slot_at: Option<Moment>,
}

impl Frontier {
    pub(crate) fn new(concurrency: u32, silence: Duration) -> Frontier {
        Frontier {
            names: IndexSet::new(),
            lanes: Vec::new(),
            ready: VecDeque::new(),
            ready_own: VecDeque::new(),
            held: Vec::new(),
            timers: BinaryHeap::new(),
            due: BinaryHeap::new(),
            parkings: BinaryHeap::new(),
            concurrency: concurrency.max(1),
            silence,
            requests: HashMap::new(),
            made: 0,
            others: 0,
            unproven: 0,
            silent: SilentRequests::new(silence, concurrency),
            slot_at: None,
        }
    }

    /// The lane of a server, which is created if necessary.
    pub(crate) fn server(&mut self, name: &str, own_host: bool, limits: Limits) -> ServerId {
        let index = match self.names.get_index_of(name) {
            Some(index) => index,
            None => {
                self.lanes.push(Lane {
                    pace: Pace::new(limits),
                    own_host,
                    waiting: VecDeque::new(),
                    second: VecDeque::new(),
                    later: VecDeque::new(),
                    side: VecDeque::new(),
                    closed: false,
                    on_trial: false,
                    later_in_flight: 0,
                    second_in_flight: 0,
                    second_at_once: LATER_AT_ONCE,
                    in_flight: VecDeque::new(),
                    unproven: 0,
                    listed: false,
                });
                self.names.insert_full(name.to_owned()).0
            }
        };
        ServerId::from_index(index)
    }

    /// The server's name.
    pub(crate) fn name(&self, server: ServerId) -> &str {
        &self.names[server.index()]
    }

    /// The site's bounds are known now: sets which of the first lanes are its own.
    pub(crate) fn set_own(&mut self, server: ServerId, own_host: bool, limits: Limits) {
        let lane = self.lane(server);
        lane.own_host = own_host;
        lane.pace.set_limits(limits);
    }

    /// Queues a URL.
    pub(crate) fn push(&mut self, server: ServerId, job: Job) {
        let lane = self.lane(server);
        match job.turn {
            Turn::First => lane.waiting.push_back(job),
            Turn::Second => lane.second.push_back(job),
            Turn::Later => lane.later.push_back(job),
            Turn::Side => lane.side.push_back(job),
        }
        self.list(server);
    }

    /// Whether only side requests may be made to a server.
    pub(crate) fn set_closed(&mut self, server: ServerId, closed: bool) {
        self.lane(server).closed = closed;
        self.list(server);
    }

    /// Whether a URL of a server that has never responded waits for a later attempt.
    pub(crate) fn set_on_trial(&mut self, server: ServerId, on_trial: bool) {
        self.lane(server).on_trial = on_trial;
        self.list(server);
    }

    /// How many second attempts may be in flight for a server.
    pub(crate) fn set_second_at_once(&mut self, server: ServerId, most: u32) {
        self.lane(server).second_at_once = most;
        self.list(server);
    }

    /// No requests to a server before this moment.
    pub(crate) fn wait_until(&mut self, server: ServerId, moment: Moment) {
        self.lane(server).pace.wait_until(moment);
    }

    /// The refusals of a server had nothing to do with the rate of requests.
    pub(crate) fn handle_unrelated_refusals(&mut self, server: ServerId) {
        self.lane(server).pace.handle_unrelated_refusals();
    }

    /// The next request to a server follows from its last response.
    pub(crate) fn grant(&mut self, server: ServerId) {
        let lane = self.lane(server);
        lane.pace.grant();
        // The lane may have another entry for later, which will find nothing to do.
        lane.listed = false;
        self.list(server);
    }

    /// The pace of a server.
    pub(crate) fn pace(&self, server: ServerId) -> &Pace {
        &self.lanes[server.index()].pace
    }

    /// Whether a server belongs to the site.
    pub(crate) fn is_own(&self, server: ServerId) -> bool {
        self.lanes[server.index()].own_host
    }

    /// Queues a URL before the others of its server.
    pub(crate) fn push_first(&mut self, server: ServerId, job: Job) {
        self.lane(server).waiting.push_front(job);
        self.list(server);
    }

    /// Queues a URL for this moment.
    pub(crate) fn push_at(&mut self, due: Moment, server: ServerId, job: Job) {
        self.due.push(Reverse((due, server, job)));
    }

    /// The next job that may start now. `is_needed` says whether a job is still valid.
    pub(crate) fn poll(
        &mut self,
        now: Moment,
        is_needed: impl Fn(Job) -> bool,
    ) -> Option<(RequestId, Job)> {
        self.wake(now);
        let next = self.poll_ready(now, is_needed);
        let is_waiting = [&self.ready_own, &self.ready].iter().any(|lanes| !lanes.is_empty())
            || !self.held.is_empty();
        self.slot_at = self.silent.next(now).filter(|_| next.is_none() && is_waiting);
        next
    }

    fn poll_ready(
        &mut self,
        now: Moment,
        is_needed: impl Fn(Job) -> bool,
    ) -> Option<(RequestId, Job)> {
        while self.slots_taken(now) < self.concurrency {
            let server = self.ready_own.pop_front().or_else(|| self.ready.pop_front())?;
            if !self.has_slot(server, now) {
                self.held.push(server);
                continue;
            }
            let lane = &mut self.lanes[server.index()];
            let stalled = lane.stalled(now, self.silence);
            match lane.pace.ready(now, stalled) {
                Ready::At(moment) => self.timers.push(Reverse((moment, server))),
                Ready::WhenOneEnds => {
                    lane.listed = false;
                    if let Some(moment) = lane.next_parking(now, self.silence) {
                        self.parkings.push(Reverse((moment, server)));
                    }
                }
                Ready::Now => {
                    let job = loop {
                        match self.lane(server).next() {
                            Some(job) if is_needed(job) => break Some(job),
                            Some(_) => {}
                            None => break None,
                        }
                    };
                    self.lane(server).listed = false;
                    if let Some(job) = job {
                        let request = self.start(now, server, job);
                        self.list(server);
                        return Some((request, job));
                    }
                }
            }
        }
        None
    }

    /// When to poll again, if nothing happens before.
    pub(crate) fn next_moment(&self) -> Option<Moment> {
        let timer = self.timers.peek().map(|Reverse((moment, _))| *moment);
        let due = self.due.peek().map(|Reverse((moment, ..))| *moment);
        let parking = self.parkings.peek().map(|Reverse((moment, _))| *moment);
        timer.into_iter().chain(due).chain(parking).chain(self.slot_at).min()
    }

    /// The job of a request in flight, and its server. `None` for one that has ended or never
    /// existed.
    pub(crate) fn job(&self, request: RequestId) -> Option<(ServerId, Job)> {
        self.requests.get(&request).copied()
    }

    /// A request has ended. Returns whether its server is slowed down now. Does nothing if the
    /// request is not in flight.
    pub(crate) fn handle_ended(
        &mut self,
        now: Moment,
        request: RequestId,
        signal: Signal,
    ) -> Option<Slowing> {
        let (server, job) = self.requests.remove(&request)?;
        let lane = &mut self.lanes[server.index()];
        lane.in_flight.retain(|(in_flight, _)| *in_flight != request);
        lane.later_in_flight -= u32::from(job.turn.is_later());
        lane.second_in_flight -= u32::from(job.turn == Turn::Second);
        self.others -= u32::from(!lane.own_host);
        self.silent.handle_ended(request);
        let slowed = lane.pace.handle_ended(now, signal);
        let ended = lane.unproven.min(1);
        let proven = if lane.pace.has_responded() { lane.unproven } else { ended };
        lane.unproven -= proven;
        self.unproven -= proven;
        // Nothing was reached that the interval would spare: its timer does not matter any more.
        if signal == Signal::Unreached {
            self.lane(server).listed = false;
        }
        self.list(server);
        self.list_held();
        slowed
    }

    /// Records a job of an earlier, interrupted part of the run: started and ended back then.
    pub(crate) fn handle_replayed(&mut self, now: Moment, server: ServerId, signal: Signal) {
        self.lane(server).pace.handle_replayed(now, signal);
    }

    /// Whether nothing is queued for now and nothing is in flight. Retries may still be waiting.
    pub(crate) fn is_quiet(&self, is_needed: impl Fn(Job) -> bool) -> bool {
        let mut jobs = self.lanes.iter().flat_map(Lane::queued);
        self.requests.is_empty() && !jobs.any(|job| is_needed(*job))
    }

    /// Whether no retries are waiting either.
    pub(crate) fn is_empty(&self, is_needed: impl Fn(Job) -> bool) -> bool {
        self.is_quiet(&is_needed) && !self.due.iter().any(|Reverse((.., job))| is_needed(*job))
    }

    /// The only server that still has work, and how many jobs, if there is just one.
    pub(crate) fn last_server(&self, is_needed: impl Fn(Job) -> bool) -> Option<(ServerId, u64)> {
        let mut due: HashMap<ServerId, u64> = HashMap::new();
        for Reverse((_, server, job)) in &self.due {
            *due.entry(*server).or_default() += u64::from(is_needed(*job));
        }
        let mut with_work =
            (0..).map(ServerId::from_index).zip(&self.lanes).filter_map(|(id, lane)| {
                let mut queued = lane.queued();
                let due = due.get(&id).copied().unwrap_or_default();
                // A long queue is not checked job by job: few are outdated.
                let has_work =
                    !lane.in_flight.is_empty() || due > 0 || queued.any(|job| is_needed(*job));
                let jobs = lane.in_flight.len() + lane.queued().count();
                has_work.then_some((id, jobs as u64 + due))
            });
        let last = with_work.next()?;
        with_work.next().is_none().then_some(last)
    }

    /// How many requests are in flight.
    pub(crate) fn in_flight(&self) -> u32 {
        u32::try_from(self.requests.len()).unwrap_or(u32::MAX)
    }

    fn start(&mut self, now: Moment, server: ServerId, job: Job) -> RequestId {
        let request = RequestId::from_number(self.made);
        self.made += 1;
        self.requests.insert(request, (server, job));
        let lane = &mut self.lanes[server.index()];
        lane.pace.handle_started(now);
        lane.in_flight.push_back((request, now));
        lane.later_in_flight += u32::from(job.turn.is_later());
        lane.second_in_flight += u32::from(job.turn == Turn::Second);
        let unproven = u32::from(!lane.own_host && !lane.pace.has_responded());
        lane.unproven += unproven;
        self.unproven += unproven;
        if !lane.own_host {
            self.others += 1;
            self.silent.handle_started(now, request);
        }
        request
    }

    fn slots_taken(&self, now: Moment) -> u32 {
        let in_flight = self.in_flight();
        // To count them takes longer.
        if in_flight < self.concurrency { in_flight } else { in_flight - self.silent.count(now) }
    }

    /// Lanes that had no slot may have one now.
    fn list_held(&mut self) {
        for held in std::mem::take(&mut self.held) {
            self.lane(held).listed = false;
            self.list(held);
        }
    }

    fn has_slot(&self, server: ServerId, now: Moment) -> bool {
        let lane = &self.lanes[server.index()];
        if lane.own_host {
            return true;
        }
        let own_busy = self.in_flight() > self.others || !self.ready_own.is_empty();
        let share = if own_busy { self.concurrency * 3 / 4 } else { self.concurrency };
        let silent = self.silent.count(now);
        let unproven = self.unproven.saturating_sub(silent);
        if self.others.saturating_sub(silent) >= share.max(1) {
            return false;
        }
        if lane.pace.has_responded() || unproven < (self.concurrency / 2).max(1) {
            return true;
        }
        // The other half is reserved for servers that respond; if there are none, it would be
        // wasted. A quarter stays reserved for internal pages while there are any.
        let proven = |server: &ServerId| self.lanes[server.index()].pace.has_responded();
        unproven < share.max(1)
            && self.others <= self.unproven
            && self.ready_own.is_empty()
            && !self.ready.iter().any(proven)
            && self.own_is_silent(now)
    }

    /// Whether all requests in flight to the site's own servers have gone without a response for
    /// long.
    fn own_is_silent(&self, now: Moment) -> bool {
        let own_host = self.lanes.iter().filter(|lane| lane.own_host);
        let silent: u32 = own_host.map(|lane| lane.stalled(now, self.silence)).sum();
        self.in_flight() - self.others <= silent
    }

    fn wake(&mut self, now: Moment) {
        if self.slot_at.is_some_and(|moment| moment <= now) {
            self.slot_at = None;
            self.list_held();
        }
        while let Some(&Reverse((moment, server, job))) = self.due.peek()
            && moment <= now
        {
            self.due.pop();
            self.push(server, job);
        }
        while let Some(&Reverse((moment, server))) = self.timers.peek()
            && moment <= now
        {
            self.timers.pop();
            self.lane(server).listed = false;
            self.list(server);
        }
        while let Some(&Reverse((moment, server))) = self.parkings.peek()
            && moment <= now
        {
            self.parkings.pop();
            self.list(server);
        }
    }

    fn list(&mut self, server: ServerId) {
        let lane = &mut self.lanes[server.index()];
        if lane.listed || !lane.has_work() {
            return;
        }
        lane.listed = true;
        if lane.own_host {
            self.ready_own.push_back(server);
        } else {
            self.ready.push_back(server);
        }
    }

    fn lane(&mut self, server: ServerId) -> &mut Lane {
        &mut self.lanes[server.index()]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn job(url: u32, later: bool) -> Job {
        let turn = if later { Turn::Later } else { Turn::First };
        Job { url: UrlId::from_index(url as usize), ticket: 0, turn }
    }

    /// The n-th request, from 0.
    fn request(number: u64) -> RequestId {
        RequestId::from_number(number)
    }

    fn own_host() -> Limits {
        Limits { first: 100, most: 100, interval: Duration::ZERO }
    }

    fn start_all(frontier: &mut Frontier, now: Moment) -> Vec<String> {
        let mut started = Vec::new();
        while let Some((request, _)) = frontier.poll(now, |_| true) {
            let (server, _) = frontier.job(request).unwrap();
            started.push(frontier.name(server).to_owned());
        }
        started
    }

    #[test]
    fn dead_external_servers_share_half_of_the_slots() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        frontier.push(site, job(50, false));
        for n in 0..20 {
            let server =
                frontier.server(&format!("dead{n}.test"), false, Limits::other(None, None));
            frontier.push(server, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1 + 4);
        for n in 20..40 {
            frontier.push(site, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START), ["a.test"; 3]);
    }

    #[test]
    fn dead_external_servers_use_slots_nothing_else_needs() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        for n in 0..20 {
            let server =
                frontier.server(&format!("dead{n}.test"), false, Limits::other(None, None));
            frontier.push(server, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 8);
        // While there is something of the site, half of them.
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let site = frontier.server("a.test", true, Limits::gentle(None));
        frontier.push(site, job(1, false));
        for n in 2..22 {
            let server =
                frontier.server(&format!("dead{n}.test"), false, Limits::other(None, None));
            frontier.push(server, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1 + 4);
        frontier.handle_ended(Moment::START, request(0), Signal::Neutral);
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 4);
    }

    #[test]
    fn the_last_server_with_work_is_known() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let slow = frontier.server("slow.test", false, Limits::other(Some(1), None));
        let other = frontier.server("b.test", false, Limits::other(None, None));
        assert_eq!(frontier.last_server(|_| true), None, "there is no work");
        frontier.push(slow, job(1, false));
        frontier.push(slow, job(2, true));
        frontier.push_at(Moment::START + Duration::from_secs(9), slow, job(3, false));
        assert_eq!(frontier.last_server(|_| true), Some((slow, 3)));
        frontier.push(other, job(4, false));
        assert_eq!(frontier.last_server(|_| true), None, "there are two");
        let is_current = |job: Job| job.url != UrlId::from_index(4);
        assert_eq!(frontier.last_server(is_current), Some((slow, 3)), "job 4 is outdated");
        let (in_flight, _) = frontier.poll(Moment::START, is_current).unwrap();
        assert_eq!(frontier.last_server(is_current), Some((slow, 3)));
        frontier.handle_ended(Moment::START, in_flight, Signal::Neutral);
        assert_eq!(frontier.last_server(is_current), Some((slow, 2)));
        assert_eq!(frontier.last_server(|job| job.url == UrlId::from_index(3)), Some((slow, 2)));
        frontier.push(slow, Job { turn: Turn::Side, ..job(5, false) });
        assert_eq!(frontier.last_server(is_current), Some((slow, 3)), "a side request is work");
    }

    #[test]
    fn a_closed_server_gets_only_side_requests() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        frontier.set_closed(site, true);
        frontier.push(site, job(1, false));
        frontier.push(site, job(2, true));
        frontier.push(site, Job { turn: Turn::Side, ..job(3, false) });
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1);
        frontier.set_closed(site, false);
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 2);
    }

    #[test]
    fn one_url_of_a_silent_server_is_tried_at_all_attempts_first() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let other = frontier.server("b.test", false, Limits::other(None, None));
        frontier.push(other, job(1, false));
        frontier.push(other, job(2, false));
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1);
        frontier.handle_ended(Moment::START, request(0), Signal::Neutral);
        frontier.set_on_trial(other, true);
        let later = Moment::START + Duration::from_secs(1);
        assert_eq!(start_all(&mut frontier, later).len(), 0);
        frontier.push(other, job(1, true));
        assert_eq!(frontier.poll(later, |_| true), Some((request(1), job(1, true))));
        let responded = Signal::Answered(Duration::ZERO);
        frontier.handle_ended(later, request(1), responded);
        assert_eq!(start_all(&mut frontier, later + Duration::from_secs(1)).len(), 1);
    }

    #[test]
    fn internal_pages_always_have_a_quarter_of_the_slots() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        frontier.push(site, job(0, false));
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1);
        for n in 1..20 {
            let other = frontier.server(&format!("o{n}.test"), false, Limits::other(None, None));
            frontier.handle_replayed(Moment::START, other, Signal::Answered(Duration::ZERO));
            frontier.push(other, job(n, false));
        }
        let later = Moment::START + Duration::from_secs(1);
        assert_eq!(start_all(&mut frontier, later).len(), 6);
        frontier.push(site, job(30, false));
        assert_eq!(start_all(&mut frontier, later), ["a.test"]);
    }

    #[test]
    fn retries_wait_until_they_are_due() {
        let mut frontier = Frontier::new(8, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        let due = Moment::START + Duration::from_secs(5);
        frontier.push_at(due, site, job(1, true));
        assert_eq!(frontier.poll(Moment::START, |_| true), None);
        assert!(frontier.is_quiet(|_| true) && !frontier.is_empty(|_| true));
        assert_eq!(frontier.next_moment(), Some(due));
        assert_eq!(frontier.poll(due, |_| true), Some((request(0), job(1, true))));
        frontier.handle_ended(due, request(0), Signal::Neutral);
        assert!(frontier.is_empty(|_| true));
    }

    #[test]
    fn at_most_eight_later_attempts_of_one_server_are_in_flight() {
        let mut frontier = Frontier::new(64, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        for n in 0..20 {
            frontier.push(site, job(n, true));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 8);
        frontier.handle_ended(Moment::START, request(0), Signal::Neutral);
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1);
    }

    #[test]
    fn second_attempts_are_limited_apart_from_later_ones() {
        let mut frontier = Frontier::new(64, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        frontier.set_second_at_once(site, 3);
        for n in 0..5 {
            frontier.push(site, Job { turn: Turn::Second, ..job(n, false) });
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 3);
        for n in 5..15 {
            frontier.push(site, job(n, true));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 5, "eight in all");
        frontier.handle_ended(Moment::START, request(0), Signal::Neutral);
        frontier.set_second_at_once(site, 1);
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 1, "a later one");
        frontier.set_second_at_once(site, 8);
        frontier.handle_ended(Moment::START, request(1), Signal::Neutral);
        frontier.handle_ended(Moment::START, request(2), Signal::Neutral);
        (3..9).for_each(|n| {
            frontier.handle_ended(Moment::START, request(n), Signal::Neutral);
        });
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 4 + 2);
        assert!(!frontier.is_empty(|_| true) && frontier.in_flight() == 6);
    }

    #[test]
    fn hanging_pages_do_not_block_others() {
        let mut frontier = Frontier::new(64, Duration::from_secs(2));
        let limits = Limits { first: 2, most: 4, interval: Duration::ZERO };
        let site = frontier.server("a.test", true, limits);
        for n in 0..10 {
            frontier.push(site, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 2);
        let then = frontier.next_moment().unwrap();
        assert_eq!(then.since_start().as_secs(), 2);
        assert_eq!(start_all(&mut frontier, then).len(), 2);
        let later = then + Duration::from_secs(3);
        assert_eq!(start_all(&mut frontier, later).len(), 2);
        let latest = later + Duration::from_secs(3);
        assert_eq!(start_all(&mut frontier, latest).len(), 0, "up to the maximum of the pace");
    }

    #[test]
    fn silent_requests_to_external_servers_leave_their_slots() {
        let silence = Duration::from_secs(2);
        let mut frontier = Frontier::new(8, silence);
        for n in 0..40 {
            let server =
                frontier.server(&format!("dead{n}.test"), false, Limits::other(None, None));
            frontier.push(server, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 8);
        let then = frontier.next_moment().unwrap();
        assert_eq!(then.since_start(), silence + Duration::from_micros(1));
        assert_eq!(start_all(&mut frontier, then).len(), 8);
        let later = then + silence * 2;
        assert_eq!(start_all(&mut frontier, later).len(), 0, "no more than there are slots");
        assert_eq!(frontier.next_moment(), None, "until a request ends");
        frontier.handle_ended(later, request(3), Signal::Neutral);
        assert_eq!(start_all(&mut frontier, later).len(), 1);
    }

    #[test]
    fn pages_of_the_site_get_the_slots_of_silent_requests() {
        let mut frontier = Frontier::new(4, Duration::from_secs(2));
        for n in 0..4 {
            let server =
                frontier.server(&format!("dead{n}.test"), false, Limits::other(None, None));
            frontier.push(server, job(n, false));
        }
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 4);
        let site = frontier.server("a.test", true, own_host());
        frontier.push(site, job(9, false));
        assert_eq!(start_all(&mut frontier, Moment::START).len(), 0);
        let then = frontier.next_moment().unwrap();
        assert_eq!(start_all(&mut frontier, then), ["a.test"]);
    }

    #[test]
    fn outdated_jobs_are_skipped() {
        let mut frontier = Frontier::new(4, Duration::from_secs(2));
        let site = frontier.server("a.test", true, own_host());
        frontier.push(site, job(1, false));
        frontier.push(site, job(2, false));
        let second = |job: Job| job.url == UrlId::from_index(2);
        assert_eq!(frontier.poll(Moment::START, second), Some((request(0), job(2, false))));
    }
}
