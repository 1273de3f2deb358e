//! One site after another: each is taken, checked, saved and given back.

use std::sync::Arc;
use std::time::Duration;

use jiff::tz::TimeZone;
use rummage_core::schedule::patrol::{SiteState, Task, next};
use rummage_engine::Stop;
use rummage_fleet::{Ending, FleetError, Lease, Pass, Wanted};
use rummage_store::RunState;
use tokio::sync::watch;
use tracing::{error, info, warn};

use super::patience::{either, nap, patiently, sentence};
use super::place::Place;
use super::workplace::Workplace;
use super::{keeper, results};
use crate::config::Config;
use crate::failure::Failure;
use crate::hours::quiet_until;
use crate::patrol::{Site, drive, report, write_files};

/// How long to wait at most before looking for a site again.
const NAP: Duration = Duration::from_secs(15);
/// A site that is due at once is not taken again before this has passed: if something is wrong
/// with it, the others still get their turn.
const BREATH: Duration = Duration::from_secs(1);

/// See the [module](self).
pub(super) struct Lane {
    workplace: Arc<Workplace>,
    stop: Stop,
}

/// Why a result is not shown among the findings.
const SUSPICIOUS: &str = "suspicious result, not believed: look at the site; if it is as it should \
    be, rummage fleet sites crawl --accept NAME";

/// What a pass came to.
struct Checked {
    /// How long from now the site is due again.
    due_in: Duration,
    ending: Ending,
}

impl Lane {
    pub(super) fn new(workplace: Arc<Workplace>, stop: Stop) -> Lane {
        Lane { workplace, stop }
    }

    /// Checks sites until the worker is stopped, or with `once` until none is due.
    pub(super) async fn run(mut self) {
        while !*self.stop.borrow() {
            let workplace = self.workplace.clone();
            let take = || workplace.leases.take_site(&workplace.worker);
            let Some(lease) = patiently("cannot take a site", &mut self.stop, take).await else {
                // Not because it was stopped: without the database, there is nothing to do.
                workplace.handle_incomplete();
                if workplace.settings.once || nap(NAP, &mut self.stop).await {
                    return;
                }
                continue;
            };
            match lease {
                Some(lease) => self.pass(lease).await,
                None if workplace.settings.once => return,
                None => {
                    let wait = workplace.leases.next_due().await.ok().flatten().unwrap_or(NAP);
                    nap(wait.clamp(BREATH, NAP), &mut self.stop).await;
                }
            }
        }
    }

    /// Checks a site, saves what that gives, and ends the lease.
    async fn pass(&mut self, lease: Lease) {
        let workplace = self.workplace.clone();
        let place = Place::of(&workplace.settings.folder, &lease.site);
        let (halt, halted) = watch::channel(false);
        let (task, doing) = watch::channel("restore");
        let keeping = keeper::keep(workplace.clone(), lease.clone(), doing, halt);
        let keeper = tokio::spawn(keeping);
        let stop = either(self.stop.clone(), halted);
        let checked = self.check(&lease, &place, &task, &stop).await;
        let _ = task.send("save");
        self.save(&lease, &place, checked).await;
        keeper.abort();
    }

    /// Checks a site, as far as something is due.
    async fn check(
        &self,
        lease: &Lease,
        place: &Place,
        task: &watch::Sender<&'static str>,
        stop: &Stop,
    ) -> Checked {
        let failed = |failure: &Failure| {
            let reason = rummage_view::safe(&failure.sentence()).to_string();
            error!(site = %lease.site, reason, "could not be checked; retrying later");
            let ending = Ending::Failed(failure.to_string());
            Checked { due_in: self.after_failure(lease), ending }
        };
        let workplace = &self.workplace;
        let prepare = place.prepare(&workplace.results, &workplace.fleet, lease);
        let mut stopping = stop.clone();
        let prepared = tokio::select! {
            biased;
            prepared = prepare => prepared,
            () = rummage_engine::stopped(&mut stopping) => {
                return Checked { due_in: Duration::ZERO, ending: Ending::NotDue };
            }
        };
        let config = match prepared {
            Ok(config) => config,
            // The database, not the site: it is as due as it was.
            Err(Failure::Fleet(error)) if error.may_pass() => {
                warn!(site = %lease.site, reason = sentence(&error), "could not be prepared");
                return Checked { due_in: BREATH, ending: Ending::NotDue };
            }
            Err(failure) => return failed(&failure),
        };
        match self.check_with(lease, place, &config, task, stop).await {
            Ok(checked) => checked,
            Err(failure) => failed(&failure),
        }
    }

