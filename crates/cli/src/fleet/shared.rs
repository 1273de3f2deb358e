//! Requests for external URLs are made once for all sites of a fleet.
//!
//! Around the fetcher of a pass: before a request for an external URL is made, the database says
//! whether another pass has made it lately, or is making it now. Requests to the site itself, and
//! those that depend on the pass, are made as always.

use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use jiff::Timestamp;
use rummage_core::RULES_VERSION;
use rummage_core::crawl::{BodyUse, Reply, Request, Response};
use rummage_core::evidence::{Attempt, AttemptOutcome, Purpose};
use rummage_core::extract::reading::Reading;
use rummage_core::findings::selection::host_of;
use rummage_core::schedule::policy::RecheckPolicy;
use rummage_core::schedule::sharing::{is_for_others, reuse_for};
use rummage_core::url::scope::Scope;
use rummage_engine::{Clock, Fetch, Fetched};
use rummage_fleet::checks::{SharedRequest, Shown, Turn};
use rummage_fleet::{Database, FleetError, Worker, gap};
use tracing::{debug, error, warn};

use super::patience::News;
use crate::args::CheckOptions;

/// How old an observation may be when a pass begins: as old as one that is reused, and some more.
pub(super) const LOOKS_BACK: Duration = Duration::from_secs(26 * 3600);
/// How long to wait before looking again whether another worker has ended a request.
const POLL: Duration = Duration::from_millis(500);
const LONGEST_POLL: Duration = Duration::from_secs(5);

/// What the passes of a worker share.
pub(super) struct Checks {
    database: Database,
    worker: Worker,
    interval: Duration,
    policy: RecheckPolicy,
    requests: AtomicU64,
    /// When a server last responded to this worker.
    heard: Mutex<Option<Instant>>,
}

impl Checks {
    pub(super) fn new(database: Database, worker: Worker, interval: Duration) -> Checks {
        Checks {
            database,
            worker,
            interval,
            policy: RecheckPolicy::default(),
            requests: AtomicU64::new(0),
            heard: Mutex::new(None),
        }
    }

    /// How many requests the worker has made.
    pub(super) fn requests(&self) -> u64 {
        self.requests.load(Ordering::Relaxed)
    }

    /// The fetcher of a pass with these options, that uses only what was observed after the site's
    /// last pass.
    pub(super) fn around<F: Fetch + Sync>(
        self: &Arc<Checks>,
        fetcher: F,
        clock: Clock,
        options: &CheckOptions,
        after: Option<Timestamp>,
    ) -> Shared<F> {
        Shared {
            fetcher,
            clock,
            checks: self.clone(),
            sent_as: sent_as(options).into(),
            after,
            used: Arc::default(),
            news: News::default(),
        }
    }

    fn handle_outcome(&self, outcome: &AttemptOutcome) {
        if matches!(outcome, AttemptOutcome::Response(response) if !response.local) {
            *self.heard.lock().unwrap_or_else(PoisonError::into_inner) = Some(Instant::now());
        }
    }

    fn since_heard(&self) -> Option<i64> {
        let heard = *self.heard.lock().unwrap_or_else(PoisonError::into_inner);
        heard.and_then(|at| i64::try_from(at.elapsed().as_secs()).ok())
    }
}

/// The options that a response may depend on, as one text.
fn sent_as(options: &CheckOptions) -> String {
    let parts = CheckOptions {
        user_agent: options.user_agent.clone(),
        proxy: options.proxy.clone(),
        dns: options.dns,
        connect: options.connect.clone(),
        ca_cert: options.ca_cert.clone(),
        allow_private: options.allow_private,
        timeout: options.timeout,
        ..CheckOptions::default()
    };
    serde_json::to_string(&parts).expect("options are plain data")
}

/// A fetcher that shares what it learns of external URLs.
#[derive(Clone)]
pub(super) struct Shared<F> {
    fetcher: F,
    clock: Clock,
    checks: Arc<Checks>,
    sent_as: Arc<str>,
    after: Option<Timestamp>,
    /// When what this pass has used last of each request was observed: it does not count twice.
    used: Arc<Mutex<HashMap<String, Timestamp>>>,
    /// Why the database is not available, as far as reported.
    news: News,
}

impl<F: Fetch + Sync> Fetch for Shared<F> {
    async fn fetch(&self, request: Request) -> Fetched {
        if request.scope != Scope::External {
            return self.make(request).await;
        }
        if is_of_this_pass(&request) {
            let host = host_of(&request.url).to_owned();
            let slot = || self.checks.database.slot(&host, self.checks.interval);
            let wait = self.until_available(slot).await.unwrap_or(self.checks.interval);
            tokio::time::sleep(wait).await;
            return self.make(request).await;
        }
        let mut poll = POLL;
        loop {
            let shared = self.shared(&request);
            let Checks { database, worker, interval, .. } = &*self.checks;
            let turn = self.until_available(|| database.turn(&shared, worker, *interval)).await;
            match turn {
                None => return self.make(request).await,
                Some(Turn::Reuse(shown, at, ago)) => return self.reuse(&request, *shown, at, ago),
                Some(Turn::Request(wait)) => {
                    let claim = Claim { checks: self.checks.clone(), request: Some(shared) };
                    tokio::time::sleep(wait).await;
                    return self.make_for_all(request, claim).await;
                }
                Some(Turn::Wait) => {
                    tokio::time::sleep(poll).await;
                    poll = (poll * 2).min(LONGEST_POLL);
                }
            }
        }
    }
}

