//! SQLite: jobs and their append-only ledger.
//!
//! Bodies are JSON that this crate does not look into. Nothing is acknowledged
//! before it is committed; the ledger can be added to and read, never changed:
//! the database itself refuses updates and deletions.

use rusqlite::{Connection, OptionalExtension, params};
use rusqlite_migration::{M, Migrations};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use thiserror::Error;

/// What can go wrong.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The database file cannot be opened or written.
    #[error(
        "cannot use the database {path}: {why}; check that the directory exists and may be written to, or name another with --data"
    )]
    Unusable {
        /// Its path.
        path: PathBuf,
        /// SQLite's words.
        why: String,
    },
    /// A job that does not exist.
    #[error("there is no job {0}")]
    NoJob(i64),
    /// SQLite.
    #[error("the database refuses: {0}")]
    Database(#[from] rusqlite::Error),
}

/// A job.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Job {
    /// Number.
    pub id: i64,
    /// Vehicle file.
    pub vehicle: String,
    /// RFC 3339 time it was opened.
    pub opened_at: String,
    /// Demo set-up, when it came with the application.
    pub demo: Option<String>,
}

/// A ledger entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Number in the job, from 1.
    pub number: u64,
    /// RFC 3339 time.
    pub at: String,
    /// JSON.
    pub body: String,
}

/// The database.
#[derive(Debug)]
pub struct Store {
    connection: Mutex<Connection>,
}