    async fn check_with(
        &self,
        lease: &Lease,
        place: &Place,
        config: &Config,
        doing: &watch::Sender<&'static str>,
        stop: &Stop,
    ) -> Result<Checked, Failure> {
        let clock = self.workplace.session.clock;
        let store = place.store();
        let mut site = Site::named(&lease.site, config, clock)?;
        site.look(&store, config)?;
        let now = clock.now().as_second();
        let (when, task) = match (lease.wanted, site.watched.unfinished) {
            (Some(_), true) => (now, Task::Continue),
            (Some(_), false) => (now, Task::Crawl),
            (None, _) => next(&site.watched, now),
        };
        if when > now {
            return Ok(Checked { due_in: from(now, when), ending: Ending::NotDue });
        }
        let looks_back = super::shared::LOOKS_BACK;
        let Some(job) = site.plan(task, &store, config, looks_back)? else {
            let (when, _) = next(&site.watched, now);
            return Ok(Checked { due_in: from(now, when), ending: Ending::NotDue });
        };
        let job = job.within(site.budget_left()).accepting(lease.wanted == Some(Wanted::Accept));
        let _ = doing.send(task.as_str());
        info!(site = %lease.site, task = task.as_str(), "begins");
        let saver = self.save_now_and_then(lease, place);
        let checks = self.workplace.checks.clone();
        let sent_as = site.settings().options.clone();
        // What a run has used before it is continued is not used again: the same response would
        // confirm itself.
        let is_new = lease.is_after_saved_pass && task != Task::Continue;
        let after = if is_new { lease.passed_at } else { Some(lease.taken_at) };
        let around = move |fetcher, clock| checks.around(fetcher, clock, &sent_as, after);
        let ended = drive(&site, job, around, stop).await;
        saver.abort();
        // A copy that is under way would be in the way of the last one.
        let _ = saver.await;
        let ended = ended?;
        let stopped = *stop.borrow();
        if !report(&store, (&lease.site, config, clock), &ended, stopped) {
            self.workplace.handle_incomplete();
        }
        let silent = self.workplace.session.terminal.silent();
        if let Err(failure) = write_files(&store, (config, clock), &site, &ended, silent) {
            self.workplace.handle_incomplete();
            error!(site = %lease.site, reason = failure.sentence(), "could not write a file");
        }
        if let Err(error) = results::delete_old_runs(&store) {
            warn!(site = %lease.site, reason = %error, "could not delete old runs");
        }
        site.look(&store, config)?;
        let now = clock.now().as_second();
        let (when, _) = next(&site.watched, now);
        let quiet = &site.settings().own.watching.quiet_hours;
        let is_quiet = quiet_until(clock.now(), quiet, &TimeZone::system()).is_some();
        let problem = match ended.state {
            RunState::Finished => None,
            RunState::Suspicious => Some(SUSPICIOUS),
            _ if ended.spent || stopped || is_quiet => None,
            _ if ended.run == 0 => Some("the run ended before the site responded"),
            _ => Some("the site refuses requests, or does not respond any more"),
        };
        if let Some(problem) = problem {
            let due_in = self.after_failure(lease).max(from(now, when));
            return Ok(Checked { due_in, ending: Ending::Failed(problem.to_owned()) });
        }
        // What was handed back can be taken at once.
        let due_in = if stopped { Duration::ZERO } else { from(now, when) };
        Ok(Checked { due_in, ending: Ending::Passed })
    }

