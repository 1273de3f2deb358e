//! The options of every command, resolved once when a command begins.

use std::path::PathBuf;
use std::time::Duration;

use rummage_store::{Reader, RunInfo};

use crate::args::CheckOptions;
use crate::args::GlobalArgs;
use crate::clock::WallClock;
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::jobs::JobContext;
use crate::output::Terminal;
use crate::{choice, digests, paths};

/// See the [module](self). Code that needs less is passed less.
#[derive(Debug, Clone)]
pub(crate) struct Session {
    /// The settings file.
    pub(crate) config: Config,
    /// The path of the settings file, if one was named.
    pub(crate) config_file: Option<PathBuf>,
    pub(crate) store: PathBuf,
    /// The site, if one was named.
    pub(crate) site: Option<String>,
    pub(crate) terminal: Terminal,
    pub(crate) clock: WallClock,
}

impl Session {
    pub(crate) fn open(
        global: GlobalArgs,
        terminal: Terminal,
        clock: WallClock,
    ) -> Result<Session, Failure> {
        let config = Config::load(global.config.as_deref())?;
        let store = paths::store(global.store.as_deref(), &config)?;
        Ok(Session {
            config,
            config_file: global.config,
            store,
            site: global.site,
            terminal,
            clock,
        })
    }

    /// Opens the store with today's waivers applied.
    pub(crate) fn reader(&self) -> Result<Reader, Failure> {
        paths::reader(&self.store, &self.config, self.clock)
    }

    /// The run with this number, else the last run of the named site, else the last run.
    pub(crate) fn run(&self, reader: &Reader, number: Option<i64>) -> Result<RunInfo, Failure> {
        choice::run(reader, &self.config, self.site.as_deref(), number)
    }

    /// The name of a site's section in the settings file: the given name, else found by host.
    pub(crate) fn section_of(&self, host: &str) -> Option<String> {
        choice::name_of(&self.config, self.site.as_deref(), host)
    }

    /// What a job is planned with.
    pub(crate) fn context<'a>(
        &'a self,
        given: &'a CheckOptions,
        section: Option<String>,
    ) -> JobContext<'a> {
        let Session { store, config: file, clock, .. } = self;
        JobContext { store, given, section, file, clock: *clock, looks_back: Duration::ZERO }
    }

    /// Runs a command that reads a store while it writes to it. When it has ended, the file of the
    /// store has everything. If that fails, its log has it, as before.
    pub(crate) fn writing(
        &self,
        run: impl FnOnce(&Session) -> Result<Exit, Failure>,
    ) -> Result<Exit, Failure> {
        let exit = run(self);
        let _ = rummage_store::write_back(&self.store);
        exit
    }

    /// Delivers queued digests, and reports the results.
    pub(crate) fn deliver_digests(&self, runtime: &tokio::runtime::Runtime) {
        let Session { store, config, terminal, clock, .. } = self;
        digests::deliver_and_say(runtime, store, config, *terminal, *clock);
    }
}
