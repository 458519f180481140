//! The shop: vehicles with their models, jobs at work, benches, and whoever listens.

mod digest;
mod error;
mod reasoner;
mod session;
mod solved;
#[cfg(test)]
mod tests;
mod vehicles;

pub use error::ShopError;
pub use session::{Assessed, Session, Standing};
pub use vehicles::Vehicles;

use crate::bench::{Addresses, Bench};
use crate::captures::Captures;
use crate::follow::Followings;
use crate::plans::Plans;
use crate::presence::Presence;
use crate::progress::{AtWork, Progress};
use crate::roll_call::RollCalls;
use diagnosis::ledger::Entry;
use diagnosis::workshop::Workshop;
use diagnosis::{Cache, Known};
use reasoner::Reasoner;
use serde::Serialize;
use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::path::Path;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use store::{Kept, New, Store};
use tokio::sync::broadcast;
use utoipa::ToSchema;

/// Jobs kept at hand beside those somebody works with.
const AT_HAND: usize = 64;

/// Something that every window hears of.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(tag = "told", rename_all = "snake_case")]
pub enum Told {
    /// A job's ledger grew.
    Changed {
        /// The job.
        job: i64,
    },
    /// What a job's ledger adds up to was worked out anew.
    Assessed {
        /// The job.
        job: i64,
        /// Number of the last entry weighed.
        upto: u64,
    },
    /// How far work at a job's vehicle is.
    Progress {
        /// The job.
        job: i64,
        /// How far.
        progress: Progress,
    },
}

/// Everything the routes share.
#[derive(Debug)]
pub struct Shop {
    /// Jobs and ledgers.
    pub store: Store,
    /// Vehicle files and models.
    pub vehicles: Vehicles,
    benches: Mutex<BTreeMap<Option<i64>, Arc<Bench>>>,
    /// Jobs at hand, the latest used last.
    sessions: Mutex<Vec<Arc<Session>>>,
    reasoner: Reasoner,
    /// Work that runs at the vehicles.
    pub progress: AtWork,
    /// Roll calls that run or are paused.
    pub roll_calls: RollCalls,
    /// Plans that are being worked out.
    pub plans: Plans,
    /// Where a second person may look on, where that is offered.
    pub beside: OnceLock<SocketAddr>,
    /// Procedures that are followed.
    pub followings: Followings,
    /// Captures of buses.
    pub captures: Captures,
    /// Who is there.
    pub presence: Presence,
    told: broadcast::Sender<Told>,
    workshop: Mutex<Workshop>,
}

/// Name under which the shop's own numbers are kept.
const WORKSHOP: &str = "workshop";

fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The time now, RFC 3339.
pub fn now() -> String {
    jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

impl Shop {
    /// Opens the database, checks that there are vehicles, and begins to reason.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn open(
        data: &Path,
        vehicles: &Path,
        solved: &Path,
        cache: Cache,
    ) -> Result<Arc<Self>, ShopError> {
        let told = broadcast::channel(1024).0;
        let store = Store::open(data, digest::digest)?;
        let kept = store.settled(WORKSHOP)?;
        // What cannot be read is not worth refusing all work for: the usual numbers are taken.
        let workshop = kept.and_then(|text| match serde_json::from_str(&text) {
            Ok(workshop) => Some(workshop),
            Err(e) => {
                tracing::warn!("the shop's own prices and rates cannot be read, so the usual ones are used: {e}");
                None
            }
        });
        let shop = Arc::new(Self {
            vehicles: Vehicles::of(vehicles, cache, solved)?,
            store,
            workshop: Mutex::new(workshop.unwrap_or_default()),
            benches: Mutex::default(),
            sessions: Mutex::default(),
            reasoner: Reasoner::default(),
            progress: AtWork::new(told.clone()),
            roll_calls: RollCalls::default(),
            plans: Plans::default(),
            beside: OnceLock::new(),
            followings: Followings::default(),
            captures: Captures::open(data)?,
            presence: Presence::default(),
            told,
        });
        let reasoning = Arc::clone(&shop);
        std::thread::spawn(move || reasoning.reasoner.run(&reasoning));
        Ok(shop)
    }

    /// Ends reasoning and writes everything kept into the main file.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn close(&self) -> Result<(), ShopError> {
        self.reasoner.end();
        Ok(self.store.settle()?)
    }

    /// What every window hears of, from now on.
    pub fn follow(&self) -> broadcast::Receiver<Told> {
        self.told.subscribe()
    }

    fn tell(&self, told: Told) {
        // Nobody may be listening.
        let _ = self.told.send(told);
    }

    /// A job at work, its ledger read when it was not at hand.
    ///
    /// # Errors
    /// [`ShopError::Store`] where there is no such job.
    pub fn session(&self, id: i64) -> Result<Arc<Session>, ShopError> {
        let mut sessions = lock(&self.sessions);
        let session = match sessions.iter().position(|s| s.job.id == id) {
            Some(at) => sessions.remove(at),
            None => Arc::new(Session::open(self, id)?),
        };
        sessions.push(Arc::clone(&session));
        // One that somebody works with stays: there is never a second one of the same job.
        let idle = |s: &Arc<Session>| Arc::strong_count(s) == 1;
        let mut over = sessions.len().saturating_sub(AT_HAND);
        sessions.retain(|s| {
            let goes = over > 0 && idle(s);
            over -= usize::from(goes);
            !goes
        });
        Ok(session)
    }

    /// What a job adds up to, with what is known beside it.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn standing_known(&self, session: &Session) -> Result<(Arc<Standing>, Known), ShopError> {
        let standing = session.standing(self)?;
        let known = self.known(session, &standing)?;
        Ok((standing, known))
    }

    fn known(&self, session: &Session, standing: &Standing) -> Result<Known, ShopError> {
        let confirmed = self.store.causes(&session.job.vehicle, session.job.id)?;
        let confirmed = confirmed.into_iter().filter_map(|(item, n)| Some((item.parse().ok()?, n)));
        Ok(standing.case.known(confirmed.collect(), self.workshop()))
    }

    /// What the shop has settled for all its jobs.
    pub fn workshop(&self) -> Workshop {
        lock(&self.workshop).clone()
    }

    /// Settles it anew; jobs somebody works with are weighed again.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn set_workshop(&self, workshop: Workshop) -> Result<(), ShopError> {
        let text = serde_json::to_string(&workshop).unwrap_or_default();
        self.store.settle_for_all(WORKSHOP, &text)?;
        *lock(&self.workshop) = workshop;
        let at_work: Vec<Arc<Session>> =
            lock(&self.sessions).iter().filter(|s| s.assessed().is_some()).cloned().collect();
        for session in &at_work {
            self.reasoner.ask(session);
        }
        Ok(())
    }

    /// Whether the latest assessment says what the ledger and the shop's causes now say; asks for a
    /// new one where it does not.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn is_assessed(
        &self,
        session: &Arc<Session>,
        standing: &Standing,
    ) -> Result<Option<Arc<Assessed>>, ShopError> {
        let known = self.known(session, standing)?;
        let fresh = session.assessed().filter(|a| a.upto == standing.last() && a.known == known);
        if fresh.is_none() {
            self.reasoner.ask(session);
        }
        Ok(fresh)
    }

    /// Solves the named states of a vehicle when there is time.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn solve_ahead(&self, vehicle: &str) -> Result<(), ShopError> {
        let (model, name) = self.vehicles.model(vehicle, &Default::default())?;
        self.reasoner.named_states(&model, &name);
        Ok(())
    }

    /// Sets the bench of a job, or of all jobs that have none of their own.
    pub fn set_bench(&self, job: Option<i64>, at: Addresses) {
        lock(&self.benches).insert(job, Arc::new(Bench::new(at)));
    }

    /// The bench of a job.
    pub fn bench(&self, job: i64) -> Arc<Bench> {
        let benches = lock(&self.benches);
        let found = benches.get(&Some(job)).or_else(|| benches.get(&None));
        found.cloned().unwrap_or_else(|| Arc::new(Bench::new(Addresses::default())))
    }

    /// Opens a job.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn open_job(
        &self,
        vehicle: &str,
        demo: Option<&str>,
        entries: &[Entry],
    ) -> Result<i64, ShopError> {
        let entries: Vec<String> =
            entries.iter().map(|e| serde_json::to_string(e).unwrap_or_default()).collect();
        Ok(self.store.open_job(New { vehicle, demo, at: &now(), entries: &entries })?)
    }

    /// Appends entries to a job, all or none; they are on the disk when this returns. What follows
    /// from them is worked out after that, and told.
    ///
    /// # Errors
    /// [`ShopError`].
    pub fn append(
        &self,
        session: &Arc<Session>,
        entries: &[Entry],
        key: Option<&str>,
    ) -> Result<Kept, ShopError> {
        let kept = session.append(self, entries, key)?;
        if !kept.before {
            self.reasoner.ask(session);
            self.tell(Told::Changed { job: session.job.id });
            if entries.iter().any(|e| matches!(e, Entry::SignedOff { .. } | Entry::Reopened { .. }))
            {
                self.causes_changed(&session.job);
            }
        }
        Ok(kept)
    }

    /// What this shop found before weighs in other jobs of the same vehicle file.
    fn causes_changed(&self, by: &store::Job) {
        let others: Vec<Arc<Session>> = lock(&self.sessions)
            .iter()
            .filter(|s| s.job.vehicle == by.vehicle && s.job.id != by.id)
            .filter(|s| s.assessed().is_some())
            .cloned()
            .collect();
        for other in &others {
            self.reasoner.ask(other);
        }
    }
}
