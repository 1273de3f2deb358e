//! Opening a store: checks that the file is one, and migrates it to the current version.

use std::fs::{File, TryLockError};
use std::io::{Read as _, Seek as _, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::time::Duration;

use rusqlite::config::DbConfig;
use rusqlite::{Connection, OpenFlags};
use url::Url;

use crate::db::error::StoreError;

/// Distinguishes stores from other SQLite files: "RUMM" in the header.
const APPLICATION_ID: i64 = 0x5255_4d4d;

/// Each step migrates a store from the version before to its own; the first creates it.
const MIGRATIONS: &[Migration] = &[
    (7, include_str!("schema.sql")),
    (8, include_str!("suspicious_runs.sql")),
    (9, include_str!("descriptions.sql")),
    (10, include_str!("verdict_spans.sql")),
];

/// A version, and the SQL that migrates to it.
type Migration = (i64, &'static str);

/// The oldest version that can be migrated. Earlier ones were never released.
const OLDEST: i64 = MIGRATIONS[0].0;

/// The first line of lock files. The second is the process id of the last writer.
const LOCK: &str = "a lock of rummage\n";

/// The newest known version.
const KNOWN: i64 = MIGRATIONS[MIGRATIONS.len() - 1].0;

/// Opens a store to write; creates it, and its folder, if necessary.
///
/// The lock that comes with it excludes other writers, but not readers.
pub(crate) fn open_to_write(path: &Path) -> Result<(Connection, File), StoreError> {
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        std::fs::create_dir_all(folder).map_err(|error| StoreError::CannotOpen {
            path: path.to_owned(),
            why: error.to_string(),
        })?;
    }
    let lock = lock(path)?;
    let mut connection =
        Connection::open(path).map_err(|error| StoreError::opening(path, error))?;
    prepare(&connection).map_err(|error| StoreError::opening(path, error))?;
    let is_new = is_empty(&connection).map_err(|error| StoreError::opening(path, error))?;
    if !is_new {
        check(&connection, path)?;
    }
    let version = if is_new { 0 } else { version(&connection)? };
    migrate(&mut connection, version, MIGRATIONS)?;
    if is_new {
        // The file itself is a store from now on, even if its log is lost.
        connection.pragma(None, "wal_checkpoint", "truncate", |_| Ok(()))?;
    }
    Ok((connection, lock))
}

/// Takes the lock of a store: a file beside it, since SQLite has its own locks on the store.
fn lock(path: &Path) -> Result<File, StoreError> {
    lock_file_of(path, "")?.ok_or(StoreError::Busy)
}

/// Takes a lock with this name; `None` if another process holds it. The file stays: only the lock
/// on it matters. A file that is not a lock of ours is left alone.
pub(crate) fn lock_file_of(path: &Path, name: &str) -> Result<Option<File>, StoreError> {
    let mut file = path.as_os_str().to_owned();
    file.push(name);
    file.push(".lock");
    let cannot = |why: String| StoreError::CannotOpen { path: path.to_owned(), why };
    let name = PathBuf::from(file);
    let foreign =
        || cannot(format!("{} exists, and is not its lock file; move it away", name.display()));
    if name.symlink_metadata().is_ok_and(|known| !known.is_file()) {
        return Err(foreign());
    }
    let mut file = beside(&name).map_err(|error| cannot(error.to_string()))?;
    let content = start_of(&file).map_err(|error| cannot(error.to_string()))?;
    // Older versions left it empty.
    if !content.is_empty() && !content.starts_with(LOCK) {
        return Err(foreign());
    }
    match file.try_lock() {
        Ok(()) => {
            // A full disk does not matter: only the lock does.
            let _ = sign(&mut file);
            Ok(Some(file))
        }
        Err(TryLockError::WouldBlock) => Ok(None),
        Err(TryLockError::Error(error)) => Err(cannot(error.to_string())),
    }
}

/// The start of a lock file, as text.
fn start_of(file: &File) -> std::io::Result<String> {
    let mut content = Vec::new();
    file.take(LOCK.len() as u64 + 32).read_to_end(&mut content)?;
    Ok(String::from_utf8_lossy(&content).into_owned())
}

/// Writes this process into a lock file.
fn sign(file: &mut File) -> std::io::Result<()> {
    file.set_len(0)?;
    file.seek(SeekFrom::Start(0))?;
    file.write_all(format!("{LOCK}{}\n", std::process::id()).as_bytes())
}

/// The process that is writing to a store, if there is one.
pub(crate) fn writer_of(path: &Path) -> Option<u32> {
    let mut name = path.as_os_str().to_owned();
    name.push(".lock");
    let file = File::open(name).ok()?;
    match file.try_lock_shared() {
        Err(TryLockError::WouldBlock) => {
            start_of(&file).ok()?.strip_prefix(LOCK)?.trim().parse().ok()
        }
        Ok(()) | Err(TryLockError::Error(_)) => None,
    }
}

/// Opens or creates a file without following a symbolic link, and without changing it.
fn beside(file: &Path) -> std::io::Result<File> {
    let mut options = File::options();
    options.read(true).write(true).create(true).truncate(false);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt as _;
        let no_follow = rustix::fs::OFlags::NOFOLLOW.bits();
        options.custom_flags(i32::try_from(no_follow).expect("flags are small"));
    }
    options.open(file)
}

