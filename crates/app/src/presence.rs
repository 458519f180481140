//! Nothing stays driven when nobody is there: with the window that drove it closed, hung, or put away in a
//! pocket, an output is given back and the ledger says so, whatever other windows look on.

use crate::bench::BenchError;
use crate::shop::{Session, Shop, Standing};
use axum::extract::{Request, State};
use axum::middleware::Next;
use axum::response::Response;
use diagnosis::ledger::Entry;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use vehicle::{OperatingState, OutputId, Vehicle};

/// A window asks for its job every two seconds; after so long without any nobody is there. Longer than a
/// busy machine may keep a window waiting.
const AWAY: Duration = Duration::from_secs(15);
/// What a window that was not heard of for so long is forgotten after.
const FORGOTTEN: Duration = Duration::from_secs(120);
/// How often it is looked while something is driven.
const LOOK: Duration = Duration::from_millis(500);
/// How often it is read whether what must hold for it still does.
const PERMITTED: Duration = Duration::from_secs(1);
/// The header in which a window says which one it is; whoever says nothing is one and the same.
pub const HEADER: &str = "x-window";
/// Longest name of a window, characters.
const LONGEST: usize = 64;

tokio::task_local! {
    /// The window that a request comes from.
    static WINDOW: String;
}

/// The window that the present request comes from.
fn window() -> String {
    WINDOW.try_with(Clone::clone).unwrap_or_default()
}

/// When each window asked for its job last, and whose outputs are watched over.
#[derive(Debug, Default)]
pub struct Presence {
    asked: Mutex<HashMap<(i64, String), Instant>>,
    /// Jobs in which something is driven, each with the window that did it last.
    guarded: Mutex<HashMap<i64, String>>,
}

fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Presence {
    /// A window asks for a job.
    fn asked(&self, job: i64, window: &str) {
        let mut asked = lock(&self.asked);
        asked.retain(|_, at| at.elapsed() < FORGOTTEN);
        asked.insert((job, window.to_owned()), Instant::now());
    }

    /// The window that asks now leaves a job.
    pub fn leaves(&self, job: i64) {
        lock(&self.asked).remove(&(job, window()));
    }

    /// Whether the window that drives is there no longer.
    fn is_away(&self, job: i64) -> bool {
        let Some(window) = lock(&self.guarded).get(&job).cloned() else { return true };
        lock(&self.asked).get(&(job, window)).is_none_or(|at| at.elapsed() >= AWAY)
    }
}

/// The job that a path is about.
fn job_of(path: &str) -> Option<i64> {
    path.strip_prefix("/api/jobs/")?.split('/').next()?.parse().ok()
}

/// Notes which window asks for which job.
pub async fn of_window(State(shop): State<Arc<Shop>>, request: Request, next: Next) -> Response {
    let said = request.headers().get(HEADER).and_then(|name| name.to_str().ok());
    let window: String = said.unwrap_or_default().chars().take(LONGEST).collect();
    if let Some(job) = job_of(request.uri().path()) {
        shop.presence.asked(job, &window);
    }
    WINDOW.scope(window, next.run(request)).await
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

/// Watches over what is driven for a job until nothing is, or the window that asks now is there no longer.
pub fn guard(shop: &Arc<Shop>, job: i64) {
    if lock(&shop.presence.guarded).insert(job, window()).is_some() {
        return;
    }
    let shop = Arc::clone(shop);
    tokio::spawn(async move {
        let bench = shop.bench(job);
        let vehicle = standing(&shop, job).await.map(|(_, s)| Arc::clone(&s.model));
        let mut looked = Instant::now();
        loop {
            while bench.is_driving().await {
                let ended = bench.ended().await;
                if !ended.is_empty() {
                    note(&shop, job, |output| !ended.contains(output)).await;
                }
                if let Some(model) = &vehicle
                    && looked.elapsed() >= PERMITTED
                {
                    looked = Instant::now();
                    let ended = bench.no_longer_permitted(&model.circuit.vehicle).await;
                    for (_, why) in &ended {
                        remark(&shop, job, format!("Given back: {why}")).await;
                    }
                    if !ended.is_empty() {
                        note(&shop, job, |o| ended.iter().all(|(e, _)| e != o)).await;
                    }
                }
                if shop.presence.is_away(job) {
                    give_back(&shop, job).await;
                    break;
                }
                tokio::time::sleep(LOOK).await;
            }
            let away = shop.presence.is_away(job);
            let Some(window) = lock(&shop.presence.guarded).remove(&job) else { return };
            // Something driven between the last look and this moment found it guarded.
            if away || !bench.is_driving().await {
                return;
            }
            let mut guarded = lock(&shop.presence.guarded);
            if guarded.contains_key(&job) {
                return;
            }
            guarded.insert(job, window);
        }
    });
}

async fn standing(shop: &Arc<Shop>, job: i64) -> Option<(Arc<Session>, Arc<Standing>)> {
    let of = Arc::clone(shop);
    let found = tokio::task::spawn_blocking(move || {
        let session = of.session(job)?;
        let standing = session.standing(&of)?;
        Ok::<_, crate::shop::ShopError>((session, standing))
    });
    found.await.ok()?.ok()
}

/// Gives everything back, at the vehicle first.
async fn give_back(shop: &Arc<Shop>, job: i64) {
    let bench = shop.bench(job);
    let Some((_, standing)) = standing(shop, job).await else { return };
    // What cannot be given back over a lost link ends by itself: its module misses the tester.
    if let Err(e) = bench.release(&standing.model.circuit.vehicle).await {
        tracing::warn!("job {job}: what was driven could not be given back: {e}");
    }
    note(shop, job, |_| false).await;
}

/// Puts a remark in the ledger.
async fn remark(shop: &Arc<Shop>, job: i64, text: String) {
    let Some((session, _)) = standing(shop, job).await else { return };
    append(shop, job, session, Entry::Note { text }).await;
}

/// Notes in the ledger which outputs are still driven.
async fn note(shop: &Arc<Shop>, job: i64, driven: impl Fn(&OutputId) -> bool) {
    let Some((session, standing)) = standing(shop, job).await else { return };
    let mut state = standing.case.state.clone();
    state.outputs.retain(|output| driven(output));
    state.percent.retain(|output, _| driven(output));
    append(shop, job, session, Entry::State { state }).await;
}

async fn append(shop: &Arc<Shop>, job: i64, session: Arc<Session>, entry: Entry) {
    let of = Arc::clone(shop);
    let kept = tokio::task::spawn_blocking(move || of.append(&session, &[entry], None));
    if let Ok(Err(e)) = kept.await {
        tracing::warn!("job {job}: that outputs were given back could not be noted: {e}");
    }
}
