//! What every pass begins with: where it is stored, what was typed, and the settings below.

use std::path::Path;

use rummage_core::crawl::Settings;
use rummage_engine as engine;
use rummage_store::{NewRun, RunKind, RunWriter};
use url::Url;

use super::plain;
use crate::args::Asking;
use crate::clock::WallClock;
use crate::config::{Config, Placeholders, Section};
use crate::digests;
use crate::failure::Failure;

/// What a command knows before a pass is planned.
pub(crate) struct Means<'a> {
    pub(crate) store: &'a Path,
    /// What was typed.
    pub(crate) given: &'a Asking,
    /// The section of the settings file that holds.
    pub(crate) section: Option<String>,
    pub(crate) file: &'a Config,
    pub(crate) clock: WallClock,
}

/// The same with all options settled: what was typed, over what an earlier run was given,
/// over the settings file.
pub(super) struct Settled<'a> {
    pub(super) store: &'a Path,
    pub(super) section: Option<String>,
    /// The section over the defaults.
    pub(super) own: Section,
    pub(super) asking: Asking,
    pub(super) clock: WallClock,
    file: &'a Config,
}

impl<'a> Means<'a> {
    pub(super) fn settle(self, earlier: Option<Asking>) -> Settled<'a> {
        let Means { store, given, section, file, clock } = self;
        let own = file.settled(section.as_deref());
        let given = match earlier {
            Some(earlier) => given.clone().or(earlier),
            None => given.clone(),
        };
        let asking = given.or(own.asking.clone());
        Settled { store, section, own, asking, clock, file }
    }
}

impl Settled<'_> {
    /// The settings of the machine.
    pub(super) fn settings(&self) -> Result<Settings, Failure> {
        plain::settings(&self.asking, &self.own)
    }

    /// How requests are made; the first URL is the site's own.
    pub(super) fn fetching(&self, first: Option<&Url>) -> Result<engine::Config, Failure> {
        plain::config(&self.asking, first)
    }

    /// A run that begins now.
    pub(super) fn new_run(&self, asked_for: &str, kind: RunKind) -> NewRun {
        let json = |asking: &Asking| serde_json::to_string(asking).expect("options are plain data");
        // Moments are kept in microseconds: what is told of them later is the same to the digit.
        let now = self.clock.now();
        let now = jiff::Timestamp::from_microsecond(now.as_microsecond()).unwrap_or(now);
        NewRun {
            asked_for: asked_for.to_owned(),
            options: json(&self.asking.without_secrets()),
            bounds: json(&self.asking.bounds()),
            version: env!("CARGO_PKG_VERSION").to_owned(),
            started_at: now,
            kind,
            own_fields: !self.asking.header.is_empty(),
            epoch_at: now,
            placeholders_are_broken: self.own.own.placeholders == Some(Placeholders::Broken),
        }
    }

    /// Opens the store to write a new run.
    pub(super) fn begin(&self, new: NewRun) -> Result<RunWriter, Failure> {
        let telling = digests::telling(self.file, self.store, &self.own, self.clock)?;
        Ok(RunWriter::begin(self.store, new)?.telling(telling))
    }

    /// Opens the store to go on with a run.
    pub(super) fn resume(&self, run: i64, new: NewRun) -> Result<RunWriter, Failure> {
        let telling = digests::telling(self.file, self.store, &self.own, self.clock)?;
        Ok(RunWriter::resume(self.store, run, new)?.telling(telling))
    }
}