/// The claim of a request. If the pass is stopped before the request has ended, others need not
/// wait until the claim runs out.
struct Claim {
    checks: Arc<Checks>,
    request: Option<SharedRequest>,
}

impl Claim {
    /// The request has ended.
    fn end(mut self) -> SharedRequest {
        self.request.take().expect("it is taken only here, where the claim ends")
    }
}

impl Drop for Claim {
    fn drop(&mut self) {
        let Some(request) = self.request.take() else { return };
        let checks = self.checks.clone();
        tokio::spawn(async move {
            let Checks { database, worker, .. } = &*checks;
            if let Err(error) = database.drop_claim(&request, worker, false).await {
                debug!(url = request.url, reason = %error, "a claim was not given up");
            }
        });
    }
}

/// Whether others would not see the same: the request has something that only this pass knows.
fn is_of_this_pass(request: &Request) -> bool {
    request.purpose != Purpose::Verdict
        || request.cookies.is_some()
        || request.validators.is_some()
        || request.sketch
        || request.brief
        || !matches!(request.body, BodyUse::Drop | BodyUse::Title)
}

impl<F: Fetch + Sync> Shared<F> {
    async fn make(&self, request: Request) -> Fetched {
        self.checks.requests.fetch_add(1, Ordering::Relaxed);
        let fetched = self.fetcher.fetch(request).await;
        self.checks.handle_outcome(&fetched.reply.response.attempt.outcome);
        fetched
    }

    fn shared(&self, request: &Request) -> SharedRequest {
        let sent_as = format!(
            "{RULES_VERSION} {} {:?} {:?} {} {}",
            request.method.as_str(),
            request.kind,
            request.body,
            if request.later { "later" } else { "first" },
            self.sent_as
        );
        let used = self.used.lock().unwrap_or_else(PoisonError::into_inner);
        let after = self.after.max(used.get(&request.url).copied());
        SharedRequest {
            host: host_of(&request.url).to_owned(),
            url: request.url.clone(),
            sent_as,
            after,
        }
    }

    /// Makes a request that was claimed, and saves what it shows.
    async fn make_for_all(&self, request: Request, claim: Claim) -> Fetched {
        let fetched = self.make(request).await;
        let shared = &claim.end();
        let Checks { database, worker, policy, .. } = &*self.checks;
        let Response { attempt, reading } = &fetched.reply.response;
        let saved: Result<Option<Timestamp>, FleetError> =
            if is_for_others(&attempt.outcome, self.checks.since_heard()) {
                let shown = Shown {
                    outcome: attempt.outcome.clone(),
                    took_us: u64::try_from(attempt.took.as_micros()).unwrap_or(u64::MAX),
                    title: reading.as_ref().and_then(Reading::title).map(str::to_owned),
                    likeness: reading.as_ref().and_then(|reading| reading.likeness),
                };
                let reuse = u64::try_from(reuse_for(&attempt.outcome, policy)).unwrap_or_default();
                database.save_check(shared, worker, &shown, Duration::from_secs(reuse)).await
            } else {
                database.drop_claim(shared, worker, true).await.map(|()| None)
            };
        // This pass has what it needs; others make the request again when the claim has run out.
        match saved {
            Ok(at) => self.handle_used(&shared.url, at),
            Err(error) => {
                debug!(url = shared.url, reason = %error, "an external check was not saved");
            }
        }
        fetched
    }

    /// The pass has used what was observed then: a second attempt has to be a new observation.
    fn handle_used(&self, url: &str, at: Option<Timestamp>) {
        let Some(at) = at else { return };
        let mut used = self.used.lock().unwrap_or_else(PoisonError::into_inner);
        let known = used.entry(url.to_owned()).or_insert(at);
        *known = at.max(*known);
    }

    /// The reply that another pass has seen.
    fn reuse(&self, request: &Request, shown: Shown, at: Timestamp, ago: Duration) -> Fetched {
        self.handle_used(&request.url, Some(at));
        let took = Duration::from_micros(shown.took_us);
        let moment = self.clock.now().before(ago);
        let reading = reading_of(&shown);
        let attempt = Attempt::new(moment, took, request.method, shown.outcome);
        Fetched::from(Reply { id: request.id, response: Response { attempt, reading } })
    }

    /// Queries the database until it responds. Without it, a worker does not know whether it is its
    /// turn: the request waits, and with it the pass, until the lease runs out. `None` if waiting
    /// would not help.
    async fn until_available<T, W>(&self, query: impl Fn() -> W) -> Option<T>
    where
        W: Future<Output = Result<T, FleetError>>,
    {
        let mut failures = 0;
        loop {
            match query().await {
                Ok(result) => return Some(result),
                Err(error) if error.may_pass() => {
                    failures += 1;
                    if self.news.is_new(&error) {
                        warn!(reason = %error, "external requests wait for the database");
                    }
                    tokio::time::sleep(gap(failures)).await;
                }
                Err(error) => {
                    if self.news.is_new(&error) {
                        error!(reason = %error, "external requests are not shared");
                    }
                    return None;
                }
            }
        }
    }
}

/// What is known of the page that another pass has read.
fn reading_of(shown: &Shown) -> Option<Reading> {
    if shown.title.is_none() && shown.likeness.is_none() {
        return None;
    }
    let mut reading = shown.title.as_deref().map(Reading::of_title).unwrap_or_default();
    reading.title_only = true;
    reading.likeness = shown.likeness;
    Some(reading)
}