/// Opens a store for small writes beside a run that may be writing: they wait for its
/// transactions, which are short.
pub(crate) fn open_next_to(path: &Path) -> Result<Connection, StoreError> {
    // Migrates it, if necessary.
    drop(open_to_read(path)?);
    let connection = Connection::open(path).map_err(|error| StoreError::opening(path, error))?;
    prepare(&connection)?;
    connection.busy_timeout(Duration::from_secs(30))?;
    Ok(connection)
}

/// Opens a store to read.
pub(crate) fn open_to_read(path: &Path) -> Result<Connection, StoreError> {
    // An empty file is a store whose creation was interrupted, or nothing yet.
    let is_empty = |known: std::fs::Metadata| known.len() == 0 && !has_log(path);
    if path.metadata().map_or(true, is_empty) {
        return Err(StoreError::Missing { path: path.to_owned() });
    }
    let connection = match connect_to_read(path, false) {
        // A read-only folder has no room for the index of a write-ahead log; without a log, none
        // is needed, because nothing changes there.
        Err(StoreError::ReadOnly | StoreError::CannotOpen { .. }) if !has_log(path) => {
            connect_to_read(path, true)?
        }
        connected => connected?,
    };
    connection.pragma_update(None, "cache_size", -8_000)?;
    if version(&connection)? < KNOWN {
        // An older version wrote it: the first to open it migrates it.
        drop(connection);
        drop(open_to_write(path)?);
        return open_to_read(path);
    }
    Ok(connection)
}

fn connect_to_read(path: &Path, immutable: bool) -> Result<Connection, StoreError> {
    let opening = |error| StoreError::opening(path, error);
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let connection = if immutable {
        let uri = immutable_uri(path).ok_or(StoreError::ReadOnly)?;
        Connection::open_with_flags(uri, flags | OpenFlags::SQLITE_OPEN_URI).map_err(opening)?
    } else {
        Connection::open_with_flags(path, flags).map_err(opening)?
    };
    connection.busy_timeout(Duration::from_secs(5))?;
    keep_statements(&connection)?;
    check(&connection, path)?;
    Ok(connection)
}

/// Whether something is written to a store, or was when it was last left.
fn has_log(path: &Path) -> bool {
    let mut name = path.as_os_str().to_owned();
    name.push("-wal");
    Path::new(&name).exists()
}

/// A store as a file that does not change (SQLite, "URI Filenames").
fn immutable_uri(path: &Path) -> Option<String> {
    let mut uri = Url::from_file_path(std::path::absolute(path).ok()?).ok()?;
    uri.set_query(Some("immutable=1"));
    Some(uri.into())
}

