//! A watched site: its state, and the next job on it.

use std::path::Path;
use std::time::Duration;

use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use rummage_core::Seconds;
use rummage_core::schedule::patrol::{Budget, SiteState, Task};
use rummage_store::{Reader, RunInfo, RunKind, RunState, StoreError};

use crate::clock::WallClock;
use crate::config::{Config, Section};
use crate::failure::Failure;
use crate::hours::{quiet_from, quiet_until};
use crate::jobs::plain::of_environment;
use crate::jobs::{CrawlJob, JobContext, PAGES_OF_DUE, due_by, plan};
use crate::session::Session;
use crate::start::Start;
use crate::{choice, paths, start, urls};

/// A stopped run older than this, and older than the crawl interval, is not continued.
const WEEK: Seconds = 7 * 24 * 60 * 60;

/// A watched site.
pub(crate) struct Site {
    /// Its name in the settings file, else its host.
    pub(crate) name: String,
    /// Its state, from which the core decides.
    pub(crate) watched: SiteState,
    start: Start,
    settings: Section,
    pub(crate) clock: WallClock,
    /// What is left of its hourly budget, from the store.
    budget: Option<Budget>,
    /// The last run and the settings for which the due time was determined.
    known: Option<(i64, Section)>,
    /// The last run of the site.
    last: Option<RunInfo>,
}

/// The sites to watch: those in the settings file, else those in the store.
pub(crate) fn of(config: &Config, store: &Path, session: &Session) -> Result<Vec<Site>, Failure> {
    let mut starts = Vec::new();
    match &session.site {
        Some(name) if config.sites.contains_key(name) => {
            starts.push((name.clone(), start::resolve(None, None, config, Some(name))?));
        }
        Some(name) => {
            let run = choice::last_of(&Reader::open(store)?, config, name)?;
            starts.push((run.site, Start { text: run.given_start, site: None }));
        }
        None => {
            for (name, section) in &config.sites {
                if section.own.start.is_some() {
                    starts.push((name.clone(), start::resolve(None, None, config, Some(name))?));
                }
            }
        }
    }
    if starts.is_empty() && store.exists() {
        for site in Reader::open(store)?.sites()? {
            if site.last.kind == RunKind::Probe {
                continue;
            }
            let section = choice::by_host(config, &site.last.site);
            let start = Start { text: site.last.given_start, site: section };
            starts.push((site.last.site, start));
        }
    }
    if starts.is_empty() {
        return Err(Failure::Usage {
            what: "no site to watch".to_owned(),
            hint: "Add one to rummage.toml (rummage init www.example.test), or crawl one first."
                .to_owned(),
        });
    }
    Ok(starts
        .into_iter()
        .map(|(name, start)| Site::new(name, start, config, session.clock))
        .collect())
}

impl Site {
    /// The site with this name in a settings file.
    pub(crate) fn named(name: &str, config: &Config, clock: WallClock) -> Result<Site, Failure> {
        let start = start::resolve(None, None, config, Some(name))?;
        Ok(Site::new(name.to_owned(), start, config, clock))
    }

    fn new(name: String, start: Start, config: &Config, clock: WallClock) -> Site {
        let settings = config.settings(start.site.as_deref());
        let watched = SiteState { every: settings.own.watching.every(), ..SiteState::default() };
        Site { name, watched, start, settings, clock, budget: None, known: None, last: None }
    }

    /// Its settings, as last loaded.
    pub(crate) fn settings(&self) -> &Section {
        &self.settings
    }

    /// Takes over the state from before the settings were reloaded.
    pub(crate) fn take_over(&mut self, before: &mut Site) {
        let every = self.watched.every;
        self.watched = SiteState { every, ..std::mem::take(&mut before.watched) };
        self.known = before.known.take();
    }

    /// Updates the state from the store and the clock.
    pub(crate) fn look(&mut self, store: &Path, config: &Config) -> Result<(), Failure> {
        let now = self.clock.now();
        let quiet = &self.settings.own.watching.quiet_hours;
        self.watched.held = quiet_until(now, quiet, &TimeZone::system()).map(Timestamp::as_second);
        self.budget = self.settings.own.watching.patrol_per_hour.map(Budget::per_hour);
        if !store.exists() {
            return Ok(());
        }
        let reader = paths::reader(store, config, self.clock)?;
        let Some(last) = last_run(&reader, &self.start)? else { return Ok(()) };
        self.find_budget(&reader, &last.site, now)?;
        let crawl = reader.last_crawl_of(&last.site)?;
        self.watched.crawled = crawl.map(|crawl| crawl.started_at.as_second());
        let began = last.started_at.as_second();
        self.watched.passed = Some(began);
        // A crawl that its budget stops again and again still gets to its end.
        let is_recent = began.saturating_add(self.watched.every.max(WEEK)) > now.as_second();
        self.watched.unfinished = !last.state.is_complete() && is_recent;
        self.find_due(&reader, &last, now)?;
        self.last = Some(last);
        Ok(())
    }

