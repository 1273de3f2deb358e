//! A patrol: rounds over sites, for as long as nobody asks it to end.
//!
//! What comes next is decided by [`rummage_core::schedule::patrol`] from what [`site`] looks up;
//! [`log`] tells of it. All that is kept is in the store, so that a patrol that is killed
//! goes on where it was. The clock on the wall is looked at anew each time, at least once
//! a minute: it may jump, and the machine may sleep.

mod log;
mod site;

use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::Timestamp;
use rummage_core::schedule::patrol::{Task, first};
use rummage_engine::{Ended, InternalError, Stop};
use rummage_store::{Guard, PatrolStatus, Reader, RunState, StoreError, patrol_of};
use rummage_view::safe;
use tokio::sync::watch;
use tracing::{debug, error, info, warn};

use crate::clock::WallClock;
use crate::config::Config;
use crate::digests;
use crate::failure::{Exit, Failure};
use crate::passes::Pass;
use crate::session::Session;
use crate::signals::stop_on_signal;
use log::Listener;
pub(crate) use log::start as start_log;
use site::Site;

/// How long it sleeps at most before it looks at the clock again.
const NAP: Duration = Duration::from_secs(60);
/// How long it waits for a store that another command writes to.
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
    /// With `once`: something could not be asked.
    incomplete: bool,
}

