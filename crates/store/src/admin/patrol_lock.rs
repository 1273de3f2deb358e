//! The patrol of a store: one at a time, with a published status.
//!
//! A lock file beside the store shows whether a patrol is running; a small JSON file shows what
//! it is doing. Neither is part of the store, so that they can be used while the store cannot be
//! written.

use std::fs::File;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::db::connection::lock_file_of;
use crate::db::error::StoreError;

/// The status of a patrol.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PatrolStatus {
    /// Its process id.
    pub process: u32,
    /// When it started.
    pub since: Timestamp,
    /// The site that is checked now, or next.
    pub site: Option<String>,
    /// The job on it: crawl, resume, recheck.
    pub task: Option<String>,
    /// When the job starts; `None` if it is running.
    pub next_at: Option<Timestamp>,
    /// The last problem, unless it has been resolved.
    pub problem: Option<String>,
    /// When it stopped, if it was not killed.
    pub ended_at: Option<Timestamp>,
}

/// Held by a patrol while it is running.
#[derive(Debug)]
pub struct Guard {
    file: PathBuf,
    _lock: File,
}

impl Guard {
    /// Takes the patrol lock of a store; `None` if another patrol holds it.
    ///
    /// # Errors
    /// If the folder of the store cannot be written to.
    pub fn take(store: &Path) -> Result<Option<Guard>, StoreError> {
        let lock = lock_file_of(store, ".patrol")?;
        Ok(lock.map(|lock| Guard { file: status_file(store), _lock: lock }))
    }

    /// Publishes the status of the patrol.
    ///
    /// # Errors
    /// If the file cannot be written.
    pub fn publish(&self, status: &PatrolStatus) -> io::Result<()> {
        let text = serde_json::to_string(status).expect("a status is plain data");
        // Readers find the old or the new file, never a partial one.
        let mut new = self.file.clone().into_os_string();
        new.push(".new");
        // What is there may be a link to somewhere else, or left by a kill.
        match std::fs::remove_file(&new) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
            _ => {}
        }
        let mut file = File::options().write(true).create_new(true).open(&new)?;
        file.write_all(text.as_bytes())?;
        std::fs::rename(&new, &self.file)
    }
}

/// The status of the last patrol of a store, and whether it is running; `None` if there never was
/// one.
#[must_use]
pub fn patrol_of(store: &Path) -> Option<(PatrolStatus, bool)> {
    let text = std::fs::read_to_string(status_file(store)).ok()?;
    let status = serde_json::from_str(&text).ok()?;
    // It is running if its lock cannot be taken.
    let is_up = matches!(lock_file_of(store, ".patrol"), Ok(None));
    Some((status, is_up))
}

fn status_file(store: &Path) -> PathBuf {
    let mut file = store.as_os_str().to_owned();
    file.push(".patrol.json");
    file.into()
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn one_patrol_holds_the_lock_and_publishes_its_status() {
        let folder = tempfile::TempDir::new().unwrap();
        let store = folder.path().join("store.db");
        assert_eq!(patrol_of(&store), None);
        let guard = Guard::take(&store).unwrap().unwrap();
        assert!(Guard::take(&store).unwrap().is_none());
        let status = PatrolStatus {
            process: 7,
            since: Timestamp::UNIX_EPOCH,
            site: Some("a.test".to_owned()),
            task: None,
            next_at: None,
            problem: None,
            ended_at: None,
        };
        guard.publish(&status).unwrap();
        assert_eq!(patrol_of(&store), Some((status.clone(), true)));
        drop(guard);
        assert_eq!(patrol_of(&store), Some((status, false)), "it was killed");
        assert!(Guard::take(&store).unwrap().is_some());
    }
}
