//! A copy of a store, also while a run is being written to it.

use std::path::Path;

use rusqlite::Connection;
use rusqlite::backup::Backup;

use crate::db::connection::open_to_read;
use crate::db::error::StoreError;

/// Copies a store to a file as it is now (SQLite, "Online Backup API"): a sound store, in which a
/// run that is under way can be continued. What was at `to` is replaced.
///
/// # Errors
/// See [`StoreError`].
pub fn copy(store: &Path, to: &Path) -> Result<(), StoreError> {
    let from = open_to_read(store)?;
    match std::fs::remove_file(to) {
        Err(error) if error.kind() != std::io::ErrorKind::NotFound => {
            return Err(StoreError::CannotOpen { path: to.to_owned(), why: error.to_string() });
        }
        _ => {}
    }
    let mut into = Connection::open(to).map_err(|error| StoreError::opening(to, error))?;
    // All pages at once: a pause would let a writer in, and everything begin again.
    Backup::new(&from, &mut into)?.step(-1)?;
    Ok(())
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::db::connection::open_to_write;

    #[test]
    fn a_copy_has_what_was_committed_and_nothing_else() {
        let folder = tempfile::TempDir::new().unwrap();
        let (store, to) = (folder.path().join("store.db"), folder.path().join("copy.db"));
        let (writer, _lock) = open_to_write(&store).unwrap();
        writer.execute("INSERT INTO word (text) VALUES ('kept')", []).unwrap();
        writer.execute_batch("BEGIN; INSERT INTO word (text) VALUES ('open')").unwrap();
        // Whatever was there before.
        std::fs::write(&to, "an older file").unwrap();
        copy(&store, &to).unwrap();
        let words = |path: &Path| -> Vec<String> {
            let copied = open_to_read(path).unwrap();
            let mut select = copied.prepare("SELECT text FROM word").unwrap();
            select.query_map([], |row| row.get(0)).unwrap().map(Result::unwrap).collect()
        };
        assert_eq!(words(&to), ["kept"]);
        writer.execute_batch("COMMIT").unwrap();
        copy(&store, &to).unwrap();
        assert_eq!(words(&to), ["kept", "open"]);
        let missing = copy(&folder.path().join("none.db"), &to);
        assert!(matches!(missing, Err(StoreError::Missing { .. })), "{missing:?}");
        assert_eq!(words(&to), ["kept", "open"], "nothing is lost for nothing");
    }
}
