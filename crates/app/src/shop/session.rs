//! A job at work: its ledger read once, what it adds up to, and what was made of that.

use super::digest::unreadable;
use super::error::ShopError;
use super::{Shop, lock, now};
use crate::view::shown::Shown;
use diagnosis::Assessment;
use diagnosis::ledger::{Case, Entry, Numbered};
use diagnosis::{Known, Model};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};
use tokio::sync::watch;

/// A job at work.
#[derive(Debug)]
pub struct Session {
    /// The job.
    pub job: store::Job,
    ledger: Mutex<Vec<Arc<Numbered>>>,
    /// What the ledger added up to last.
    standing: Mutex<Option<Arc<Standing>>>,
    assessed: watch::Sender<Option<Arc<Assessed>>>,
    /// What was shown of it last.
    pub(crate) shown: Mutex<Shown>,
}

/// What a ledger adds up to, up to some entry.
#[derive(Debug)]
pub struct Standing {
    /// The job.
    pub job: store::Job,
    /// Its vehicle, with the equipment it has.
    pub model: Arc<Model>,
    /// Names the vehicle file and the equipment left out.
    pub lists: String,
    /// Its entries.
    pub entries: Vec<Arc<Numbered>>,
    /// What they add up to.
    pub case: Case,
}

/// An assessment with what it was made from.
#[derive(Debug)]
pub struct Assessed {
    /// Number of the last entry weighed.
    pub upto: u64,
    /// What was known beside the ledger.
    pub known: Known,
    /// What came out.
    pub assessment: Assessment,
    /// Why nothing came out; empty when something did.
    pub trouble: String,
}

impl Standing {
    /// Number of the last entry.
    pub fn last(&self) -> u64 {
        self.entries.last().map_or(0, |e| e.number)
    }
}

impl Session {
    pub(super) fn open(shop: &Shop, id: i64) -> Result<Self, ShopError> {
        let job = shop.store.job(id)?;
        let ledger = read(shop, id, 0)?;
        Ok(Self {
            job,
            ledger: Mutex::new(ledger),
            standing: Mutex::default(),
            assessed: watch::channel(None).0,
            shown: Mutex::default(),
        })
    }

    /// Appends entries, all or none; they are on the disk when this returns.
    pub(super) fn append(
        &self,
        shop: &Shop,
        entries: &[Entry],
        key: Option<&str>,
    ) -> Result<store::Kept, ShopError> {
        let bodies: Vec<String> =
            entries.iter().map(|e| serde_json::to_string(e).unwrap_or_default()).collect();
        let bodies: Vec<&str> = bodies.iter().map(String::as_str).collect();
        let mut ledger = lock(&self.ledger);
        let kept = shop.store.append(self.job.id, &now(), &bodies, key)?;
        let after = ledger.last().map_or(0, |e| e.number);
        if kept.last > after {
            match read(shop, self.job.id, after) {
                Ok(new) => ledger.extend(new),
                // It is kept; whoever appends next reads it.
                Err(e) => tracing::warn!("entry {} was kept and not read back: {e}", kept.last),
            }
        }
        Ok(kept)
    }

    /// Its entries so far.
    pub fn entries(&self) -> Vec<Arc<Numbered>> {
        lock(&self.ledger).clone()
    }

    /// Number of the last entry.
    pub fn last(&self) -> u64 {
        lock(&self.ledger).last().map_or(0, |e| e.number)
    }

    /// Whether it is signed off and was not opened again.
    pub fn signed_off(&self) -> bool {
        let decided = |e: &Arc<Numbered>| match e.entry {
            Entry::SignedOff { .. } => Some(true),
            Entry::Reopened { .. } => Some(false),
            _ => None,
        };
        lock(&self.ledger).iter().rev().find_map(decided).unwrap_or(false)
    }

    /// What the ledger adds up to; may take a while where the vehicle was not compiled yet. Who asks
    /// at once waits for one and the same.
    pub fn standing(&self, shop: &Shop) -> Result<Arc<Standing>, ShopError> {
        let mut slot = lock(&self.standing);
        let entries = self.entries();
        if let Some(made) = slot.as_ref().filter(|s| s.entries.len() == entries.len()) {
            return Ok(Arc::clone(made));
        }
        let (model, lists) = shop.vehicles.model(&self.job.vehicle, &not_fitted(&entries))?;
        let case = Case::of(&model, entries.iter().map(Arc::as_ref));
        let made = Arc::new(Standing { job: self.job.clone(), model, lists, entries, case });
        *slot = Some(Arc::clone(&made));
        Ok(made)
    }

    /// The same where nothing has to be worked out for it.
    pub fn standing_now(&self) -> Option<Arc<Standing>> {
        let slot = self.standing.try_lock().ok()?;
        let last = self.last();
        slot.as_ref().filter(|s| s.last() == last).cloned()
    }

    /// The latest assessment.
    pub fn assessed(&self) -> Option<Arc<Assessed>> {
        self.assessed.borrow().clone()
    }

    /// Follows the assessments.
    pub fn follow(&self) -> watch::Receiver<Option<Arc<Assessed>>> {
        self.assessed.subscribe()
    }

    pub(super) fn set_assessed(&self, assessed: Arc<Assessed>) {
        self.assessed.send_replace(Some(assessed));
    }
}

/// Entries of a job after a number; what cannot be read stands in its place with the reason.
fn read(shop: &Shop, job: i64, after: u64) -> Result<Vec<Arc<Numbered>>, ShopError> {
    let rows = shop.store.ledger(job, after)?;
    let read = |e: store::Entry| {
        let entry = serde_json::from_str(&e.body)
            .unwrap_or_else(|why| Entry::Unreadable { why: unreadable(&why) });
        Arc::new(Numbered { number: e.number, at: e.at, entry })
    };
    Ok(rows.into_iter().map(read).collect())
}

/// Equipment that a job's vehicle does not have, by its latest intake.
fn not_fitted(entries: &[Arc<Numbered>]) -> BTreeSet<String> {
    let latest = entries.iter().rev().find_map(|e| match &e.entry {
        Entry::Intake { intake } => Some(intake.not_fitted.clone()),
        _ => None,
    });
    latest.unwrap_or_default()
}
