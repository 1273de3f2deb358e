//! Finds and loads the settings file.

use std::path::{Path, PathBuf};

use super::model::{Config, FILE};
use super::read;
use crate::failure::Failure;

impl Config {
    /// Loads the named file, else the nearest one from this folder upward, else none.
    pub(crate) fn load(named: Option<&Path>) -> Result<Config, Failure> {
        let path = match named {
            Some(named) => Some(named.to_owned()),
            None => find()?,
        };
        let Some(path) = path else { return Ok(Config::default()) };
        let text = std::fs::read_to_string(&path).map_err(|reason| Failure::Usage {
            what: format!("cannot read {}: {reason}", path.display()),
            hint: "Check its name and permissions, or create one with: rummage init".to_owned(),
        })?;
        read::read(path, &text)
    }
}

impl Config {
    /// Parses the text of a settings file with this path, which need not exist.
    pub(crate) fn parse(path: PathBuf, text: &str) -> Result<Config, Failure> {
        read::read(path, text)
    }
}

/// The nearest file from this folder upward.
fn find() -> Result<Option<PathBuf>, Failure> {
    let here = std::env::current_dir()
        .map_err(|reason| Failure::System { what: "cannot read the current folder", reason })?;
    Ok(here.ancestors().map(|folder| folder.join(FILE)).find(|file| file.is_file()))
}