    /// Determines what is left of its hourly budget. Requests of all commands count.
    fn find_budget(&mut self, reader: &Reader, site: &str, now: Timestamp) -> Result<(), Failure> {
        let Some(budget) = &mut self.budget else { return Ok(()) };
        let hour = now.checked_sub(SignedDuration::from_hours(1)).unwrap_or(now);
        for (at, requests) in reader.requests_since(site, hour)? {
            budget.spend(at, requests);
        }
        let free = budget.free_at(now.as_second());
        if free > now.as_second() {
            self.watched.held = self.watched.held.max(Some(free));
        }
        Ok(())
    }

    /// Determines when the next of its URLs is due, if something has changed.
    fn find_due(&mut self, reader: &Reader, last: &RunInfo, now: Timestamp) -> Result<(), Failure> {
        let is_known = self.known.as_ref().is_some_and(|(run, settings)| {
            *run == last.number && settings.own.due.policy() == self.settings.own.due.policy()
        });
        if is_known {
            return Ok(());
        }
        let base = match last.state {
            RunState::Finished => Some(last.clone()),
            _ => reader.last_finished_of(&last.site)?,
        };
        self.watched.due = match base {
            None => None,
            Some(base) => {
                let run = reader.open_run(base)?;
                let plan = plan(reader, &run, &self.settings.own.due.policy(), now)?;
                plan.planned.iter().map(|planned| planned.at).min()
            }
        };
        self.known = Some((last.number, self.settings.clone()));
        Ok(())
    }

    /// The job for a task, ready to run; `None` if there is nothing to do. What it uses may have
    /// been observed up to `looks_back` before it begins.
    pub(crate) fn plan(
        &mut self,
        task: Task,
        store: &Path,
        config: &Config,
        looks_back: Duration,
    ) -> Result<Option<CrawlJob>, Failure> {
        let given = of_environment()?;
        let section = self.start.site.clone();
        let clock = self.clock;
        let context = JobContext { store, given: &given, section, file: config, clock, looks_back };
        match (task, &self.last) {
            (Task::Continue, Some(last)) => CrawlJob::resume(context, last.clone()).map(Some),
            (Task::Recheck, Some(last)) => {
                let now = self.clock.now();
                let reader = paths::reader(store, config, self.clock)?;
                let base = reader.last_finished_of(&last.site)?.ok_or(StoreError::NoRun)?;
                let run = reader.open_run(base)?;
                let plan = plan(&reader, &run, &self.settings.own.due.policy(), now)?;
                let mut targets = due_by(&plan, now);
                if let Some(budget) = &mut self.budget {
                    targets.truncate(
                        usize::try_from(budget.left(now.as_second())).unwrap_or(usize::MAX),
                    );
                }
                if targets.is_empty() {
                    self.known = None;
                    // Looks again when the next URL is due.
                    self.watched.due = plan.planned.iter().map(|planned| planned.at).min();
                    return Ok(None);
                }
                CrawlJob::recheck(context, &run, &targets, PAGES_OF_DUE).map(Some)
            }
            _ => CrawlJob::crawl(context, self.start.clone(), false).map(Some),
        }
    }

    /// A job ended or was stopped.
    pub(crate) fn handle_passed(&mut self) {
        self.watched.failed = None;
    }

    /// Makes no requests for some time.
    pub(crate) fn hold_for(&mut self, time: Duration) {
        let until = self.clock.now().checked_add(time).unwrap_or(Timestamp::MAX);
        self.watched.held = Some(until.as_second());
    }

    /// A job failed.
    pub(crate) fn handle_failed(&mut self) {
        let times = self.watched.failed.map_or(0, |(_, times)| times);
        self.watched.failed = Some((self.clock.now().as_second(), times + 1));
    }

    /// How many requests may be made now; `None` if unlimited.
    pub(crate) fn budget_left(&mut self) -> Option<u64> {
        let now = self.clock.now().as_second();
        self.budget.as_mut().map(|budget| budget.left(now))
    }

    /// When its next quiet hours begin.
    pub(crate) fn quiet_from(&self) -> Option<Timestamp> {
        let quiet = &self.settings.own.watching.quiet_hours;
        quiet_from(self.clock.now(), quiet, &TimeZone::system())
    }

    /// Whether these are its quiet hours.
    pub(crate) fn held_by_hours(&self) -> bool {
        let quiet = &self.settings.own.watching.quiet_hours;
        quiet_until(self.clock.now(), quiet, &TimeZone::system()).is_some()
    }
}

/// The last run of a site, wherever its start URL led.
fn last_run(reader: &Reader, start: &Start) -> Result<Option<RunInfo>, Failure> {
    let led_to = reader.site_of(&start.text)?;
    // For a folder, only the store knows its URL.
    let hosts = urls::candidates(&start.text).unwrap_or_default();
    for host in led_to.into_iter().chain(hosts.iter().map(urls::host)) {
        if let Some(run) = reader.last_run_of(&host)? {
            return Ok(Some(run));
        }
    }
    Ok(None)
}
