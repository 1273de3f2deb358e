//! Where the store of a site is worked on: a folder on this machine.
//!
//! The folder may have a store from an earlier pass. It is used if no other worker has had the
//! site since: then it is as new as the saved one, or newer. Otherwise the saved one replaces it.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

use rummage_fleet::{Database, Lease};
use serde::{Deserialize, Serialize};
use tracing::info;

use crate::config::Config;
use crate::failure::Failure;

/// The folder of a site on this machine.
pub(super) struct Place {
    folder: PathBuf,
}

/// The last lease under which the store in a folder was worked on.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
struct LastLease {
    fleet: String,
    site: String,
    token: i64,
}

/// Takes the folder of a worker: each has its own.
pub(super) fn lock(folder: &Path) -> Result<File, Failure> {
    let path = folder.join("worker.lock");
    let cannot = |reason| Failure::System { what: "cannot lock the folder for stores", reason };
    let file = File::options().write(true).create(true).truncate(false).open(path);
    let file = file.map_err(cannot)?;
    file.try_lock().map_err(|_| Failure::Conflict {
        what: format!("another worker is using {}", folder.display()),
        hint: "Give each worker on a machine its own --folder.".to_owned(),
    })?;
    Ok(file)
}

impl Place {
    pub(super) fn of(worker_folder: &Path, site: &str) -> Place {
        Place { folder: worker_folder.join(folder_name(site)) }
    }

    pub(super) fn store(&self) -> PathBuf {
        self.folder.join("rummage.db")
    }

    /// The settings file of the site alone.
    pub(super) fn settings(&self) -> PathBuf {
        self.folder.join(crate::config::FILE)
    }

    /// A copy of the store, to be saved with this lease. A pass that is late with saving may still
    /// be writing its own.
    pub(super) fn copy(&self, lease: &Lease) -> PathBuf {
        self.folder.join(format!("snapshot-{}.db", lease.token))
    }

    /// Makes the latest store of the site and its settings available.
    pub(super) async fn prepare(
        &self,
        database: &Database,
        fleet: &str,
        lease: &Lease,
    ) -> Result<Config, Failure> {
        let here = |reason| Failure::System { what: "cannot prepare the folder of a site", reason };
        fs::create_dir_all(&self.folder).map_err(here)?;
        if !self.is_latest(fleet, lease) {
            self.restore(database, lease).await?;
        }
        let last =
            LastLease { fleet: fleet.to_owned(), site: lease.site.clone(), token: lease.token };
        let json = serde_json::to_string(&last).expect("a lease is plain data");
        fs::write(self.lease_file(), json).map_err(here)?;
        let settings = self.settings();
        fs::write(&settings, &lease.settings).map_err(here)?;
        let waivers = self.folder.join(crate::waivers::FILE);
        match &lease.waivers {
            Some(text) => fs::write(waivers, text).map_err(here)?,
            None => remove(&waivers).map_err(here)?,
        }
        Config::parse(settings, &lease.settings)
    }

    /// Whether no other worker has had the site since the store here was worked on.
    fn is_latest(&self, fleet: &str, lease: &Lease) -> bool {
        let text = fs::read_to_string(self.lease_file()).unwrap_or_default();
        let last: Option<LastLease> = serde_json::from_str(&text).ok();
        last.is_some_and(|last| {
            last.fleet == fleet && last.site == lease.site && last.token == lease.token - 1
        })
    }

    async fn restore(&self, database: &Database, lease: &Lease) -> Result<(), Failure> {
        let here = |reason| Failure::System { what: "cannot replace the store of a site", reason };
        // What is here is of no use any more, whatever happens next.
        remove(&self.lease_file()).map_err(here)?;
        let (store, new) = (self.store(), self.folder.join("restored.db"));
        let bytes = database.download(&lease.site, &new).await?;
        for ending in ["", "-wal", "-shm"] {
            let mut name = store.clone().into_os_string();
            name.push(ending);
            remove(Path::new(&name)).map_err(here)?;
        }
        if let Some(bytes) = bytes {
            fs::rename(&new, &store).map_err(here)?;
            info!(site = %lease.site, bytes, "store restored");
        }
        Ok(())
    }

    fn lease_file(&self) -> PathBuf {
        self.folder.join("lease.json")
    }
}

/// Removes a file, if it is there.
fn remove(file: &Path) -> io::Result<()> {
    match fs::remove_file(file) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
        _ => Ok(()),
    }
}

/// A folder name for a site, different for different names: a readable part, and a hash.
fn folder_name(site: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || c == '-' { c } else { '_' };
    let readable: String = site.chars().map(plain).take(40).collect();
    format!("{readable}-{:016x}", xxhash_rust::xxh3::xxh3_64(site.as_bytes()))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn a_store_is_used_again_only_if_nobody_else_had_the_site() {
        let folder = tempfile::TempDir::new().unwrap();
        let place = Place::of(folder.path(), "www.a.test");
        fs::create_dir_all(&place.folder).unwrap();
        let lease = |token: i64| Lease {
            site: "www.a.test".to_owned(),
            token,
            worker: 1,
            settings: String::new(),
            waivers: None,
            wanted: None,
            failures: 0,
            results_of: None,
            passed_at: None,
            taken_at: jiff::Timestamp::UNIX_EPOCH,
            is_after_saved_pass: true,
        };
        assert!(!place.is_latest("f", &lease(1)), "nothing is there");
        let last = LastLease { fleet: "f".to_owned(), site: "www.a.test".to_owned(), token: 4 };
        fs::write(place.lease_file(), serde_json::to_string(&last).unwrap()).unwrap();
        assert!(place.is_latest("f", &lease(5)));
        assert!(!place.is_latest("f", &lease(6)), "another worker had lease 5");
        assert!(!place.is_latest("f", &lease(4)) && !place.is_latest("another", &lease(5)));
        fs::write(place.lease_file(), "{").unwrap();
        assert!(!place.is_latest("f", &lease(5)));
    }

    #[test]
    fn sites_with_similar_names_have_different_folders() {
        assert_ne!(folder_name("a.test"), folder_name("a_test"));
        assert_ne!(folder_name("a/../b"), folder_name("a____b"));
        let hostile = folder_name("../../etc/passwd");
        assert!(!hostile.contains(['/', '.']), "{hostile}");
        assert!(folder_name(&"x".repeat(500)).len() < 80);
    }
}