/// Compiles each statement once. By default, SQLite compiles one again whenever other values are
/// bound to it that might change its plan (SQLITE_DBCONFIG_ENABLE_QPSG), which takes longer than
/// to fetch a row.
fn keep_statements(connection: &Connection) -> rusqlite::Result<()> {
    connection.set_prepared_statement_cache_capacity(64);
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_QPSG, true).map(drop)
}

fn prepare(connection: &Connection) -> rusqlite::Result<()> {
    keep_statements(connection)?;
    connection.busy_timeout(Duration::from_secs(1))?;
    connection.pragma_update(None, "journal_mode", "wal")?;
    // With a write-ahead log, "normal" may lose the last transactions in a power cut, but never
    // the file.
    connection.pragma_update(None, "synchronous", "normal")?;
    // A checkpoint waits for the disk: every 32 MiB is often enough for a log that is read back
    // at once after a kill.
    connection.pragma_update(None, "wal_autocheckpoint", 8_000)?;
    connection.pragma_update(None, "cache_size", -8_000)
}

fn is_empty(connection: &Connection) -> rusqlite::Result<bool> {
    connection.query_row("SELECT count(*) = 0 FROM sqlite_schema", [], |row| row.get(0))
}

fn version(connection: &Connection) -> rusqlite::Result<i64> {
    connection.pragma_query_value(None, "user_version", |row| row.get(0))
}

fn check(connection: &Connection, path: &Path) -> Result<(), StoreError> {
    let opening = |error| StoreError::opening(path, error);
    let id: i64 =
        connection.pragma_query_value(None, "application_id", |row| row.get(0)).map_err(opening)?;
    if id != APPLICATION_ID {
        return Err(StoreError::NotAStore { path: path.to_owned() });
    }
    let found = version(connection).map_err(opening)?;
    if found < OLDEST {
        return Err(StoreError::TooOld { path: path.to_owned(), found, oldest: OLDEST });
    }
    if found > KNOWN {
        return Err(StoreError::Newer { path: path.to_owned(), found, known: KNOWN });
    }
    Ok(())
}

fn migrate(connection: &mut Connection, from: i64, steps: &[Migration]) -> Result<(), StoreError> {
    for &(step, sql) in steps {
        if step > from {
            let transaction = connection.transaction()?;
            transaction.execute_batch(sql)?;
            transaction.pragma_update(None, "application_id", APPLICATION_ID)?;
            transaction.pragma_update(None, "user_version", step)?;
            transaction.commit()?;
        }
    }
    Ok(())
}

