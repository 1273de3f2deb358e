//! A store whose file alone is whole.

use std::path::Path;
use std::time::Duration;

use rusqlite::Connection;

use crate::db::connection::lock_file_of;
use crate::db::error::StoreError;

/// Writes the log of a store back to its file, so that a copy of that file has everything. A writer
/// does so when it ends, unless the store is being read: what was read while a run was written needs
/// this afterwards. Without a log, or while another process writes to it, nothing is done.
///
/// # Errors
/// See [`StoreError`].
pub fn write_back(store: &Path) -> Result<(), StoreError> {
    let mut log = store.as_os_str().to_owned();
    log.push("-wal");
    // Nothing is created beside a file that may be no store.
    if std::fs::metadata(log).is_ok_and(|log| log.len() > 0) {
        write_log_back(store)
    } else {
        Ok(())
    }
}

fn write_log_back(store: &Path) -> Result<(), StoreError> {
    let Some(_lock) = lock_file_of(store, "")? else { return Ok(()) };
    let db = Connection::open(store).map_err(|error| StoreError::opening(store, error))?;
    // As far as other readers permit, who are not waited for.
    db.busy_timeout(Duration::ZERO)?;
    db.pragma(None, "wal_checkpoint", "passive", |_| Ok(()))?;
    Ok(())
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::db::connection::{open_to_read, open_to_write};

    #[test]
    fn the_file_is_whole_once_it_is_not_being_read() {
        let folder = tempfile::TempDir::new().unwrap();
        let (store, to) = (folder.path().join("store.db"), folder.path().join("copy.db"));
        let words = || -> Vec<String> {
            std::fs::copy(&store, &to).unwrap();
            let copied = open_to_read(&to).unwrap();
            let mut select = copied.prepare("SELECT text FROM word ORDER BY id").unwrap();
            select.query_map([], |row| row.get(0)).unwrap().map(Result::unwrap).collect()
        };
        std::fs::write(&store, "notes").unwrap();
        write_back(&store).unwrap();
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1, "nothing is created");
        std::fs::remove_file(&store).unwrap();

        let (writer, lock) = open_to_write(&store).unwrap();
        let reader = open_to_read(&store).unwrap();
        reader.execute_batch("BEGIN; SELECT * FROM word").unwrap();
        writer.execute("INSERT INTO word (text) VALUES ('kept')", []).unwrap();
        write_back(&store).unwrap();
        assert_eq!(words(), [""; 0], "a writer does it itself");
        drop((writer, lock));
        write_back(&store).unwrap();
        assert_eq!(words(), [""; 0], "it is being read");
        drop(reader);
        write_back(&store).unwrap();
        assert_eq!(words(), ["kept"]);
    }
}
