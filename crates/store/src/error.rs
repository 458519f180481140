//! What can go wrong with the database, in words that say what to do. SQLite's own words and the
//! text of statements stay in the source of an error, for the log.

use rusqlite::ErrorCode;
use std::path::{Path, PathBuf};
use thiserror::Error;

/// What can go wrong.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The directory or file cannot be used at all.
    #[error(
        "cannot use the database {path}: {why}; check that the directory exists and may be written to, or name another with --data"
    )]
    Unusable {
        /// Its path.
        path: PathBuf,
        /// What stands in the way.
        why: String,
    },
    /// The file belongs to another program.
    #[error(
        "{path} is a database of another program and was left as it is; name another directory with --data"
    )]
    Foreign {
        /// Its path.
        path: PathBuf,
    },
    /// The file was written by a later version of this program.
    #[error(
        "{path} was written by a later version of Chalkeus (format {found}, this one knows {known}) and was left as it is; start that version, or name another directory with --data"
    )]
    Newer {
        /// Its path.
        path: PathBuf,
        /// Format of the file.
        found: i64,
        /// Newest format known.
        known: i64,
    },
    /// Pages of the file are damaged.
    #[error(
        "{path} is damaged ({why}); keep a copy of it, and start with the latest backup (see `chalkeus backup`) or another directory with --data"
    )]
    Damaged {
        /// Its path.
        path: PathBuf,
        /// What was found.
        why: String,
    },
    /// The file may only be read.
    #[error(
        "{path} cannot be written to: it is read-only; change its permissions or name another directory with --data"
    )]
    ReadOnly {
        /// Its path.
        path: PathBuf,
    },
    /// Another Chalkeus has the directory.
    #[error(
        "another Chalkeus is running on {path}; use that one, stop it, or name another directory with --data"
    )]
    InUse {
        /// The directory.
        path: PathBuf,
    },
    /// No room.
    #[error("the disk is full: nothing of this was kept; free some space and try again")]
    Full,
    /// A job that does not exist.
    #[error("there is no job {0}")]
    NoJob(i64),
    /// Anything else.
    #[error(
        "the database did not take it and nothing of it was kept; try again, and if it stays so, restart the program"
    )]
    Other(#[source] rusqlite::Error),
}

impl StoreError {
    /// What stands in the way of a file beside the database.
    pub(crate) fn file(path: &Path, e: std::io::Error) -> Self {
        let path = path.to_owned();
        match e.kind() {
            std::io::ErrorKind::StorageFull => Self::Full,
            std::io::ErrorKind::ReadOnlyFilesystem => Self::ReadOnly { path },
            _ => Self::Unusable { path, why: e.to_string() },
        }
    }

    pub(crate) fn of(path: &Path, e: rusqlite::Error) -> Self {
        let path = path.to_owned();
        match e.sqlite_error_code() {
            Some(ErrorCode::DiskFull) => Self::Full,
            Some(ErrorCode::ReadOnly) => Self::ReadOnly { path },
            Some(ErrorCode::DatabaseCorrupt) => {
                Self::Damaged { path, why: "pages that do not fit together".into() }
            }
            Some(ErrorCode::NotADatabase) => {
                Self::Damaged { path, why: "it is no SQLite database".into() }
            }
            Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => Self::InUse { path },
            Some(ErrorCode::CannotOpen | ErrorCode::SystemIoFailure) => {
                Self::Unusable { path, why: "it cannot be read or written".into() }
            }
            _ => Self::Other(e),
        }
    }
}

/// Says in words what SQLite answered.
pub(crate) trait Said<T> {
    /// With the path of the file.
    fn said(self, path: &Path) -> Result<T, StoreError>;
}

impl<T> Said<T> for rusqlite::Result<T> {
    fn said(self, path: &Path) -> Result<T, StoreError> {
        self.map_err(|e| StoreError::of(path, e))
    }
}