impl<'a> Patrol<'a> {
    /// Takes the place of the patrol of a store.
    pub(crate) fn new(
        store: &Path,
        config: Config,
        session: &'a Session,
        once: bool,
    ) -> Result<Patrol<'a>, Failure> {
        if let Some(folder) = store.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            let cannot =
                |why| Failure::System { what: "the folder of the store cannot be made", why };
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
                    format!("End that one first (kill {}), or leave it be.", status.process),
                ),
                None => (String::new(), "End that one first, or leave it be.".to_owned()),
            };
            return Err(Failure::Conflict {
                what: format!("a patrol of this store is up already{who}"),
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

    /// Makes rounds until it is asked to end, or has made one.
    pub(crate) async fn walk(mut self) -> Exit {
        let stop = stop_on_signal();
        let began = self.session.clock.now().as_second();
        let names: Vec<&str> = self.sites.iter().map(|site| site.name.as_str()).collect();
        info!(process = self.status.process, sites = names.join(" "), "patrol is up");
        while !*stop.borrow() {
            self.reload();
            self.look();
            self.deliver().await;
            let now = self.session.clock.now().as_second();
            let watched: Vec<_> = self.sites.iter().map(|site| site.watched.clone()).collect();
            let Some((at, when, task)) = first(&watched, now) else {
                self.nap(NAP, &stop).await;
                continue;
            };
            // One round does what was due when it began, once.
            if when > if self.once { began } else { now } {
                if self.once {
                    let next = Timestamp::from_second(when).map(rummage_view::when);
                    let site = &self.sites[at].name;
                    info!(site = %site, task = task.as_str(), at = next.ok(), "next");
                    break;
                }
                self.wait(at, task, when, now, &stop).await;
            } else {
                self.ask(at, task, &stop).await;
            }
        }
        info!("patrol ends");
        self.status = PatrolStatus {
            site: None,
            task: None,
            next_at: None,
            ended_at: Some(self.session.clock.now()),
            ..self.status
        };
        self.tell();
        if self.once && (self.incomplete || *stop.borrow()) { Exit::Unfinished } else { Exit::Fine }
    }

    /// Takes settings that were changed, and keeps the old ones where the new are wrong.
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
                self.handle_problem("the settings as they were hold still", &failure.sentence());
            }
        }
    }

    /// Brings what is known of each site up to date with the store and the clock.
    fn look(&mut self) {
        let mut problems = Vec::new();
        for site in &mut self.sites {
            if let Err(failure) = site.look(&self.store, &self.config) {
                site.hold_for(NAP);
                problems.push((site.name.clone(), failure.sentence()));
            }
        }
        for (name, why) in problems {
            self.incomplete = true;
            self.handle_problem(&format!("what is known of {name} cannot be read"), &why);
        }
    }

    /// One pass over a site.
    async fn ask(&mut self, at: usize, task: Task, stop: &Stop) {
        let name = self.sites[at].name.clone();
        self.status = PatrolStatus {
            site: Some(name.clone()),
            task: Some(task.as_str().to_owned()),
            next_at: None,
            ..self.status.clone()
        };
        self.tell();
        let pass = match self.sites[at].plan(task, &self.store, &self.config) {
            Ok(Some(pass)) => pass.within(self.sites[at].budget_left()),
            // What was due is not any more.
            Ok(None) => return,
            Err(failure) => return self.handle_failure(at, &name, failure, stop).await,
        };
        info!(site = %name, task = task.as_str(), "begins");
        let ended = self.drive(at, pass, stop).await;
        match ended {
            Ok(ended) => {
                let site = &mut self.sites[at];
                // Where nothing was stored, or the site would have no more of it, it is not
                // asked again at once.
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
                self.report(&name, &ended, *stop.borrow());
            }
            Err(failure) => self.handle_failure(at, &name, failure, stop).await,
        }
    }

    /// Drives a pass until it ends, somebody says stop, or its hours or budget are over.
    async fn drive(&mut self, at: usize, pass: Pass, stop: &Stop) -> Result<Ended, Failure> {
        let (sender, own_stop) = watch::channel(false);
        let site = &self.sites[at];
        let mut listener = Listener::new(site.name.clone());
        let quiet = site.quiet_from();
        let mut others = stop.clone();
        let halt = async {
            tokio::select! {
                _ = others.wait_for(|stopped| *stopped) => {}
                () = sleep_until(self.session.clock, quiet) => info!("quiet hours begin: what is left waits"),
            }
            let _ = sender.send(true);
            std::future::pending::<()>().await;
        };
        tokio::select! {
            ended = pass.drive(own_stop, &mut listener) => ended,
            () = halt => unreachable!("it waits for ever"),
        }
    }

    /// Says what a pass found.
    fn report(&mut self, name: &str, ended: &Ended, stopped: bool) {
        for InternalError { url, message } in &ended.internal_errors {
            self.incomplete = true;
            error!(site = %name, run = ended.run, url, message, "internal error");
        }
        let reader = crate::paths::reader(&self.store, &self.config, self.session.clock);
        let row = reader.and_then(|reader| Ok(reader.site_row(reader.run(ended.run)?, 1)?));
        match (ended.state, row) {
            (RunState::Finished, Ok(row)) => {
                let changes = row.changes;
                info!(
                    site = %name,
                    run = ended.run,
                    pages = row.pages,
                    broke = changes.broke + changes.returned,
                    healed = changes.healed,
                    open = changes.open + changes.unseen + changes.broke + changes.returned,
                    "ended"
                );
            }
            (RunState::Finished, Err(failure)) => {
                warn!(site = %name, run = ended.run, why = failure.sentence(), "ended");
            }
            _ => {
                self.incomplete = true;
                let why = match (stopped, ended.spent) {
                    (true, _) => "it was asked to end",
                    (_, true) => "the budget of this hour is spent: what is left waits",
                    _ => "it goes on later",
                };
                info!(site = %name, run = ended.run, why, "stopped");
            }
        }
    }

    /// Something could not be asked. A store that another command writes to is waited for.
    async fn handle_failure(&mut self, at: usize, name: &str, failure: Failure, stop: &Stop) {
        if matches!(failure, Failure::Store(StoreError::Busy)) {
            info!(site = %name, "another command writes to the store: waiting for it");
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
        let why = failure.sentence();
        self.handle_problem(&format!("{name} could not be asked, and is tried again"), &why);
    }

    fn handle_problem(&mut self, what: &str, why: &str) {
        let problem = format!("{what}: {why}");
        // The same again is no news.
        if self.status.problem.as_ref() == Some(&problem) {
            debug!(why, "{what}");
        } else {
            error!(why, "{what}");
            self.status.problem = Some(problem);
        }
    }

    async fn deliver(&mut self) {
        if self.sites.iter().all(|site| site.held_by_hours()) {
            return;
        }
        // Without a store there is nothing to send yet.
        if Reader::open(&self.store).is_err() {
            return;
        }
        match digests::deliver(&self.store, &self.config, self.session.clock).await {
            Ok(deliveries) => {
                for delivery in deliveries {
                    let (site, channel) = (delivery.site.clone(), delivery.channel.as_str());
                    match &delivery.result {
                        Ok(how) => info!(site, channel, how = %safe(how), "digest sent"),
                        Err(why) => {
                            let next = delivery.next_at.map(|at| at.to_string());
                            warn!(site, channel, why = %safe(why), next, "digest not sent");
                        }
                    }
                }
            }
            Err(failure) => warn!(why = failure.sentence(), "digests could not be sent"),
        }
    }

    /// Waits for what is next, or for a look at the clock.
    async fn wait(&mut self, at: usize, task: Task, when: i64, now: i64, stop: &Stop) {
        let next_at = Timestamp::from_second(when).ok();
        let site = self.sites[at].name.clone();
        let task = task.as_str().to_owned();
        let told = (Some(&site), Some(&task), next_at);
        if (self.status.site.as_ref(), self.status.task.as_ref(), self.status.next_at) != told {
            let at = next_at.map(rummage_view::when).unwrap_or_default();
            info!(site, task, at, "waits");
            (self.status.site, self.status.task, self.status.next_at) =
                (Some(site), Some(task), next_at);
            self.tell();
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

    fn tell(&self) {
        if let Err(why) = self.guard.tell(&self.status) {
            debug!(why = why.to_string(), "what the patrol does could not be written");
        }
    }
}

/// Waits until the clock on the wall shows that time, wherever it jumps meanwhile.
async fn sleep_until(clock: WallClock, at: Option<Timestamp>) {
    let Some(at) = at else { return std::future::pending().await };
    loop {
        let left = at.duration_since(clock.now());
        match Duration::try_from(left) {
            Ok(left) if !left.is_zero() => tokio::time::sleep(left.min(NAP)).await,
            _ => return,
        }
    }
}
