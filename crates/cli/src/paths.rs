//! Where files are kept.

use std::path::{Path, PathBuf};

use etcetera::{BaseStrategy, choose_base_strategy};

use rummage_core::findings::waiver::Waivers;
use rummage_store::Reader;

use crate::clock::WallClock;
use crate::config::Config;
use crate::failure::Failure;
use crate::waivers;

/// The store: the named file, else the one beside the settings file, else one in the user's data
/// folder (XDG Base Directory Specification, or its equivalent on other systems).
pub(crate) fn store(named: Option<&Path>, config: &Config) -> Result<PathBuf, Failure> {
    if let Some(named) = named {
        return Ok(named.to_owned());
    }
    if let Some(folder) = config.folder() {
        return Ok(folder.join("rummage.db"));
    }
    match choose_base_strategy() {
        Ok(folders) => Ok(folders.data_dir().join("rummage").join("rummage.db")),
        Err(_) => Err(Failure::Usage {
            what: "there is no home folder for the store".to_owned(),
            hint: "Name a file with --store.".to_owned(),
        }),
    }
}

/// Opens the store with today's waivers applied.
pub(crate) fn reader(store: &Path, config: &Config, clock: WallClock) -> Result<Reader, Failure> {
    let reader = Reader::open(store)?;
    Ok(reader.with_waivers(waivers(config, store, clock)?))
}

/// The waivers of a store, as of today.
pub(crate) fn waivers(config: &Config, store: &Path, clock: WallClock) -> Result<Waivers, Failure> {
    Ok(waivers::File::load(config, store)?.waivers(clock.today()))
}