/// An empty store in memory.
#[cfg(test)]
pub(crate) fn in_memory() -> Connection {
    let mut connection = Connection::open_in_memory().expect("memory suffices");
    migrate(&mut connection, 0, MIGRATIONS).expect("a new store can be created");
    connection
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    const NEXT: i64 = KNOWN + 1;

    fn version_of(connection: &Connection) -> i64 {
        version(connection).unwrap()
    }

    #[test]
    fn a_store_is_migrated_step_by_step() {
        let mut connection = in_memory();
        assert_eq!(version_of(&connection), KNOWN);
        let rename = "ALTER TABLE word RENAME COLUMN text TO word";
        let steps = [MIGRATIONS, &[(NEXT, rename)]].concat();
        migrate(&mut connection, KNOWN, &steps).unwrap();
        assert_eq!(version_of(&connection), NEXT);
        connection.execute("INSERT INTO word (word) VALUES ('a')", []).unwrap();
        // The second time, nothing is left to do.
        migrate(&mut connection, NEXT, &steps).unwrap();
        assert_eq!(version_of(&connection), NEXT);
    }

    #[test]
    fn each_verdict_of_version_9_has_its_run_in_version_10() {
        let mut connection = Connection::open_in_memory().unwrap();
        let (old, new) = MIGRATIONS.split_at(3);
        assert_eq!((old[2].0, new[0].0), (9, 10));
        migrate(&mut connection, 0, old).unwrap();
        for (id, site) in [(1, "a.test"), (2, "b.test"), (4, "a.test")] {
            connection
                .execute(
                    "INSERT INTO run VALUES (?1, ?2, 1, '', '', '', '', '', 1, 'crawl', '', 0, '',
                         0, 'finished')",
                    (id, site),
                )
                .unwrap();
            connection
                .execute(
                    "INSERT INTO verdict VALUES (?1, 7, 'internal', 'moved', 'redirected', 301,
                         8, 8, 1, 8, 5, NULL, 1), (?1, 9, NULL, 'skipped', 'other-scheme', NULL,
                         NULL, 9, 0, NULL, NULL, NULL, 1)",
                    [id],
                )
                .unwrap();
        }
        migrate(&mut connection, 9, MIGRATIONS).unwrap();
        let mut select = connection
            .prepare("SELECT run, address, cause, final, requested FROM verdict ORDER BY 1, 2")
            .unwrap();
        let rows: Vec<(u32, u32, String, u32, bool)> = select
            .query_map([], |row| {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?))
            })
            .unwrap()
            .collect::<Result<_, _>>()
            .unwrap();
        let of = |run| {
            let moved = (run, 7, "redirected".to_owned(), 8, true);
            [moved, (run, 9, "other-scheme".to_owned(), 9, false)]
        };
        assert_eq!(rows, [of(1), of(2), of(4)].concat());
        let series: i64 =
            connection.query_row("SELECT sum(series) FROM run", [], |row| row.get(0)).unwrap();
        assert_eq!(series, 1 + 2 + 1);
    }

    #[test]
    fn a_lock_is_never_somebody_elses_file() {
        let folder = tempfile::TempDir::new().unwrap();
        let store = folder.path().join("Cargo");
        let lock = folder.path().join("Cargo.lock");
        std::fs::write(&lock, "[[package]]").unwrap();
        let error = lock_file_of(&store, "").unwrap_err().to_string();
        assert!(error.contains("not its lock file"), "{error}");
        assert_eq!(std::fs::read_to_string(&lock).unwrap(), "[[package]]");
        std::fs::remove_file(&lock).unwrap();
        #[cfg(unix)]
        {
            let other = folder.path().join("other");
            std::fs::write(&other, "").unwrap();
            for target in [other.clone(), folder.path().join("missing")] {
                std::os::unix::fs::symlink(&target, &lock).unwrap();
                assert!(lock_file_of(&store, "").is_err());
                std::fs::remove_file(&lock).unwrap();
            }
            assert!(!folder.path().join("missing").exists());
            assert_eq!(std::fs::read_to_string(&other).unwrap(), "");
        }
        // Ours, also one that an older version left.
        for content in ["", LOCK] {
            std::fs::write(&lock, content).unwrap();
            let held = lock_file_of(&store, "").unwrap();
            assert!(held.is_some() && lock_file_of(&store, "").unwrap().is_none());
            let signed = format!("{LOCK}{}\n", std::process::id());
            assert_eq!(std::fs::read_to_string(&lock).unwrap(), signed);
            assert_eq!(writer_of(&store), Some(std::process::id()));
            drop(held);
            assert_eq!(writer_of(&store), None);
        }
    }

    #[test]
    fn a_new_store_is_one_without_its_log() {
        let folder = tempfile::TempDir::new().unwrap();
        let (store, copy) = (folder.path().join("store.db"), folder.path().join("copy.db"));
        let open = open_to_write(&store).unwrap();
        std::fs::copy(&store, &copy).unwrap();
        drop(open);
        assert_eq!(version_of(&open_to_read(&copy).unwrap()), KNOWN);
        let empty = folder.path().join("empty.db");
        std::fs::write(&empty, "").unwrap();
        assert!(matches!(open_to_read(&empty), Err(StoreError::Missing { .. })));
    }

    #[test]
    fn a_failed_step_leaves_the_store_unchanged() {
        let mut connection = in_memory();
        let half = "DROP TABLE word; ALTER TABLE nothing RENAME TO something";
        let steps = [MIGRATIONS, &[(NEXT, half)]].concat();
        migrate(&mut connection, KNOWN, &steps).unwrap_err();
        assert_eq!(version_of(&connection), KNOWN);
        connection.execute("INSERT INTO word (text) VALUES ('a')", []).unwrap();
    }
}