const FIRST: &str = "
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    vehicle TEXT NOT NULL,
    opened_at TEXT NOT NULL,
    demo TEXT UNIQUE
) STRICT;
CREATE TABLE ledger (
    job INTEGER NOT NULL REFERENCES job(id),
    number INTEGER NOT NULL,
    at TEXT NOT NULL,
    body TEXT NOT NULL,
    PRIMARY KEY (job, number)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER ledger_keeps_update BEFORE UPDATE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER ledger_keeps_delete BEFORE DELETE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
";

impl Store {
    /// Opens the database in a directory, creating both.
    ///
    /// # Errors
    /// [`StoreError::Unusable`].
    pub fn open(directory: &Path) -> Result<Self, StoreError> {
        let path = directory.join("chalkeus.sqlite");
        let unusable = |why: String| StoreError::Unusable { path: path.clone(), why };
        std::fs::create_dir_all(directory).map_err(|e| unusable(e.to_string()))?;
        let mut connection = Connection::open(&path).map_err(|e| unusable(e.to_string()))?;
        let prepare = |c: &mut Connection| -> Result<(), String> {
            c.pragma_update(None, "journal_mode", "WAL").map_err(|e| e.to_string())?;
            // FULL: a commit is on the disk before it is acknowledged.
            c.pragma_update(None, "synchronous", "FULL").map_err(|e| e.to_string())?;
            c.pragma_update(None, "foreign_keys", true).map_err(|e| e.to_string())?;
            Migrations::new(vec![M::up(FIRST)]).to_latest(c).map_err(|e| e.to_string())?;
            // A read-only file shows only when it is written to.
            c.execute_batch("BEGIN IMMEDIATE; ROLLBACK;").map_err(|e| e.to_string())
        };
        prepare(&mut connection).map_err(unusable)?;
        Ok(Self { connection: Mutex::new(connection) })
    }

    fn lock(&self) -> MutexGuard<'_, Connection> {
        self.connection.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Opens a job with its first entries, all or none.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub fn open_job(
        &self,
        vehicle: &str,
        demo: Option<&str>,
        at: &str,
        entries: &[String],
    ) -> Result<i64, StoreError> {
        let mut c = self.lock();
        let t = c.transaction()?;
        t.execute(
            "INSERT INTO job (vehicle, opened_at, demo) VALUES (?1, ?2, ?3)",
            params![vehicle, at, demo],
        )?;
        let id = t.last_insert_rowid();
        for (number, body) in (1i64..).zip(entries) {
            t.execute(
                "INSERT INTO ledger (job, number, at, body) VALUES (?1, ?2, ?3, ?4)",
                params![id, number, at, body],
            )?;
        }
        t.commit()?;
        Ok(id)
    }

    /// All jobs, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub fn jobs(&self) -> Result<Vec<Job>, StoreError> {
        let c = self.lock();
        let mut s = c.prepare("SELECT id, vehicle, opened_at, demo FROM job ORDER BY id DESC")?;
        let rows = s.query_map([], job)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// One job.
    ///
    /// # Errors
    /// [`StoreError::NoJob`].
    pub fn job(&self, id: i64) -> Result<Job, StoreError> {
        self.lock()
            .query_row("SELECT id, vehicle, opened_at, demo FROM job WHERE id = ?1", [id], job)
            .optional()?
            .ok_or(StoreError::NoJob(id))
    }

    /// Appends an entry; it is on the disk when this returns. Returns its number.
    ///
    /// # Errors
    /// [`StoreError::NoJob`].
    pub fn append(&self, job: i64, at: &str, body: &str) -> Result<u64, StoreError> {
        self.job(job)?;
        let mut c = self.lock();
        let t = c.transaction()?;
        let number: i64 = t.query_row(
            "SELECT COALESCE(MAX(number), 0) + 1 FROM ledger WHERE job = ?1",
            [job],
            |r| r.get(0),
        )?;
        t.execute(
            "INSERT INTO ledger (job, number, at, body) VALUES (?1, ?2, ?3, ?4)",
            params![job, number, at, body],
        )?;
        t.commit()?;
        Ok(number.unsigned_abs())
    }

    /// The ledger of a job, in order.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub fn ledger(&self, job: i64) -> Result<Vec<Entry>, StoreError> {
        let c = self.lock();
        let mut s =
            c.prepare("SELECT number, at, body FROM ledger WHERE job = ?1 ORDER BY number")?;
        let rows = s.query_map([job], |r| {
            Ok(Entry { number: r.get::<_, i64>(0)?.unsigned_abs(), at: r.get(1)?, body: r.get(2)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}

fn job(r: &rusqlite::Row<'_>) -> rusqlite::Result<Job> {
    Ok(Job { id: r.get(0)?, vehicle: r.get(1)?, opened_at: r.get(2)?, demo: r.get(3)? })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn entries_come_back_in_order_after_reopening() {
        let dir = tempfile::tempdir().unwrap();
        let id = {
            let s = Store::open(dir.path()).unwrap();
            let id = s.open_job("wren", Some("1"), "t0", &["{\"a\":1}".into()]).unwrap();
            assert_eq!(s.append(id, "t1", "{\"b\":2}").unwrap(), 2);
            id
        };
        let s = Store::open(dir.path()).unwrap();
        let bodies: Vec<_> = s.ledger(id).unwrap().into_iter().map(|e| e.body).collect();
        assert_eq!(bodies, ["{\"a\":1}", "{\"b\":2}"]);
        assert!(matches!(s.append(99, "t", "{}"), Err(StoreError::NoJob(99))));
    }

    #[test]
    fn the_ledger_cannot_be_changed() {
        let dir = tempfile::tempdir().unwrap();
        let s = Store::open(dir.path()).unwrap();
        s.open_job("wren", None, "t0", &["{}".into()]).unwrap();
        for sql in ["UPDATE ledger SET body = 'x'", "DELETE FROM ledger"] {
            let error = s.lock().execute(sql, []).unwrap_err().to_string();
            assert!(error.contains("append-only"), "{error}");
        }
    }

    #[test]
    fn a_directory_that_cannot_be_used_is_named() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("file");
        std::fs::write(&file, "x").unwrap();
        let error = Store::open(&file).unwrap_err().to_string();
        assert!(error.contains("--data"), "{error}");
    }
}
