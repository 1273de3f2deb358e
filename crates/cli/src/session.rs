//! What a command finds when it begins: the options of every command, resolved once.

use std::path::PathBuf;

use rummage_store::{Reader, RunInfo};

use crate::args::GlobalArgs;
use crate::config::Config;
use crate::failure::Failure;
use crate::output::Terminal;
use crate::{choice, paths};

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
}

impl Session {
    pub(crate) fn open(global: GlobalArgs, terminal: Terminal) -> Result<Session, Failure> {
        let config = Config::load(global.config.as_deref())?;
        let store = paths::store(global.store.as_deref(), &config)?;
        Ok(Session { config, config_file: global.config, store, site: global.site, terminal })
    }

    /// The store, to be read with what is waived in it.
    pub(crate) fn reader(&self) -> Result<Reader, Failure> {
        paths::reader(&self.store, &self.config)
    }

    /// The run that was named, else the last of the site that was named, else the last.
    pub(crate) fn run(&self, reader: &Reader, number: Option<i64>) -> Result<RunInfo, Failure> {
        choice::run(reader, &self.config, self.site.as_deref(), number)
    }

    /// The name of a site's section in the settings file: as given, else by its host.
    pub(crate) fn section_of(&self, host: &str) -> Option<String> {
        choice::name_of(&self.config, self.site.as_deref(), host)
    }
}
