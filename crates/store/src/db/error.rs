//! What can be wrong with a store.

use std::path::{Path, PathBuf};

use rusqlite::ErrorCode;

/// Why a store could not be used. What it held before is still there.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// There is no file.
    #[error("there is no store at {}", path.display())]
    Missing {
        /// Where it was looked for.
        path: PathBuf,
    },
    /// The file or its folder cannot be opened or made.
    #[error("the store {} cannot be opened: {why}", path.display())]
    CannotOpen {
        /// The file.
        path: PathBuf,
        /// What the system says.
        why: String,
    },
    /// The file is something else.
    #[error("{} is not a store of this tool", path.display())]
    NotAStore {
        /// The file.
        path: PathBuf,
    },
    /// A newer version of the tool made it.
    #[error("the store {} is of version {found}; this tool knows versions up to {known}", path.display())]
    Newer {
        /// The file.
        path: PathBuf,
        /// The version that it has.
        found: i64,
        /// The newest version that we know.
        known: i64,
    },
    /// A version of the tool from before the first that was given out made it.
    #[error("the store {} is of version {found}; this tool knows versions from {oldest} on", path.display())]
    TooOld {
        /// The file.
        path: PathBuf,
        /// The version that it has.
        found: i64,
        /// The oldest version that we know.
        oldest: i64,
    },
    /// The disk is full.
    #[error("the disk is full: the store cannot grow")]
    DiskFull,
    /// Another program writes to it.
    #[error("another crawl is writing to the store")]
    Busy,
    /// The file may be read, not written.
    #[error("the store may only be read, not written")]
    ReadOnly,
    /// The file is damaged.
    #[error("the store is damaged: {0}")]
    Damaged(String),
    /// There is no run in it yet.
    #[error("there is no run in the store")]
    NoRun,
    /// There is no run of that number.
    #[error("there is no run {number} in the store")]
    NoSuchRun {
        /// The number.
        number: i64,
    },
    /// No run waits to be finished.
    #[error("no run in the store waits to be finished")]
    NothingToResume,
    /// Anything else that SQLite says.
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
    /// What went wrong while opening a file.
    pub(crate) fn opening(path: &Path, error: rusqlite::Error) -> StoreError {
        let path = path.to_owned();
        match error.sqlite_error_code() {
            Some(ErrorCode::NotADatabase) => StoreError::NotAStore { path },
            Some(ErrorCode::CannotOpen | ErrorCode::PermissionDenied) => {
                StoreError::CannotOpen { path, why: "it cannot be read or made there".to_owned() }
            }
            _ => error.into(),
        }
    }
}
