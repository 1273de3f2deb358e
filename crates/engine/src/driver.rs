//! The main loop: replies into the machine, requests out of it, events to the store.

use std::collections::{HashMap, HashSet};
use std::time::{Duration, Instant};

use rummage_core::crawl::{BodyUse, Crawl, Event, Reply, Request, RequestId, Response, Tick};
use rummage_core::evidence::{Attempt, AttemptOutcome, Failure, Method, Purpose, ResponseHead};
use rummage_store::{Memory, Reader, RunState, RunWriter, StoreError};
use tokio::sync::{OwnedSemaphorePermit, mpsc, watch};
use tokio::task::{JoinError, JoinSet};

use crate::cache_reader::{CacheHit, CacheLookup, CacheReader};
use crate::fetched::Fetched;
use crate::recorder::{Failed, Recorder};
use crate::{Clock, EngineError, Fetcher, panics};

/// How often observers receive the progress.
const TICK: Duration = Duration::from_millis(100);

/// A signal to stop: the value becomes true.
pub type Stop = watch::Receiver<bool>;

/// Observes a crawl.
pub trait Observer {
    /// An event has happened.
    fn handle_event(&mut self, event: &Event, crawl: &Crawl);

    /// Some time has passed.
    fn handle_tick(&mut self, tick: &Tick<'_>);
}

/// Makes requests. [`Fetcher`] does so over the network.
pub trait Fetch: Clone + Send + 'static {
    /// Makes a request and returns the reply, whatever the outcome.
    fn fetch(&self, request: Request) -> impl Future<Output = Fetched> + Send;
}

impl Fetch for Fetcher {
    fn fetch(&self, request: Request) -> impl Future<Output = Fetched> + Send {
        Fetcher::fetch(self, request)
    }
}

/// Everything that a crawl needs.
pub struct Job<F = Fetcher> {
    /// The machine, new or restored by a replay.
    pub crawl: Crawl,
    /// Makes the requests.
    pub fetcher: F,
    /// The clock of the fetcher.
    pub clock: Clock,
    /// Stores the events.
    pub writer: RunWriter,
    /// The signal to stop.
    pub stop: Stop,
    /// A run to recheck: its results are kept, except for some URLs.
    pub recheck: Option<Recheck>,
    /// Results of earlier runs that can be reused.
    pub memory: Option<Memory>,
    /// Restores pages that have not changed; without it, they are requested completely.
    pub remember: Option<CacheLookup>,
    /// How many requests it may make before it is stopped.
    pub budget: Option<u64>,
}

/// A run to recheck.
pub struct Recheck {
    /// Its store.
    pub reader: Reader,
    /// Its number.
    pub run: i64,
    /// The URLs whose results are not kept: they are requested again.
    pub again: HashSet<String>,
}

/// The end of a crawl.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ended {
    /// The run's number in the store.
    pub run: i64,
    /// Whether it is complete or was stopped.
    pub state: RunState,
    /// It was stopped because its budget is spent.
    pub spent: bool,
    /// Internal errors, in the order in which they happened. The run went on without these URLs.
    pub internal_errors: Vec<InternalError>,
}

/// This program failed on one URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InternalError {
    /// The URL.
    pub url: String,
    /// What the program said of it.
    pub message: String,
}

