//! What a command finds when it begins: the options of every command, resolved once.

use std::path::PathBuf;

use rummage_store::{Reader, RunInfo};

use crate::args::Asking;
use crate::args::GlobalArgs;
use crate::clock::WallClock;
use crate::config::Config;
use crate::failure::Failure;
use crate::output::Terminal;
use crate::passes::Means;
use crate::{choice, digests, paths};

/// See the [module](self). Parts that need less are given less.
#[derive(Debug)]
pub(crate) struct Session {
    /// What the settings file says.
    pub(crate) config: Config,
    /// The settings file, where one was named.
    pub(crate) config_file: Option<PathBuf>,
    pub(crate) store: PathBuf,
    /// The site that was named.
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

    /// The store, to be read with what is waived in it.
    pub(crate) fn reader(&self) -> Result<Reader, Failure> {
        paths::reader(&self.store, &self.config, self.clock)
    }

    /// The run that was named, else the last of the site that was named, else the last.
    pub(crate) fn run(&self, reader: &Reader, number: Option<i64>) -> Result<RunInfo, Failure> {
        choice::run(reader, &self.config, self.site.as_deref(), number)
    }

    /// The name of a site's section in the settings file: as given, else by its host.
    pub(crate) fn section_of(&self, host: &str) -> Option<String> {
        choice::name_of(&self.config, self.site.as_deref(), host)
    }

    /// What a pass is planned with.
    pub(crate) fn means<'a>(&'a self, given: &'a Asking, section: Option<String>) -> Means<'a> {
        let Session { store, config: file, clock, .. } = self;
        Means { store, given, section, file, clock: *clock }
    }

    /// Delivers the digests that wait, and reports how that went.
    pub(crate) fn deliver_digests(&self, runtime: &tokio::runtime::Runtime) {
        let Session { store, config, terminal, clock, .. } = self;
        digests::deliver_and_say(runtime, store, config, *terminal, *clock);
    }
}
