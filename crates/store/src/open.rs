//! Opening: whose file it is and whether it is whole is looked at before anything is written.

use crate::error::Said;
use crate::{Digest, Store, StoreError, schema, summary};
use rusqlite::{Connection, OpenFlags};
use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

/// Name of the file in its directory.
pub(crate) const FILE: &str = "chalkeus.sqlite";
const LOCK: &str = "chalkeus.lock";
/// A file up to this size is read whole at the start, bytes; a larger one is looked through later,
/// with [`Store::check`].
const READ_WHOLE: u64 = 64 * 1024 * 1024;

impl Store {
    /// Opens the database in a directory, creating both. A file that is not this program's, that a
    /// later version wrote, that is damaged or that another Chalkeus uses is left as it is.
    ///
    /// # Errors
    /// [`StoreError`] that says which.
    pub fn open(directory: &Path, digest: Digest) -> Result<Self, StoreError> {
        let path = directory.join(FILE);
        let unusable =
            |e: std::io::Error| StoreError::Unusable { path: path.clone(), why: e.to_string() };
        std::fs::create_dir_all(directory).map_err(unusable)?;
        let held = hold(directory, &path)?;
        if path.metadata().is_ok_and(|m| m.len() > 0) {
            look(&path)?;
        }
        let mut c = Connection::open(&path).said(&path)?;
        c.set_prepared_statement_cache_capacity(64);
        prepare(&mut c).said(&path)?;
        schema::migrations().to_latest(&mut c).map_err(|e| match e {
            rusqlite_migration::Error::RusqliteError { err, .. } => StoreError::of(&path, err),
            other => StoreError::Unusable { path: path.clone(), why: other.to_string() },
        })?;
        // A read-only file shows only when it is written to.
        c.execute_batch("BEGIN IMMEDIATE; UPDATE derived SET rules = rules; COMMIT;")
            .said(&path)?;
        summary::refresh(&mut c, digest).said(&path)?;
        Ok(Self { connection: Mutex::new(c), path, digest, _held: held })
    }

    /// Whether a file of this size is looked through when it is opened.
    pub fn checked_at_start(&self) -> bool {
        self.size() <= READ_WHOLE
    }
}

fn prepare(c: &mut Connection) -> rusqlite::Result<()> {
    c.pragma_update(None, "journal_mode", "WAL")?;
    // FULL: a commit is on the disk before it is acknowledged.
    c.pragma_update(None, "synchronous", "FULL")?;
    c.pragma_update(None, "foreign_keys", true)
}

/// Keeps others off the directory as long as the file is open.
fn hold(directory: &Path, path: &Path) -> Result<File, StoreError> {
    let lock = directory.join(LOCK);
    let unusable = |e: std::io::Error| match e.kind() {
        std::io::ErrorKind::PermissionDenied | std::io::ErrorKind::ReadOnlyFilesystem => {
            StoreError::ReadOnly { path: lock.clone() }
        }
        _ => StoreError::Unusable { path: path.to_owned(), why: e.to_string() },
    };
    let file = File::options().create(true).write(true).truncate(false).open(&lock);
    let file = file.map_err(unusable)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(StoreError::InUse { path: directory.to_owned() }),
        Err(TryLockError::Error(e)) => Err(unusable(e)),
    }
}

/// A connection that only reads.
pub(crate) fn reading(path: &Path) -> Result<Connection, StoreError> {
    Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).said(path)
}

/// A connection that leaves no trace, not even files of its own beside a database at rest.
fn peeking(path: &Path) -> Result<Connection, StoreError> {
    let mut log = path.as_os_str().to_owned();
    log.push("-wal");
    if Path::new(&log).exists() {
        return reading(path);
    }
    let plain = path.to_string_lossy().replace('%', "%25").replace('?', "%3f").replace('#', "%23");
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_URI;
    Connection::open_with_flags(format!("file:{plain}?immutable=1"), flags).said(path)
}

/// Looks at a file without writing to it.
fn look(path: &Path) -> Result<(), StoreError> {
    let c = peeking(path)?;
    let number = |pragma: &str| c.pragma_query_value(None, pragma, |r| r.get::<_, i64>(0));
    let (id, version) = (number("application_id").said(path)?, number("user_version").said(path)?);
    let mut s = c.prepare("SELECT name FROM sqlite_master WHERE type = 'table'").said(path)?;
    let names = s.query_map([], |r| r.get(0)).and_then(Iterator::collect);
    let tables: Vec<String> = names.said(path)?;
    let has = |name: &str| tables.iter().any(|t| t == name);
    // The first format was not marked yet.
    let ours = id == schema::OURS || (id == 0 && version == 1 && has("job") && has("ledger"));
    if !ours && !tables.is_empty() {
        return Err(StoreError::Foreign { path: path.to_owned() });
    }
    if version > schema::VERSION {
        let (found, known) = (version, schema::VERSION);
        return Err(StoreError::Newer { path: path.to_owned(), found, known });
    }
    if path.metadata().is_ok_and(|m| m.len() <= READ_WHOLE) {
        sound(&c, path)?;
    }
    Ok(())
}

/// Whether all pages fit together.
pub(crate) fn sound(c: &Connection, path: &Path) -> Result<(), StoreError> {
    let said: String = c.query_row("PRAGMA quick_check(1)", [], |r| r.get(0)).said(path)?;
    match said.as_str() {
        "ok" => Ok(()),
        // SQLite tells trees and pages, which say nothing to a technician.
        _ => Err(StoreError::Damaged {
            path: PathBuf::from(path),
            why: "pages that do not fit together".into(),
        }),
    }
}