    /// How long to wait after this failure, and those before it.
    fn after_failure(&self, lease: &Lease) -> Duration {
        let now = self.workplace.session.clock.now().as_second();
        let failed = Some((now, lease.failures.saturating_add(1)));
        let (when, _) = next(&SiteState { failed, ..SiteState::default() }, now);
        from(now, when)
    }

    /// Saves copies of the store while a long pass goes on.
    fn save_now_and_then(&self, lease: &Lease, place: &Place) -> tokio::task::JoinHandle<()> {
        let (store, copy) = (place.store(), place.copy(lease));
        let (workplace, lease) = (self.workplace.clone(), lease.clone());
        tokio::spawn(async move {
            loop {
                tokio::time::sleep(workplace.settings.snapshot_every).await;
                match results::snapshot(&workplace.results, &lease, &store, &copy).await {
                    Ok(Some(manifest)) => {
                        let (bytes, sent) = (manifest.bytes, manifest.sent);
                        let saved = workplace.results.save_snapshot(&lease, &manifest).await;
                        match saved {
                            Ok(()) => info!(site = %lease.site, bytes, sent, "store saved"),
                            Err(error) => {
                                warn!(site = %lease.site, reason = %error, "store not saved");
                            }
                        }
                    }
                    Ok(None) => {}
                    Err(failure) => {
                        warn!(site = %lease.site, reason = failure.sentence(), "store not saved");
                    }
                }
            }
        })
    }

    /// Saves what a pass leaves, and ends the lease. If the database is not available, waits for
    /// it: what was found is not given up.
    async fn save(&mut self, lease: &Lease, place: &Place, checked: Checked) {
        let workplace = self.workplace.clone();
        if matches!(checked.ending, Ending::Failed(_)) {
            workplace.handle_incomplete();
        }
        // A worker that is stopped has until then; after that, others go on from the last copy.
        let mut give_up = later(self.stop.clone());
        let save = || save_once(&workplace, lease, place, &checked);
        let saved = patiently("cannot save the results of a pass", &mut give_up, save).await;
        if saved.is_none() {
            workplace.handle_incomplete();
            warn!(site = %lease.site, "the results of this pass stay in its store on this machine");
        }
    }
}

/// How long it is from now until then, both in seconds; not at once.
fn from(now: i64, when: i64) -> Duration {
    let seconds = u64::try_from(when.saturating_sub(now)).unwrap_or_default();
    Duration::from_secs(seconds).max(BREATH)
}

/// Everything that a pass leaves, in one transaction.
async fn save_once(
    workplace: &Workplace,
    lease: &Lease,
    place: &Place,
    checked: &Checked,
) -> Result<(), FleetError> {
    let clock = workplace.session.clock;
    let (store, copy) = (place.store(), place.copy(lease));
    let gathered = match Config::parse(place.settings(), &lease.settings) {
        Ok(config) if store.exists() => {
            Some(results::gather(&store, &config, lease, clock).map_err(as_fleet_error)?)
        }
        _ => None,
    };
    let (pass, posted) = gathered.unwrap_or_default();
    let snapshot = results::snapshot(&workplace.results, lease, &store, &copy).await;
    let pass = Pass {
        snapshot: snapshot.map_err(as_fleet_error)?,
        ending: checked.ending.clone(),
        due_in: checked.due_in,
        ..pass
    };
    workplace.results.finish_pass(lease, &pass).await?;
    posted.handle_posted(&store, clock);
    Ok(())
}

/// An error of another kind stops the attempts to save.
fn as_fleet_error(failure: Failure) -> FleetError {
    match failure {
        Failure::Fleet(error) => error,
        other => FleetError::Damaged(other.sentence()),
    }
}

/// True some seconds after a signal.
fn later(stop: Stop) -> Stop {
    /// A worker that is stopped ends within ten seconds.
    const GRACE: Duration = Duration::from_secs(5);
    let (sender, late) = watch::channel(false);
    tokio::spawn(async move {
        let mut stop = stop;
        tokio::select! {
            () = rummage_engine::stopped(&mut stop) => {}
            () = sender.closed() => return,
        }
        tokio::time::sleep(GRACE).await;
        let _ = sender.send(true);
    });
    late
}
