//! SQLite: jobs, their append-only ledgers, and what follows from them for lists.
//!
//! Bodies are JSON that this crate does not look into: what a job's summary makes of an entry is
//! said by the [`Digest`] it is opened with. Nothing is acknowledged before it is committed, with
//! the summary it changes in the same transaction; the ledger can be added to and read, never
//! changed: the database itself refuses updates and deletions.

mod backup;
mod captures;
mod error;
mod list;
mod open;
mod schema;
mod summary;

pub use backup::backup;
pub use captures::{Captures, Incoming};
pub use error::StoreError;
pub use list::{Listed, Page, Wanted};
pub use summary::{Digest, Summary};

use error::Said;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::{Mutex, MutexGuard, PoisonError};

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

/// A job to be opened.
#[derive(Debug, Clone, Copy)]
pub struct New<'a> {
    /// Vehicle file.
    pub vehicle: &'a str,
    /// Demo set-up, when it comes with the application.
    pub demo: Option<&'a str>,
    /// RFC 3339 time.
    pub at: &'a str,
    /// Its first entries.
    pub entries: &'a [String],
}

/// Numbers of the entries that were kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Kept {
    /// The first.
    pub first: u64,
    /// The last.
    pub last: u64,
    /// They had been kept before under the same key: nothing was added now.
    pub before: bool,
}

/// The database of one program; another program on the same directory is refused.
#[derive(Debug)]
pub struct Store {
    connection: Mutex<Connection>,
    path: PathBuf,
    digest: Digest,
    /// Locked as long as the store is open.
    _held: std::fs::File,
}

impl Store {
    fn lock(&self) -> MutexGuard<'_, Connection> {
        self.connection.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn say(&self, e: rusqlite::Error) -> StoreError {
        StoreError::of(&self.path, e)
    }

