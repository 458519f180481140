//! Captures beside the database: a file each, named by job and number, whole or not at all.
//!
//! What comes in is written to a file of another name, put on the disk, and only then given its own:
//! whatever stops the program before leaves nothing that looks like a capture.

use crate::error::StoreError;
use std::fs::{self, File};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, PoisonError};

/// The directory of captures.
#[derive(Debug)]
pub struct Captures {
    directory: PathBuf,
    /// Names that were given out for what is coming in.
    parts: AtomicU64,
    /// Held while a file gets its number.
    numbering: Mutex<()>,
}

/// What is coming in; gone when it is dropped before it was kept.
#[derive(Debug)]
pub struct Incoming<'c> {
    of: &'c Captures,
    job: i64,
    file: File,
    part: PathBuf,
    bytes: u64,
    kept: bool,
}

/// Ending of files that are not whole yet.
const PART: &str = "part";
/// Ending of captures.
const WHOLE: &str = "capture";
/// Directory of captures beside the database.
const CAPTURES: &str = "captures";

/// Copies the captures beside one database to beside another; what is still coming in stays behind.
///
/// # Errors
/// [`StoreError`].
pub(crate) fn copy(from: &Path, to: &Path) -> Result<(), StoreError> {
    let (from, to) = (from.join(CAPTURES), to.join(CAPTURES));
    if !from.is_dir() {
        return Ok(());
    }
    fs::create_dir_all(&to).map_err(|e| StoreError::file(&to, e))?;
    for entry in fs::read_dir(&from).map_err(|e| StoreError::file(&from, e))?.flatten() {
        if entry.path().extension().is_some_and(|e| e == WHOLE) {
            let copy = to.join(entry.file_name());
            fs::copy(entry.path(), &copy).map_err(|e| StoreError::file(&copy, e))?;
        }
    }
    Ok(())
}

impl Captures {
    /// The captures beside a database; what was left unfinished goes.
    ///
    /// # Errors
    /// [`StoreError`], when the directory cannot be made or read.
    pub fn open(data: &Path) -> Result<Self, StoreError> {
        let directory = data.join(CAPTURES);
        let of = |e| StoreError::file(&directory, e);
        fs::create_dir_all(&directory).map_err(of)?;
        for entry in fs::read_dir(&directory).map_err(of)?.flatten() {
            if entry.path().extension().is_some_and(|e| e == PART) {
                // One that cannot be removed is no capture all the same.
                let _ = fs::remove_file(entry.path());
            }
        }
        Ok(Self { directory, parts: AtomicU64::new(0), numbering: Mutex::default() })
    }

    /// Begins to take one in.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn begin(&self, job: i64) -> Result<Incoming<'_>, StoreError> {
        let part = self.parts.fetch_add(1, Ordering::Relaxed);
        let part = self.directory.join(format!("{job}-{part}.{PART}"));
        let file = File::create(&part).map_err(|e| StoreError::file(&part, e))?;
        Ok(Incoming { of: self, job, file, part, bytes: 0, kept: false })
    }

    fn name(&self, job: i64, number: u64) -> PathBuf {
        self.directory.join(format!("{job}-{number}.{WHOLE}"))
    }

    /// Where a capture stands; none where there is no such one.
    pub fn path(&self, job: i64, number: u64) -> Option<PathBuf> {
        Some(self.name(job, number)).filter(|p| p.is_file())
    }
}

impl Incoming<'_> {
    /// Takes the next bytes.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn write(&mut self, bytes: &[u8]) -> Result<(), StoreError> {
        self.file.write_all(bytes).map_err(|e| StoreError::file(&self.part, e))?;
        self.bytes += bytes.len() as u64;
        Ok(())
    }

    /// Where it stands until it is kept.
    pub fn path(&self) -> &Path {
        &self.part
    }

    /// How many bytes came so far.
    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// Keeps it: on the disk when this returns, under the number returned.
    ///
    /// # Errors
    /// [`StoreError`]; then nothing was kept.
    pub fn keep(self) -> Result<u64, StoreError> {
        let job = self.job;
        self.keep_as(job, None)
    }

    /// Keeps it in a job under a number; none: under the first that is free there.
    ///
    /// # Errors
    /// [`StoreError`]; then nothing was kept.
    pub fn keep_as(mut self, job: i64, number: Option<u64>) -> Result<u64, StoreError> {
        self.job = job;
        let of = |e| StoreError::file(&self.part, e);
        self.file.sync_all().map_err(of)?;
        let held = self.of.numbering.lock().unwrap_or_else(PoisonError::into_inner);
        let free = || (1..).find(|n| !self.of.name(self.job, *n).exists()).unwrap_or(1);
        let number = number.unwrap_or_else(free);
        fs::rename(&self.part, self.of.name(self.job, number)).map_err(of)?;
        File::open(&self.of.directory).and_then(|d| d.sync_all()).map_err(of)?;
        drop(held);
        self.kept = true;
        Ok(number)
    }
}

impl Drop for Incoming<'_> {
    fn drop(&mut self) {
        if !self.kept {
            let _ = fs::remove_file(&self.part);
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn files(captures: &Captures) -> usize {
        fs::read_dir(&captures.directory).unwrap().count()
    }

    #[test]
    fn a_capture_is_there_whole_or_not_at_all() {
        let data = tempfile::tempdir().unwrap();
        let captures = Captures::open(data.path()).unwrap();
        let mut first = captures.begin(7).unwrap();
        first.write(b"one ").unwrap();
        first.write(b"two").unwrap();
        assert_eq!((first.bytes(), captures.path(7, 1)), (7, None));
        assert_eq!(first.keep().unwrap(), 1);
        assert_eq!(fs::read(captures.path(7, 1).unwrap()).unwrap(), b"one two");
        // Given up: nothing stays.
        let mut given_up = captures.begin(7).unwrap();
        given_up.write(b"half").unwrap();
        drop(given_up);
        assert_eq!(files(&captures), 1);
        // Ended in the middle, as by a power cut: the next start clears it away.
        let mut cut = captures.begin(7).unwrap();
        cut.write(b"half").unwrap();
        std::mem::forget(cut);
        assert_eq!(files(&captures), 2);
        let again = Captures::open(data.path()).unwrap();
        assert_eq!(files(&again), 1);
        assert_eq!((again.path(7, 2), again.path(8, 1)), (None, None));
    }

    #[test]
    fn many_at_once_get_numbers_of_their_own() {
        let data = tempfile::tempdir().unwrap();
        let captures = Captures::open(data.path()).unwrap();
        let numbers: Mutex<Vec<u64>> = Mutex::default();
        std::thread::scope(|s| {
            for k in 0..8u8 {
                let (captures, numbers) = (&captures, &numbers);
                s.spawn(move || {
                    let mut one = captures.begin(1).unwrap();
                    one.write(&[k; 1000]).unwrap();
                    numbers.lock().unwrap().push(one.keep().unwrap());
                });
            }
        });
        let mut numbers = numbers.into_inner().unwrap();
        numbers.sort_unstable();
        assert_eq!(numbers, (1..=8).collect::<Vec<u64>>());
    }
}
