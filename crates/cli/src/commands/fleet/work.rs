//! `rummage fleet work`.

use std::io::Write as _;
use std::path::PathBuf;

use etcetera::{BaseStrategy, choose_base_strategy};
use rummage_view::ViewError;

use super::unit;
use crate::args::{DatabaseArg, FleetWorkArgs, GlobalArgs};
use crate::clock::WallClock;
use crate::config::Config;
use crate::failure::{Exit, Failure};
use crate::fleet::address::address;
use crate::fleet::{WorkSettings, work};
use crate::jobs::runtime;
use crate::output::Terminal;
use crate::patrol::start_log;
use crate::session::Session;

pub(super) fn run(
    args: &FleetWorkArgs,
    database: &DatabaseArg,
    terminal: Terminal,
    global: &GlobalArgs,
    clock: WallClock,
) -> Result<Exit, Failure> {
    if args.emit.is_some() {
        write!(terminal.stdout(), "{}", unit::systemd(args)?).map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    }
    let address = address(database)?;
    let folder = match &args.folder {
        Some(folder) => folder.clone(),
        None => default_folder()?,
    };
    let settings = WorkSettings {
        once: args.once,
        sites: args.sites,
        folder,
        name: args.name.clone().unwrap_or_else(default_name),
        snapshot_every: args.snapshot_every.0,
        external_interval: args.external_rate.0,
    };
    // A worker has the settings of its sites from the database.
    let session = Session {
        config: Config::default(),
        config_file: None,
        store: PathBuf::new(),
        site: global.site.clone(),
        terminal,
        clock,
    };
    start_log(args.log, terminal, clock);
    runtime()?.block_on(work(address, settings, &session))
}

fn default_folder() -> Result<PathBuf, Failure> {
    match choose_base_strategy() {
        Ok(folders) => Ok(folders.data_dir().join("rummage").join("fleet")),
        Err(_) => Err(Failure::Usage {
            what: "there is no home folder for stores".to_owned(),
            hint: "Name a folder with --folder.".to_owned(),
        }),
    }
}

/// The machine and the process.
fn default_name() -> String {
    let machine = whoami::hostname().unwrap_or_else(|_| "worker".to_owned());
    format!("{machine}:{}", std::process::id())
}
