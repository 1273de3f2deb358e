//! A patrol: rounds over sites until a signal stops it.
//!
//! [`rummage_core::schedule::patrol`] decides what comes next, from what [`site`] looks up;
//! [`log`] reports it. All state is in the store, so that a patrol that is killed continues where
//! it was. The wall clock is read again each time, at least once a minute: it may jump, and the
//! machine may sleep.

mod log;
mod pass;
mod site;

use std::ops::Range;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use jiff::Timestamp;
use rummage_core::schedule::patrol::{Task, first};
use rummage_engine::Stop;
use rummage_store::{Guard, PatrolStatus, Reader, RunState, StoreError, patrol_of};
use rummage_view::safe;
use tracing::{debug, error, info, warn};

use crate::config::Config;
use crate::digests;
use crate::failure::{Exit, Failure};
use crate::session::Session;
use crate::signals::stop_on_signal;
pub(crate) use log::start as start_log;
use pass::NAP;
pub(crate) use pass::{drive, report, write_files};
pub(crate) use site::Site;

/// How long to wait for a store that another command is writing to.
const BUSY: Duration = Duration::from_secs(15);

/// A patrol of one store.
pub(crate) struct Patrol<'a> {
    store: PathBuf,
    config: Config,
    session: &'a Session,
    guard: Guard,
    status: PatrolStatus,
    sites: Vec<Site>,
    once: bool,
    /// With `once`: something could not be checked.
    incomplete: bool,
}

