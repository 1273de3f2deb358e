//! The loop: news into the machine, work out of it, events to the store.

use std::collections::HashMap;
use std::time::{Duration, Instant};

use rummage_core::crawl::{AddressId, Crawl, Event, Progress, Reply};
use rummage_store::{RunState, RunWriter};
use tokio::sync::{mpsc, watch};
use tokio::task::JoinSet;

use crate::recorder::{Failed, Recorder};
use crate::{Clock, EngineError, Fetcher};

/// How often whoever watches is told where the crawl is.
const TICK: Duration = Duration::from_millis(100);

/// Says when to stop: the value becomes true.
pub type Stop = watch::Receiver<bool>;

/// Somebody who watches a crawl.
pub trait Watch {
    /// Something happened.
    fn handle_event(&mut self, event: &Event, crawl: &Crawl);

    /// Some time has passed. `slowest` are the requests that have been in flight
    /// longest, the longest first.
    fn handle_tick(&mut self, progress: Progress, slowest: &[(Duration, &str)]);
}

/// All that a crawl needs.
pub struct Job {
    /// The machine, new or brought to where it was by a replay.
    pub crawl: Crawl,
    /// Who makes its requests.
    pub fetcher: Fetcher,
    /// The clock that the fetcher has.
    pub clock: Clock,
    /// Where its events are kept.
    pub writer: RunWriter,
    /// Says when to stop.
    pub stop: Stop,
}

/// How a crawl ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ended {
    /// The run's number in the store.
    pub run: i64,
    /// Whether it came to its end or was stopped.
    pub state: RunState,
}

/// Drives a crawl to its end, or until it is stopped.
///
/// # Errors
/// When the start gives no page, or the store cannot be written. What was stored stays.
pub async fn crawl(job: Job, watch: &mut dyn Watch) -> Result<Ended, EngineError> {
    let Job { crawl, fetcher, clock, writer, stop } = job;
    let recorder = Recorder::start(writer);
    let mut driver = Driver {
        crawl,
        fetcher,
        clock,
        stop,
        tasks: JoinSet::new(),
        replies: mpsc::unbounded_channel(),
        in_flight: HashMap::new(),
    };
    let state = match driver.run(&recorder, watch).await {
        Ok(state) => state,
        // The store's own error comes out of `finish`.
        Err(Failed) => RunState::Stopped,
    };
    driver.tasks.shutdown().await;
    let run = tokio::task::spawn_blocking(move || recorder.finish(state))
        .await
        .expect("the writing thread does not panic")?;
    match (driver.crawl.start_problem(), run) {
        (Some(problem), _) => Err(EngineError::Start(Box::new(problem.clone()))),
        (None, Some(run)) => Ok(Ended { run, state }),
        // Stopped before the start had answered.
        (None, None) => Ok(Ended { run: 0, state }),
    }
}

struct Driver {
    crawl: Crawl,
    fetcher: Fetcher,
    clock: Clock,
    stop: Stop,
    tasks: JoinSet<()>,
    replies: (mpsc::UnboundedSender<Reply>, mpsc::UnboundedReceiver<Reply>),
    in_flight: HashMap<AddressId, (Instant, String)>,
}

impl Driver {
    async fn run(
        &mut self,
        recorder: &Recorder,
        watch: &mut dyn Watch,
    ) -> Result<RunState, Failed> {
        let mut tick = tokio::time::interval(TICK);
        loop {
            self.start_requests();
            self.pass_on(recorder, watch)?;
            if self.crawl.is_finished() {
                let halted = self.crawl.halt().is_some();
                return Ok(if halted { RunState::Stopped } else { RunState::Finished });
            }
            let wake = self.crawl.poll_timeout().map(|moment| self.clock.instant(moment));
            let news = tokio::select! {
                reply = self.replies.1.recv() => {
                    News::Reply(Box::new(reply.expect("we hold a sender ourselves")))
                }
                () = sleep_until(wake) => News::Due,
                _ = tick.tick() => News::Tick,
                () = stopped(&mut self.stop) => News::Stopped,
            };
            match news {
                News::Reply(reply) => {
                    self.take_in(*reply);
                    while let Ok(reply) = self.replies.1.try_recv() {
                        self.take_in(reply);
                    }
                }
                News::Due => {}
                News::Tick => self.tell(watch),
                News::Stopped => return Ok(RunState::Stopped),
            }
            while self.tasks.try_join_next().is_some() {}
        }
    }

    fn start_requests(&mut self) {
        while let Some(request) = self.crawl.poll_request(self.clock.now()) {
            self.in_flight.insert(request.id, (Instant::now(), request.address.clone()));
            let (fetcher, replies) = (self.fetcher.clone(), self.replies.0.clone());
            self.tasks.spawn(async move {
                // Nobody listens any more when the run was stopped.
                let _ = replies.send(fetcher.fetch(request).await);
            });
        }
    }

    fn take_in(&mut self, reply: Reply) {
        self.in_flight.remove(&reply.id);
        self.crawl.handle_reply(self.clock.now(), reply);
    }

    fn pass_on(&mut self, recorder: &Recorder, watch: &mut dyn Watch) -> Result<(), Failed> {
        let mut batch = Vec::new();
        while let Some(event) = self.crawl.poll_event() {
            watch.handle_event(&event, &self.crawl);
            batch.push(event);
        }
        if batch.is_empty() { Ok(()) } else { recorder.record(batch) }
    }

    fn tell(&self, watch: &mut dyn Watch) {
        let mut slowest: Vec<(Duration, &str)> =
            self.in_flight.values().map(|(since, url)| (since.elapsed(), url.as_str())).collect();
        slowest.sort_by(|a, b| b.cmp(a));
        slowest.truncate(3);
        watch.handle_tick(self.crawl.progress(), &slowest);
    }
}

/// What woke the loop.
enum News {
    Reply(Box<Reply>),
    Due,
    Tick,
    Stopped,
}

/// Waits until somebody says stop; for ever, when nobody is left who could.
async fn stopped(stop: &mut Stop) {
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
