//! What every job begins with: the store, the options given, and the settings file.

use std::path::Path;
use std::time::Duration;

use jiff::SignedDuration;
use rummage_core::crawl::Settings;
use rummage_engine as engine;
use rummage_store::{NewRun, NotifySettings, RunInfo, RunKind, RunWriter, StoreError};
use url::Url;

use super::plain;
use crate::args::CheckOptions;
use crate::choice;
use crate::clock::WallClock;
use crate::config::{Config, Placeholders, Section};
use crate::digests;
use crate::failure::Failure;

/// What a command knows before a job is planned.
pub(crate) struct JobContext<'a> {
    pub(crate) store: &'a Path,
    /// The options on the command line.
    pub(crate) given: &'a CheckOptions,
    /// The section of the settings file in force.
    pub(crate) section: Option<String>,
    pub(crate) file: &'a Config,
    pub(crate) clock: WallClock,
    /// What the job uses may have been observed by others, up to this long before it begins.
    pub(crate) looks_back: Duration,
}

/// The job's options, resolved: those given, over those of an earlier run, over the settings
/// file.
pub(super) struct JobSettings<'a> {
    pub(super) store: &'a Path,
    pub(super) section: Option<String>,
    /// The section over the defaults.
    pub(super) own: Section,
    pub(super) options: CheckOptions,
    pub(super) clock: WallClock,
    file: &'a Config,
    looks_back: Duration,
}

/// A duration as a span of calendar time.
fn span(time: Duration) -> SignedDuration {
    SignedDuration::try_from(time).unwrap_or(SignedDuration::ZERO)
}

impl<'a> JobContext<'a> {
    pub(super) fn resolve(self, earlier: Option<CheckOptions>) -> JobSettings<'a> {
        let JobContext { store, given, section, file, clock, looks_back } = self;
        let own = file.settings(section.as_deref());
        let options = given.clone().like(earlier, &own.options);
        JobSettings { store, section, own, options, clock, file, looks_back }
    }

    /// The same with the options of a run to continue, where none are given now.
    pub(super) fn resolve_as(self, run: &RunInfo) -> Result<JobSettings<'a>, Failure> {
        let earlier: CheckOptions = serde_json::from_str(&run.options)
            .map_err(|error| StoreError::Damaged(error.to_string()))?;
        let job = self.resolve(Some(earlier));
        job.check_headers(run)?;
        Ok(job)
    }
}

impl JobSettings<'_> {
    /// Checks that there are headers if a run has sent some: older versions did not store their
    /// names.
    pub(super) fn check_headers(&self, run: &RunInfo) -> Result<(), Failure> {
        if !run.own_fields || !self.options.header.is_empty() {
            return Ok(());
        }
        Err(Failure::Usage {
            what: format!(
                "run {} sent headers, and neither names nor values are stored",
                run.number
            ),
            hint: "Give them again with --header, or begin anew: rummage crawl".to_owned(),
        })
    }

    /// The settings of the crawl machine.
    pub(super) fn settings(&self) -> Result<Settings, Failure> {
        plain::settings(&self.options, &self.own)
    }

    /// How requests are made; `named` are the URLs that the user typed.
    pub(super) fn fetching(&self, named: &[Url]) -> Result<engine::Config, Failure> {
        plain::config(&self.options, named)
    }

    /// A run that begins now.
    pub(super) fn new_run(&self, given_start: &str, kind: RunKind) -> NewRun {
        let json = |options: &CheckOptions| {
            serde_json::to_string(options).expect("options are plain data")
        };
        // Times are stored in microseconds, so that output shows the same digits now and later.
        let now = self.clock.now();
        let now = jiff::Timestamp::from_microsecond(now.as_microsecond()).unwrap_or(now);
        NewRun {
            given_start: given_start.to_owned(),
            site: None,
            options: json(&self.options.without_secrets()),
            bounds: json(&self.options.bounds()),
            version: env!("CARGO_PKG_VERSION").to_owned(),
            started_at: now,
            kind,
            own_fields: !self.options.header.is_empty(),
            epoch_at: now.checked_sub(span(self.looks_back)).unwrap_or(now),
            placeholders_are_broken: self.own.own.placeholders == Some(Placeholders::Broken),
        }
    }

    /// A run that is continued.
    pub(super) fn continued(&self, run: &RunInfo) -> NewRun {
        NewRun {
            started_at: run.started_at,
            epoch_at: run.epoch_at,
            ..self.new_run(&run.given_start, run.kind)
        }
    }

    /// Opens the store to write a new run.
    pub(super) fn begin(&self, new: NewRun) -> Result<RunWriter, Failure> {
        let notify = self.notify(new.site.as_deref())?;
        Ok(RunWriter::begin(self.store, new)?.notify(notify))
    }

    /// Opens the store to continue a run.
    pub(super) fn resume(&self, run: i64, new: NewRun) -> Result<RunWriter, Failure> {
        let notify = self.notify(new.site.as_deref())?;
        Ok(RunWriter::resume(self.store, run, new)?.notify(notify))
    }

    /// Who is notified. Previews of a site are no news for those who watch the live one: there
    /// are digests of a folder only if it is the start of the section.
    fn notify(&self, site: Option<&str>) -> Result<NotifySettings, Failure> {
        let mut notify = digests::notify(self.file, self.store, &self.own, self.clock)?;
        if site.is_some_and(|site| !choice::starts_in(self.file, &self.own, site)) {
            notify.channels.clear();
        }
        Ok(notify)
    }
}
