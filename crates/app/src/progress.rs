//! Long work at the vehicle: who does what, how far it is, and how it is stopped.

use crate::shop::Told;
use diagnosis::ledger::ScannedModule;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::{broadcast, watch};
use utoipa::ToSchema;
use vehicle::PartId;

/// How far some work is.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Progress {
    /// `scan`.
    pub what: String,
    /// Modules done.
    pub done: usize,
    /// Modules asked.
    pub of: usize,
    /// The module that was done just now.
    pub module: PartId,
    /// It answered.
    pub answered: bool,
    /// Codes it holds.
    pub codes: usize,
    /// Why it did not answer.
    pub trouble: String,
}

impl Progress {
    /// A module's answer in a scan.
    pub fn scanned(m: &ScannedModule, done: usize, of: usize) -> Self {
        Self {
            what: "scan".into(),
            done,
            of,
            module: m.module.clone(),
            answered: m.answered,
            codes: m.codes.iter().filter(|c| c.failing() || c.stored()).count(),
            trouble: m.trouble.clone(),
        }
    }
}

/// Stops of the work that runs, by job.
type Running = Arc<Mutex<BTreeMap<i64, watch::Sender<bool>>>>;

/// All work that runs.
#[derive(Debug, Clone)]
pub struct AtWork {
    running: Running,
    told: broadcast::Sender<Told>,
}

fn lock(running: &Running) -> MutexGuard<'_, BTreeMap<i64, watch::Sender<bool>>> {
    running.lock().unwrap_or_else(PoisonError::into_inner)
}

impl AtWork {
    /// Nothing runs yet; how far it is will be told there.
    pub fn new(told: broadcast::Sender<Told>) -> Self {
        Self { running: Running::default(), told }
    }

    /// Begins something for a job, unless something runs for it already.
    ///
    /// # Errors
    /// [`Busy`].
    pub fn begin(&self, job: i64, what: &str) -> Result<Work, Busy> {
        let mut running = lock(&self.running);
        if running.contains_key(&job) {
            return Err(Busy(what.to_owned()));
        }
        let (stop, stopped) = watch::channel(false);
        running.insert(job, stop);
        Ok(Work { at: self.clone(), job, stopped })
    }

    /// Stops what runs for a job.
    pub fn stop(&self, job: i64) {
        if let Some(stop) = lock(&self.running).get(&job) {
            let _ = stop.send(true);
        }
    }
}

/// Something runs for the job already.
#[derive(Debug, thiserror::Error)]
#[error("a {0} is running already; wait for it or stop it")]
pub struct Busy(String);

/// Work that runs; dropping it says that it is over.
#[derive(Debug)]
pub struct Work {
    at: AtWork,
    job: i64,
    stopped: watch::Receiver<bool>,
}

impl Work {
    /// Who tells how far it is.
    pub fn teller(&self) -> Teller {
        Teller { told: self.at.told.clone(), job: self.job }
    }

    /// Waits until somebody stops it.
    pub async fn stopped(&mut self) {
        if self.stopped.wait_for(|stop| *stop).await.is_err() {
            std::future::pending::<()>().await;
        }
    }
}

impl Drop for Work {
    fn drop(&mut self) {
        lock(&self.at.running).remove(&self.job);
    }
}

/// Tells how far some work is.
#[derive(Debug, Clone)]
pub struct Teller {
    told: broadcast::Sender<Told>,
    job: i64,
}

impl Teller {
    /// Tells whoever listens.
    pub fn tell(&self, progress: Progress) {
        let _ = self.told.send(Told::Progress { job: self.job, progress });
    }
}