/// Drives a crawl to its end, or until it is stopped.
///
/// # Errors
/// When the start gives no page, or the store cannot be written. What was stored stays.
pub async fn crawl<F: Fetch>(job: Job<F>, watch: &mut dyn Observer) -> Result<Ended, EngineError> {
    let Job { crawl, fetcher, clock, writer, stop, recheck, memory, remember, budget } = job;
    let recorder = Recorder::start(writer);
    let recalled = mpsc::unbounded_channel();
    let remember = remember.map(|open| CacheReader::start(open, recalled.0.clone()));
    let mut driver = Driver {
        crawl,
        fetcher,
        clock,
        stop,
        tasks: JoinSet::new(),
        permits: Vec::new(),
        recalled,
        in_flight: HashMap::new(),
        by_task: HashMap::new(),
        recheck,
        memory,
        remember,
        budget,
        problem: None,
        internal_errors: Vec::new(),
    };
    let state = match driver.run(&recorder, watch).await {
        Ok(state) => state,
        // The store's own error is returned by `finish`.
        Err(Failed) => RunState::Stopped,
    };
    driver.tasks.shutdown().await;
    let Driver { crawl, memory, remember, problem, internal_errors, budget, .. } = driver;
    let start_problem = crawl.start_problem().cloned();
    // The end of a run takes as much memory.
    drop((crawl, memory, remember));
    let (run, state) = tokio::task::spawn_blocking(move || recorder.finish(state))
        .await
        .expect("a thread that panics is joined inside, and its panic is an error")?;
    if let Some(problem) = problem {
        return Err(problem);
    }
    if let Some(problem) = start_problem {
        return Err(EngineError::Start(Box::new(problem)));
    }
    Ok(Ended {
        // There is no run if it was stopped before the start URL responded.
        run: run.unwrap_or_default(),
        state,
        spent: state == RunState::Stopped && budget == Some(0),
        internal_errors,
    })
}

struct Driver<F> {
    crawl: Crawl,
    fetcher: F,
    clock: Clock,
    stop: Stop,
    /// One for each request to a server.
    tasks: JoinSet<Fetched>,
    /// Permits of replies whose events were not passed on yet.
    permits: Vec<OwnedSemaphorePermit>,
    /// Pages restored from the store, and a sender for the thread that restores them.
    recalled: (mpsc::UnboundedSender<CacheHit>, mpsc::UnboundedReceiver<CacheHit>),
    in_flight: HashMap<RequestId, InFlight>,
    /// The request that a task makes, in case it panics.
    by_task: HashMap<tokio::task::Id, RequestId>,
    /// The run to recheck, to be replayed when the start URL has responded.
    recheck: Option<Recheck>,
    memory: Option<Memory>,
    remember: Option<CacheReader>,
    /// How many requests may still be made.
    budget: Option<u64>,
    /// Why results of earlier runs could not be read.
    problem: Option<EngineError>,
    internal_errors: Vec<InternalError>,
}

/// A request that has not ended.
struct InFlight {
    since: Instant,
    url: String,
    method: Method,
    purpose: Purpose,
}

impl<F: Fetch> Driver<F> {
    async fn run(
        &mut self,
        recorder: &Recorder,
        watch: &mut dyn Observer,
    ) -> Result<RunState, Failed> {
        let mut tick = tokio::time::interval(TICK);
        loop {
            // Known results are passed on before requests are made.
            self.pass_on(recorder, watch)?;
            self.permits.clear();
            self.start_requests();
            self.pass_on(recorder, watch)?;
            if self.problem.is_some() {
                return Err(Failed);
            }
            if self.crawl.is_finished() {
                let halted = self.crawl.halt().is_some();
                return Ok(if halted { RunState::Stopped } else { RunState::Finished });
            }
            if self.budget == Some(0) && self.in_flight.is_empty() {
                return Ok(RunState::Stopped);
            }
            let wake = self.crawl.poll_timeout().map(|moment| self.clock.instant(moment));
            let news = tokio::select! {
                Some(ended) = self.tasks.join_next_with_id() => DriverMessage::Fetched(Box::new(ended)),
                recalled = self.recalled.1.recv() => {
                    DriverMessage::CacheHit(Box::new(recalled.expect("we hold a sender ourselves")))
                }
                () = sleep_until(wake) => DriverMessage::Due,
                _ = tick.tick() => DriverMessage::Tick,
                () = stopped(&mut self.stop) => DriverMessage::Stopped,
            };
            match news {
                DriverMessage::Fetched(ended) => {
                    self.handle_fetched(*ended);
                    // What takes much memory is passed on first.
                    while self.permits.is_empty()
                        && let Some(ended) = self.tasks.try_join_next_with_id()
                    {
                        self.handle_fetched(ended);
                    }
                }
                DriverMessage::CacheHit(recalled) => {
                    self.handle_remembered(*recalled);
                    while let Ok(recalled) = self.recalled.1.try_recv() {
                        self.handle_remembered(recalled);
                    }
                }
                DriverMessage::Due => {}
                DriverMessage::Tick => self.tell(watch),
                DriverMessage::Stopped => return Ok(RunState::Stopped),
            }
        }
    }