    /// Opens a job with its first entries, all or none.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn open_job(&self, new: New<'_>) -> Result<i64, StoreError> {
        Ok(self.open_jobs(&[new])?.first().copied().unwrap_or_default())
    }

    /// Opens many jobs at once, all or none.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn open_jobs(&self, list: &[New<'_>]) -> Result<Vec<i64>, StoreError> {
        let mut c = self.lock();
        let t = c.transaction().said(&self.path)?;
        let mut ids = Vec::new();
        for new in list {
            t.execute(
                "INSERT INTO job (vehicle, opened_at, demo) VALUES (?1, ?2, ?3)",
                params![new.vehicle, new.at, new.demo],
            )
            .said(&self.path)?;
            let id = t.last_insert_rowid();
            let entries = new.entries.iter().map(|body| (new.at, body.as_str()));
            self.add(&t, id, 1, entries).said(&self.path)?;
            ids.push(id);
        }
        t.commit().said(&self.path)?;
        Ok(ids)
    }

    /// Takes in a job from elsewhere, all of it or nothing: its entries, each with the time it was made at.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn take_job(
        &self,
        vehicle: &str,
        opened_at: &str,
        entries: &[(String, String)],
    ) -> Result<i64, StoreError> {
        let mut c = self.lock();
        let t = c.transaction().said(&self.path)?;
        t.execute(
            "INSERT INTO job (vehicle, opened_at, demo) VALUES (?1, ?2, NULL)",
            params![vehicle, opened_at],
        )
        .said(&self.path)?;
        let id = t.last_insert_rowid();
        let entries = entries.iter().map(|(at, body)| (at.as_str(), body.as_str()));
        self.add(&t, id, 1, entries).said(&self.path)?;
        t.commit().said(&self.path)?;
        Ok(id)
    }

    /// Adds entries, each with its time, from a number on, and what follows from them for the summary.
    fn add<'e>(
        &self,
        t: &Transaction<'_>,
        job: i64,
        from: i64,
        entries: impl Iterator<Item = (&'e str, &'e str)>,
    ) -> rusqlite::Result<()> {
        let mut summary = summary::read(t, job)?.unwrap_or_default();
        for (number, (at, body)) in (from..).zip(entries) {
            t.prepare_cached("INSERT INTO ledger (job, number, at, body) VALUES (?1, ?2, ?3, ?4)")?
                .execute(params![job, number, at, body])?;
            summary.take(self.digest, body);
        }
        summary::write(t, job, &summary)
    }

    /// One job.
    ///
    /// # Errors
    /// [`StoreError::NoJob`].
    pub fn job(&self, id: i64) -> Result<Job, StoreError> {
        self.lock()
            .query_row("SELECT id, vehicle, opened_at, demo FROM job WHERE id = ?1", [id], job)
            .optional()
            .map_err(|e| self.say(e))?
            .ok_or(StoreError::NoJob(id))
    }

    /// The job that came with the application under a name, if it was opened.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn demo_job(&self, demo: &str) -> Result<Option<i64>, StoreError> {
        self.lock()
            .query_row("SELECT id FROM job WHERE demo = ?1", [demo], |r| r.get(0))
            .optional()
            .map_err(|e| self.say(e))
    }

    /// Appends entries, all or none; they are on the disk when this returns. A key that was used in
    /// this job before adds nothing: it tells the numbers of what was kept under it.
    ///
    /// # Errors
    /// [`StoreError::NoJob`].
    pub fn append(
        &self,
        job: i64,
        at: &str,
        bodies: &[&str],
        key: Option<&str>,
    ) -> Result<Kept, StoreError> {
        let mut c = self.lock();
        let t = c.transaction().said(&self.path)?;
        if !exists(&t, job).said(&self.path)? {
            return Err(StoreError::NoJob(job));
        }
        if let Some(key) = key
            && let Some(kept) = kept(&t, job, key).said(&self.path)?
        {
            return Ok(kept);
        }
        let first: i64 = t
            .prepare_cached("SELECT COALESCE(MAX(number), 0) + 1 FROM ledger WHERE job = ?1")
            .and_then(|mut s| s.query_row([job], |r| r.get(0)))
            .said(&self.path)?;
        self.add(&t, job, first, bodies.iter().map(|body| (at, *body))).said(&self.path)?;
        let last = first + bodies.len() as i64 - 1;
        if let Some(key) = key {
            t.execute(
                "INSERT INTO kept (job, key, first, last) VALUES (?1, ?2, ?3, ?4)",
                params![job, key, first, last],
            )
            .said(&self.path)?;
        }
        t.commit().said(&self.path)?;
        Ok(Kept { first: first.unsigned_abs(), last: last.unsigned_abs(), before: false })
    }

    /// What was kept in a job under a key, if anything was.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn kept(&self, job: i64, key: &str) -> Result<Option<Kept>, StoreError> {
        kept(&self.lock(), job, key).map_err(|e| self.say(e))
    }

    /// The ledger of a job after a number, in order.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn ledger(&self, job: i64, after: u64) -> Result<Vec<Entry>, StoreError> {
        let read = |c: &Connection| -> rusqlite::Result<Vec<Entry>> {
            let mut s = c.prepare_cached(
                "SELECT number, at, CAST(body AS BLOB) FROM ledger
                 WHERE job = ?1 AND number > ?2 ORDER BY number",
            )?;
            let rows = s.query_map(params![job, after as i64], |r| {
                Ok(Entry {
                    number: r.get::<_, i64>(0)?.unsigned_abs(),
                    at: r.get(1)?,
                    // A damaged body is told of by whoever reads it; it must not hide the others.
                    body: String::from_utf8_lossy(&r.get::<_, Vec<u8>>(2)?).into_owned(),
                })
            })?;
            rows.collect()
        };
        read(&self.lock()).map_err(|e| self.say(e))
    }

    /// How often each repair item was the confirmed cause in signed-off jobs of a vehicle file: once
    /// a job, however often it was written down there.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn causes(&self, vehicle: &str, but: i64) -> Result<BTreeMap<String, u32>, StoreError> {
        let read = |c: &Connection| -> rusqlite::Result<BTreeMap<String, u32>> {
            let mut s = c.prepare_cached(
                "SELECT item, COUNT(*) FROM cause WHERE vehicle = ?1 AND job <> ?2 GROUP BY item",
            )?;
            let rows = s.query_map(params![vehicle, but], |r| Ok((r.get(0)?, r.get(1)?)))?;
            rows.collect()
        };
        read(&self.lock()).map_err(|e| self.say(e))
    }

    /// What was settled under a name for all jobs, if anything was.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn settled(&self, name: &str) -> Result<Option<String>, StoreError> {
        self.lock()
            .query_row("SELECT body FROM settled WHERE name = ?1", [name], |r| r.get(0))
            .optional()
            .map_err(|e| self.say(e))
    }

    /// Settles something for all jobs, in place of what was; it is on the disk when this returns.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn settle_for_all(&self, name: &str, body: &str) -> Result<(), StoreError> {
        self.lock()
            .execute(
                "INSERT INTO settled (name, body) VALUES (?1, ?2)
                 ON CONFLICT (name) DO UPDATE SET body = excluded.body",
                params![name, body],
            )
            .map(|_| ())
            .map_err(|e| self.say(e))
    }

    /// Writes everything acknowledged into the main file, for a clean stop.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn settle(&self) -> Result<(), StoreError> {
        self.lock()
            .query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |_| Ok(()))
            .map_err(|e| self.say(e))
    }

    /// Reads every page and tells of the first that is damaged. Takes as long as the file is large.
    ///
    /// # Errors
    /// [`StoreError::Damaged`].
    pub fn check(&self) -> Result<(), StoreError> {
        // A connection of its own: whoever writes meanwhile does not wait.
        let c = open::reading(&self.path)?;
        open::sound(&c, &self.path)
    }

    /// Size of the file, bytes.
    pub fn size(&self) -> u64 {
        self.path.metadata().map_or(0, |m| m.len())
    }
}

fn exists(c: &Connection, job: i64) -> rusqlite::Result<bool> {
    c.prepare_cached("SELECT 1 FROM job WHERE id = ?1")?.exists([job])
}

fn kept(c: &Connection, job: i64, key: &str) -> rusqlite::Result<Option<Kept>> {
    c.prepare_cached("SELECT first, last FROM kept WHERE job = ?1 AND key = ?2")?
        .query_row(params![job, key], |r| {
            let number = |k| r.get::<_, i64>(k).map(i64::unsigned_abs);
            Ok(Kept { first: number(0)?, last: number(1)?, before: true })
        })
        .optional()
}

fn job(r: &rusqlite::Row<'_>) -> rusqlite::Result<Job> {
    Ok(Job { id: r.get(0)?, vehicle: r.get(1)?, opened_at: r.get(2)?, demo: r.get(3)? })
}
