//! Finds the settings file.

use std::path::{Path, PathBuf};

use super::model::{Config, FILE};
use super::read;
use crate::failure::Failure;

impl Config {
    /// The file that was named, else the nearest from this folder upward, else none.
    pub(crate) fn load(named: Option<&Path>) -> Result<Config, Failure> {
        let path = match named {
            Some(named) => Some(named.to_owned()),
            None => find()?,
        };
        let Some(path) = path else { return Ok(Config::default()) };
        let text = std::fs::read_to_string(&path).map_err(|why| Failure::Usage {
            what: format!("{} cannot be read: {why}", path.display()),
            hint: "Check its name and its permissions, or make one with: rummage init".to_owned(),
        })?;
        read::read(path, &text)
    }
}

/// The nearest file from this folder upward.
fn find() -> Result<Option<PathBuf>, Failure> {
    let here = std::env::current_dir()
        .map_err(|why| Failure::System { what: "this folder cannot be read", why })?;
    Ok(here.ancestors().map(|folder| folder.join(FILE)).find(|file| file.is_file()))
}