    fn start_requests(&mut self) {
        while self.budget != Some(0)
            && let Some(mut request) = self.crawl.poll_request(self.clock.now())
        {
            self.budget = self.budget.map(|left| left - 1);
            self.ask_for_changes(&mut request);
            let (id, since, url) = (request.id, Instant::now(), request.url.clone());
            let Request { method, purpose, .. } = request;
            self.in_flight.insert(id, InFlight { since, url, method, purpose });
            let fetcher = self.fetcher.clone();
            let task = self.tasks.spawn(async move { fetcher.fetch(request).await });
            self.by_task.insert(task.id(), id);
        }
    }

    /// Makes the request for a known page conditional.
    fn ask_for_changes(&mut self, request: &mut Request) {
        let Some(memory) = &self.memory else { return };
        let is_read = matches!(
            request.body,
            BodyUse::Page | BodyUse::Stylesheet | BodyUse::Sitemap | BodyUse::Manifest
        );
        // A later attempt should be certain, and a sketch is made from the text, which is not
        // stored.
        if is_read && !request.later && !request.sketch && request.cookies.is_none() {
            match memory.validators(&request.url) {
                Ok(validators) => request.validators = validators,
                Err(problem) => self.problem = Some(problem.into()),
            }
        }
    }

    /// A request has ended, or its task has panicked, as the reply then says.
    fn handle_fetched(&mut self, ended: Result<(tokio::task::Id, Fetched), JoinError>) {
        let task = ended.as_ref().map_or_else(JoinError::id, |(task, _)| *task);
        let id = self.by_task.remove(&task).expect("every task is entered when it is started");
        match ended {
            Ok((_, Fetched { reply, permit })) => {
                self.permits.extend(permit);
                self.handle_reply(reply);
            }
            Err(error) => {
                let message = panics::message(error);
                self.fail_request(id, message);
            }
        }
    }

    fn handle_reply(&mut self, reply: Reply) {
        // A page that has not changed is restored from the store.
        if is_unchanged(&reply)
            && let (Some(remember), Some(request)) = (&self.remember, self.in_flight.get(&reply.id))
        {
            if remember.remember(request.url.clone(), reply).is_none() {
                return;
            }
            // The thread has ended, and its last message says why.
            while let Ok(recalled) = self.recalled.1.try_recv() {
                self.handle_remembered(recalled);
            }
            return;
        }
        self.in_flight.remove(&reply.id);
        self.crawl.handle_reply(self.clock.now(), reply);
    }

    fn handle_remembered(&mut self, recalled: CacheHit) {
        match recalled {
            Ok(reply) => {
                self.in_flight.remove(&reply.id);
                self.crawl.handle_reply(self.clock.now(), reply);
            }
            Err(problem) => self.problem = Some(problem),
        }
    }

    /// This program failed on a request: the run continues, and reports it at the end.
    fn fail_request(&mut self, id: RequestId, message: String) {
        let Some(InFlight { since, url, method, purpose }) = self.in_flight.remove(&id) else {
            return;
        };
        let outcome = AttemptOutcome::Failure(Failure::Internal(message.clone()));
        let mut attempt = Attempt::new(self.clock.now(), since.elapsed(), method, outcome);
        attempt.purpose = purpose;
        self.internal_errors.push(InternalError { url, message });
        let response = Response { attempt, reading: None };
        self.crawl.handle_reply(self.clock.now(), Reply { id, response });
    }

