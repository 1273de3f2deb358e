//! What can go wrong with a store.

use std::path::{Path, PathBuf};

use rusqlite::ErrorCode;

/// Why a store could not be used. What it contained before is unchanged.
///
/// Reading may fail because the file is [missing](Self::Missing), [cannot be
/// opened](Self::CannotOpen), is [not a store](Self::NotAStore), is of an unknown version
/// ([newer](Self::Newer), [too old](Self::TooOld)) or is [damaged](Self::Damaged), and because
/// there is [no](Self::NoRun) or [no such](Self::NoSuchRun) run. Writing may also fail because
/// the [disk is full](Self::DiskFull), the file is [read-only](Self::ReadOnly) or another process
/// is [writing](Self::Busy). All other errors are those of [SQLite](Self::Sql).
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// There is no file.
    #[error("no store at {}", path.display())]
    Missing {
        /// The path.
        path: PathBuf,
    },
    /// The file or its folder cannot be opened or created.
    #[error("cannot open the store {}: {why}", path.display())]
    CannotOpen {
        /// The file.
        path: PathBuf,
        /// The system's message.
        why: String,
    },
    /// The file is not a store.
    #[error("{} is not a Rummage store", path.display())]
    NotAStore {
        /// The file.
        path: PathBuf,
    },
    /// A newer version of Rummage wrote it.
    #[error("the store {} has version {found}; this rummage supports versions up to {known}", path.display())]
    Newer {
        /// The file.
        path: PathBuf,
        /// Its version.
        found: i64,
        /// The newest known version.
        known: i64,
    },
    /// A version of Rummage from before the first release wrote it.
    #[error("the store {} has version {found}; this rummage supports versions from {oldest} on", path.display())]
    TooOld {
        /// The file.
        path: PathBuf,
        /// Its version.
        found: i64,
        /// The oldest known version.
        oldest: i64,
    },
    /// The disk is full.
    #[error("the disk is full: the store cannot grow")]
    DiskFull,
    /// Another process is writing to it.
    #[error("another crawl is writing to the store")]
    Busy,
    /// The file is read-only.
    #[error("the store is read-only")]
    ReadOnly,
    /// The file is damaged.
    #[error("the store is damaged: {0}")]
    Damaged(String),
    /// It contains no run yet.
    #[error("the store contains no run")]
    NoRun,
    /// There is no run with this number.
    #[error("the store contains no run {number}")]
    NoSuchRun {
        /// The number.
        number: i64,
    },
    /// No run is unfinished.
    #[error("the store contains no unfinished run")]
    NothingToResume,
    /// Any other SQLite error.
    #[error("the store failed: {0}")]
    Sql(rusqlite::Error),
}

impl From<rusqlite::Error> for StoreError {
    fn from(error: rusqlite::Error) -> StoreError {
        if let rusqlite::Error::FromSqlConversionFailure(_, _, why) = &error {
            return StoreError::Damaged(why.to_string());
        }
        match error.sqlite_error_code() {
            Some(ErrorCode::DiskFull) => StoreError::DiskFull,
            Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => StoreError::Busy,
            Some(ErrorCode::ReadOnly) => StoreError::ReadOnly,
            Some(ErrorCode::DatabaseCorrupt) => StoreError::Damaged(error.to_string()),
            _ => StoreError::Sql(error),
        }
    }
}

impl StoreError {
    /// The error for a file that cannot be opened.
    pub(crate) fn opening(path: &Path, error: rusqlite::Error) -> StoreError {
        let path = path.to_owned();
        match error.sqlite_error_code() {
            Some(ErrorCode::NotADatabase) => StoreError::NotAStore { path },
            Some(ErrorCode::CannotOpen | ErrorCode::PermissionDenied) => StoreError::CannotOpen {
                path,
                why: "it cannot be read or created there".to_owned(),
            },
            _ => error.into(),
        }
    }
}
