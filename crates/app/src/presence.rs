//! Nothing stays driven when nobody is there: with the last window of a job closed, hung, or put away in a
//! pocket, its outputs are given back and the ledger says so.

use crate::bench::BenchError;
use crate::shop::Shop;
use diagnosis::ledger::Entry;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use vehicle::{OperatingState, Vehicle};

/// A window asks for its job every two seconds; after so long without any nobody is there. Longer than a
/// busy machine may keep a window waiting.
const AWAY: Duration = Duration::from_secs(15);
/// How often it is looked while something is driven.
const LOOK: Duration = Duration::from_millis(500);

/// When each job was asked for last, and whose outputs are watched over.
#[derive(Debug, Default)]
pub struct Presence {
    asked: Mutex<HashMap<i64, Instant>>,
    guarded: Mutex<HashSet<i64>>,
}

fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Presence {
    /// Somebody asks for a job.
    pub fn asked(&self, job: i64) {
        lock(&self.asked).insert(job, Instant::now());
    }

    fn is_away(&self, job: i64) -> bool {
        lock(&self.asked).get(&job).is_none_or(|at| at.elapsed() >= AWAY)
    }
}

/// Brings a job's vehicle into a state, and watches over what is driven in it.
///
/// # Errors
/// [`BenchError`].
pub async fn bring_into(
    shop: &Arc<Shop>,
    job: i64,
    vehicle: &Vehicle,
    state: &OperatingState,
) -> Result<(), BenchError> {
    let brought = shop.bench(job).bring_into(vehicle, state).await;
    guard(shop, job);
    brought
}

/// Watches over what is driven for a job until nothing is.
pub fn guard(shop: &Arc<Shop>, job: i64) {
    if !lock(&shop.presence.guarded).insert(job) {
        return;
    }
    let shop = Arc::clone(shop);
    tokio::spawn(async move {
        let bench = shop.bench(job);
        loop {
            while bench.is_driving().await {
                if shop.presence.is_away(job) {
                    give_back(&shop, job).await;
                    break;
                }
                tokio::time::sleep(LOOK).await;
            }
            lock(&shop.presence.guarded).remove(&job);
            // Something driven between the last look and this moment found it guarded.
            let driven_since = bench.is_driving().await && !shop.presence.is_away(job);
            if !driven_since || !lock(&shop.presence.guarded).insert(job) {
                return;
            }
        }
    });
}

/// Gives everything back, at the vehicle first.
async fn give_back(shop: &Arc<Shop>, job: i64) {
    let bench = shop.bench(job);
    let of = Arc::clone(shop);
    let found = tokio::task::spawn_blocking(move || {
        let session = of.session(job)?;
        let standing = session.standing(&of)?;
        Ok::<_, crate::shop::ShopError>((session, standing))
    });
    let Ok(Ok((session, standing))) = found.await else { return };
    let vehicle = &standing.model.circuit.vehicle;
    let mut state = standing.case.state.clone();
    state.outputs.clear();
    // What cannot be given back over a lost link ends by itself: its module misses the tester.
    if let Err(e) = bench.release(vehicle).await {
        tracing::warn!("job {job}: what was driven could not be given back: {e}");
    }
    let entry = Entry::State { state };
    let of = Arc::clone(shop);
    let kept = tokio::task::spawn_blocking(move || of.append(&session, &[entry], None));
    if let Ok(Err(e)) = kept.await {
        tracing::warn!("job {job}: that outputs were given back could not be noted: {e}");
    }
}