    /// Passes events on, and known results of URLs that were just discovered to the machine.
    fn pass_on(&mut self, recorder: &Recorder, watch: &mut dyn Observer) -> Result<(), Failed> {
        loop {
            let mut discovered = Vec::new();
            let mut batch = Vec::new();
            while let Some(event) = self.crawl.poll_event() {
                if let (Event::Discovered { url, .. }, Some(_)) = (&event, &self.memory) {
                    discovered.push(url.clone());
                }
                watch.handle_event(&event, &self.crawl);
                batch.push(event);
            }
            if !batch.is_empty() {
                recorder.record(batch)?;
            }
            if self.crawl.is_bounded()
                && let Some(recheck) = self.recheck.take()
            {
                self.tell_again(&recheck, recorder)?;
                continue;
            }
            // During a recheck, earlier results are replayed in their own order.
            if discovered.is_empty() || self.recheck.is_some() {
                return Ok(());
            }
            for url in discovered {
                self.recall(&url)?;
            }
        }
    }

    fn recall(&mut self, url: &str) -> Result<(), Failed> {
        let Some(memory) = &self.memory else { return Ok(()) };
        match memory.recall(url) {
            Ok(replies) => {
                self.crawl.handle_recalled(url, replies);
                Ok(())
            }
            Err(problem) => self.fail(problem),
        }
    }

    /// Replays the results of the run to recheck, except those to be requested anew.
    fn tell_again(&mut self, recheck: &Recheck, recorder: &Recorder) -> Result<(), Failed> {
        let mut discovered = Vec::new();
        let crawl = &mut self.crawl;
        let replayed = recheck.reader.for_each_reply(recheck.run, |url, reply| {
            if !recheck.again.contains(url) {
                crawl.handle_replayed(url, reply);
            }
            let mut batch = Vec::new();
            while let Some(event) = crawl.poll_event() {
                if let Event::Discovered { url, .. } = &event {
                    discovered.push(url.clone());
                }
                batch.push(event);
            }
            if !batch.is_empty() {
                // If the store has failed, the next batch reports it.
                let _ = recorder.record(batch);
            }
            Ok(())
        });
        if let Err(problem) = replayed {
            return self.fail(problem);
        }
        self.crawl.handle_rechecked();
        discovered.iter().try_for_each(|url| self.recall(url))
    }

    fn fail(&mut self, problem: StoreError) -> Result<(), Failed> {
        self.problem = Some(problem.into());
        Err(Failed)
    }

    fn tell(&self, watch: &mut dyn Observer) {
        let mut slowest: Vec<(Duration, &str)> =
            self.in_flight.values().map(|it| (it.since.elapsed(), it.url.as_str())).collect();
        slowest.sort_by(|a, b| b.cmp(a));
        slowest.truncate(3);
        let next = self.crawl.poll_timeout().filter(|_| self.in_flight.is_empty());
        watch.handle_tick(&Tick {
            progress: self.crawl.progress(),
            slowest: &slowest,
            last_server: self.crawl.last_server(),
            pause: next.map(|moment| {
                let now = self.clock.now().since_start();
                moment.since_start().saturating_sub(now)
            }),
        });
    }
}

/// Whether a server responds that a page has not changed (RFC 9110 §15.4.5).
fn is_unchanged(reply: &Reply) -> bool {
    let attempt = &reply.response.attempt;
    let says_so =
        matches!(&attempt.outcome, AttemptOutcome::Response(ResponseHead { status: 304, .. }));
    says_so && attempt.method == Method::Get
}

/// An input of the loop.
enum DriverMessage {
    Fetched(Box<Result<(tokio::task::Id, Fetched), JoinError>>),
    CacheHit(Box<CacheHit>),
    Due,
    Tick,
    Stopped,
}

/// Waits for the signal to stop; forever, if it can no longer come.
pub async fn stopped(stop: &mut Stop) {
    if stop.wait_for(|stopped| *stopped).await.is_err() {
        std::future::pending::<()>().await;
    }
}

async fn sleep_until(instant: Option<Instant>) {
    match instant {
        Some(instant) => tokio::time::sleep_until(instant.into()).await,
        None => std::future::pending().await,
    }
}