impl<'a> Patrol<'a> {
    /// Takes the patrol lock of a store.
    pub(crate) fn new(
        store: &Path,
        config: Config,
        session: &'a Session,
        once: bool,
    ) -> Result<Patrol<'a>, Failure> {
        if let Some(folder) = store.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            let cannot =
                |reason| Failure::System { what: "cannot create the folder of the store", reason };
            std::fs::create_dir_all(folder).map_err(cannot)?;
        }
        let Some(guard) = Guard::take(store)? else {
            let (who, hint) = match patrol_of(store) {
                Some((status, _)) => (
                    format!(
                        ": process {}, since {}",
                        status.process,
                        rummage_view::when(status.since)
                    ),
                    format!("Stop that one first (kill {}), or leave it running.", status.process),
                ),
                None => (String::new(), "Stop that one first, or leave it running.".to_owned()),
            };
            return Err(Failure::Conflict {
                what: format!("a patrol of this store is already running{who}"),
                hint,
            });
        };
        let status = PatrolStatus {
            process: std::process::id(),
            since: session.clock.now(),
            site: None,
            task: None,
            next_at: None,
            problem: None,
            ended_at: None,
        };
        let sites = site::of(&config, store, session)?;
        Ok(Patrol {
            store: store.to_owned(),
            config,
            session,
            guard,
            status,
            sites,
            once,
            incomplete: false,
        })
    }

    /// Makes rounds until a signal stops it, or a single one.
    pub(crate) async fn run(mut self) -> Exit {
        let stop = stop_on_signal();
        let began = self.session.clock.now().as_second();
        let names: Vec<&str> = self.sites.iter().map(|site| site.name.as_str()).collect();
        info!(process = self.status.process, sites = names.join(" "), "patrol started");
        // When everything was looked at, and the site that was checked since.
        let mut looked: Option<Instant> = None;
        let mut checked = None;
        while !*stop.borrow() {
            let lately = looked.is_some_and(|at| at.elapsed() < NAP);
            match checked.take().filter(|_| lately) {
                // With many sites, to look at all of them takes longer than to check one.
                Some(at) => self.look(at..at + 1),
                None => {
                    self.reload();
                    self.look(0..self.sites.len());
                    looked = Some(Instant::now());
                }
            }
            self.deliver(&stop).await;
            let now = self.session.clock.now().as_second();
            let watched: Vec<_> = self.sites.iter().map(|site| site.watched.clone()).collect();
            let Some((at, when, task)) = first(&watched, now) else {
                self.nap(NAP, &stop).await;
                continue;
            };
            // A single round does what was due when it began.
            if when > if self.once { began } else { now } {
                if self.once {
                    let next = Timestamp::from_second(when).map(rummage_view::when);
                    let site = &self.sites[at].name;
                    info!(site = %site, task = task.as_str(), at = next.ok(), "next");
                    break;
                }
                self.wait(at, task, when, now, &stop).await;
            } else {
                self.check(at, task, &stop).await;
                checked = Some(at);
            }
        }
        info!("patrol stopped");
        self.status = PatrolStatus {
            site: None,
            task: None,
            next_at: None,
            ended_at: Some(self.session.clock.now()),
            ..self.status
        };
        self.publish();
        if self.once && (self.incomplete || *stop.borrow()) { Exit::Unfinished } else { Exit::Fine }
    }

    /// Loads changed settings, and keeps the old ones if the new ones are invalid.
    fn reload(&mut self) {
        let loaded = Config::load(self.session.config_file.as_deref());
        let sites = loaded.and_then(|config| {
            let sites = site::of(&config, &self.store, self.session)?;
            Ok((config, sites))
        });
        match sites {
            Ok((config, mut sites)) => {
                for site in &mut sites {
                    if let Some(known) = self.sites.iter_mut().find(|known| known.name == site.name)
                    {
                        site.take_over(known);
                    }
                }
                (self.config, self.sites) = (config, sites);
            }
            Err(failure) => {
                self.handle_problem("keeping the previous settings", &failure.sentence());
            }
        }
    }

    /// Updates the state of these sites from the store and the clock.
    fn look(&mut self, which: Range<usize>) {
        let mut problems = Vec::new();
        for site in &mut self.sites[which] {
            if let Err(failure) = site.look(&self.store, &self.config) {
                site.hold_for(NAP);
                problems.push((site.name.clone(), failure.sentence()));
            }
        }
        for (name, reason) in problems {
            self.incomplete = true;
            self.handle_problem(&format!("cannot read the state of {name}"), &reason);
        }
    }

    /// Runs one job on a site.
    async fn check(&mut self, at: usize, task: Task, stop: &Stop) {
        let name = self.sites[at].name.clone();
        self.status = PatrolStatus {
            site: Some(name.clone()),
            task: Some(task.as_str().to_owned()),
            next_at: None,
            ..self.status.clone()
        };
        self.publish();
        let pass = match self.sites[at].plan(task, &self.store, &self.config, Duration::ZERO) {
            Ok(Some(pass)) => pass.within(self.sites[at].budget_left()),
            // Nothing is due any more.
            Ok(None) => return,
            Err(failure) => return self.handle_failure(at, &name, failure, stop).await,
        };
        info!(site = %name, task = task.as_str(), "begins");
        let ended = drive(&self.sites[at], pass, |fetcher, _| fetcher, stop).await;
        match ended {
            Ok(ended) => {
                let site = &mut self.sites[at];
                // If nothing was stored, or the site is refusing requests or seems to be elsewhere,
                // do not try again at once.
                let may_go_on = ended.run > 0
                    && (ended.state == RunState::Finished
                        || ended.spent
                        || *stop.borrow()
                        || site.held_by_hours());
                match may_go_on {
                    true => site.handle_passed(),
                    false => site.handle_failed(),
                }
                self.status.problem = None;
                let site = (name.as_str(), &self.config, self.session.clock);
                self.incomplete |= !report(&self.store, site, &ended, *stop.borrow());
                let (store, site) = (&self.store, &self.sites[at]);
                let (config, clock) = (&self.config, self.session.clock);
                let silent = self.session.terminal.silent();
                let written = write_files(store, (config, clock), site, &ended, silent);
                if let Err(failure) = written {
                    self.incomplete = true;
                    error!(site = %name, reason = failure.sentence(), "could not write a file");
                }
            }
            Err(failure) => self.handle_failure(at, &name, failure, stop).await,
        }
    }

    /// Handles a site that could not be checked. If another command is writing to the store,
    /// waits for it.
    async fn handle_failure(&mut self, at: usize, name: &str, failure: Failure, stop: &Stop) {
        if matches!(failure, Failure::Store(StoreError::Busy)) {
            info!(site = %name, "waiting for another command to finish writing to the store");
            if self.once {
                self.incomplete = true;
                self.sites[at].handle_failed();
            } else {
                self.nap(BUSY, stop).await;
            }
            return;
        }
        self.incomplete = true;
        self.sites[at].handle_failed();
        let reason = failure.sentence();
        self.handle_problem(&format!("{name} could not be checked; retrying later"), &reason);
    }

    fn handle_problem(&mut self, what: &str, reason: &str) {
        let problem = format!("{what}: {reason}");
        // A repeated problem is logged only at debug level.
        if self.status.problem.as_ref() == Some(&problem) {
            debug!(reason, "{what}");
        } else {
            error!(reason, "{what}");
            self.status.problem = Some(problem);
        }
    }

    async fn deliver(&mut self, stop: &Stop) {
        if self.sites.iter().all(|site| site.held_by_hours()) {
            return;
        }
        // Without a store, there is nothing to send yet.
        if Reader::open(&self.store).is_err() {
            return;
        }
        match digests::deliver(&self.store, &self.config, self.session.clock, stop).await {
            Ok(deliveries) => {
                for delivery in deliveries {
                    let (site, channel) = (delivery.site.clone(), delivery.channel.as_str());
                    match &delivery.result {
                        Ok(how) => info!(site, channel, how = %safe(how), "digest sent"),
                        Err(reason) => {
                            let next = delivery.next_at.map(|at| at.to_string());
                            warn!(site, channel, reason = %safe(reason), next, "digest not sent");
                        }
                    }
                }
            }
            Err(failure) => warn!(reason = failure.sentence(), "could not send digests"),
        }
    }

    /// Waits for the next task, or until it is time to read the clock again.
    async fn wait(&mut self, at: usize, task: Task, when: i64, now: i64, stop: &Stop) {
        let next_at = Timestamp::from_second(when).ok();
        let site = self.sites[at].name.clone();
        let task = task.as_str().to_owned();
        let next = (Some(&site), Some(&task), next_at);
        if (self.status.site.as_ref(), self.status.task.as_ref(), self.status.next_at) != next {
            let at = next_at.map(rummage_view::when).unwrap_or_default();
            info!(site, task, at, "waits");
            (self.status.site, self.status.task, self.status.next_at) =
                (Some(site), Some(task), next_at);
            self.publish();
        }
        let left = u64::try_from(when - now).map_or(NAP, Duration::from_secs);
        self.nap(left.min(NAP), stop).await;
    }

    async fn nap(&self, time: Duration, stop: &Stop) {
        let mut stop = stop.clone();
        tokio::select! {
            () = tokio::time::sleep(time) => {}
            _ = stop.wait_for(|stopped| *stopped) => {}
        }
    }

    fn publish(&self) {
        if let Err(reason) = self.guard.publish(&self.status) {
            debug!(reason = reason.to_string(), "could not write the patrol's status");
        }
    }
}
