//! Who watches over a store: one patrol at a time, which says what it does.
//!
//! A lock beside the store tells whether one is up; a small file of JSON what it does, for
//! whoever looks on. Neither is part of the store: it may be read while nothing can be
//! written to it.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::db::connection::lock_file_of;
use crate::db::error::StoreError;

/// What a patrol does.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PatrolStatus {
    /// Its process.
    pub process: u32,
    /// Since when it is up.
    pub since: Timestamp,
    /// The site that is asked now, or comes next.
    pub site: Option<String>,
    /// What is done with it: crawl, resume, recheck.
    pub task: Option<String>,
    /// When that begins; `None` where it is under way.
    pub next_at: Option<Timestamp>,
    /// What went wrong last, and has not gone well since.
    pub problem: Option<String>,
    /// When it ended, where it came to its end.
    pub ended_at: Option<Timestamp>,
}

/// Held by a patrol for as long as it is up.
#[derive(Debug)]
pub struct Guard {
    file: PathBuf,
    _lock: File,
}

impl Guard {
    /// Takes the place of the patrol of a store; `None` where there is one.
    ///
    /// # Errors
    /// When the folder of the store cannot be written to.
    pub fn take(store: &Path) -> Result<Option<Guard>, StoreError> {
        let lock = lock_file_of(store, ".patrol")?;
        Ok(lock.map(|lock| Guard { file: status_file(store), _lock: lock }))
    }

    /// Tells what the patrol does.
    ///
    /// # Errors
    /// When the file cannot be written.
    pub fn publish(&self, status: &PatrolStatus) -> io::Result<()> {
        let text = serde_json::to_string(status).expect("a status is plain data");
        // Whoever reads it finds the old one or the new one, never a half.
        let mut new = self.file.clone().into_os_string();
        new.push(".new");
        std::fs::write(&new, text)?;
        std::fs::rename(&new, &self.file)
    }
}

/// What the last patrol of a store said, and whether it is up; `None` where there never
/// was one.
#[must_use]
pub fn patrol_of(store: &Path) -> Option<(PatrolStatus, bool)> {
    let text = std::fs::read_to_string(status_file(store)).ok()?;
    let status = serde_json::from_str(&text).ok()?;
    // It is up where its place cannot be taken.
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
    fn one_patrol_has_the_place_and_others_see_what_it_does() {
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
