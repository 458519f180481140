//! Captures of buses: kept beside the ledger, opened from there, what stands in them ready to be shown.

pub mod opened;
mod read;

pub use opened::{Opened, Reading};
pub use read::{Content, Hints, read};

use diagnosis::ledger::{Capture, CaptureOf};
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use store::StoreError;

/// Captures that stay open beside the one that is looked at: each may take a gigabyte.
const OPEN: usize = 2;

/// A job's capture.
type Name = (i64, u64);

/// All captures.
#[derive(Debug)]
pub struct Captures {
    /// Where they lie.
    pub kept: store::Captures,
    open: Mutex<Vec<(Name, Arc<Opened>)>>,
}

impl Captures {
    /// Those beside a database.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn open(data: &Path) -> Result<Self, StoreError> {
        Ok(Self { kept: store::Captures::open(data)?, open: Mutex::default() })
    }

    /// Keeps an opened one at hand; the one not looked at for longest goes.
    pub fn hold(&self, job: i64, number: u64, opened: Arc<Opened>) {
        let mut open = self.open.lock().unwrap_or_else(PoisonError::into_inner);
        open.retain(|(name, _)| *name != (job, number));
        open.push(((job, number), opened));
        let over = open.len().saturating_sub(OPEN);
        open.drain(..over);
    }

    /// One that is at hand.
    fn at_hand(&self, job: i64, number: u64) -> Option<Arc<Opened>> {
        let mut open = self.open.lock().unwrap_or_else(PoisonError::into_inner);
        let at = open.iter().position(|(name, _)| *name == (job, number))?;
        let found = open.remove(at);
        let opened = Arc::clone(&found.1);
        open.push(found);
        Some(opened)
    }

    /// Opens one; what was opened lately is at hand, another is read and decoded, which takes seconds.
    ///
    /// # Errors
    /// In words, when its file is gone or cannot be read.
    pub fn opened(&self, job: i64, capture: &Capture) -> Result<Arc<Opened>, String> {
        if let Some(opened) = self.at_hand(job, capture.number) {
            return Ok(opened);
        }
        let path = self.kept.path(job, capture.number).ok_or_else(|| {
            format!("the file of “{}” is not beside the database any more", capture.name)
        })?;
        let hints = Hints { step_s: capture.step_s, time_unit_s: None };
        let opened =
            Arc::new(Opened::of(read(&path, &hints).map_err(|e| e.to_string())?, capture.bus)?);
        self.hold(job, capture.number, Arc::clone(&opened));
        Ok(opened)
    }
}

/// What a capture is of, in a word.
pub fn bus(of: CaptureOf) -> &'static str {
    match of {
        CaptureOf::Can => "CAN",
        CaptureOf::Lin => "LIN",
    }
}
