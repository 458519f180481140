//! The shop: vehicles with their models, jobs with their ledgers, benches.

use crate::ahead::Ahead;
use crate::bench::{Addresses, Bench};
use crate::progress::AtWork;
use crate::roll_call::RollCalls;
use crate::view::View;
use diagnosis::Model;
use diagnosis::ledger::{Entry, Numbered};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use store::Store;
use tokio::sync::broadcast;

/// A view with the length of the ledger it was made from.
type KeptView = Arc<Mutex<Option<(usize, View)>>>;

/// A vehicle file with the equipment left out.
type Built = (String, BTreeSet<String>);

/// Everything the routes share.
#[derive(Debug)]
pub struct Shop {
    /// Jobs and ledgers.
    pub store: Store,
    vehicles: PathBuf,
    /// Models by vehicle file and the equipment left out.
    models: Mutex<BTreeMap<Built, Arc<Model>>>,
    benches: Mutex<BTreeMap<Option<i64>, Arc<Bench>>>,
    views: Mutex<BTreeMap<i64, KeptView>>,
    ahead: Ahead,
    /// Work that runs at the vehicles.
    pub progress: AtWork,
    /// Roll calls that run or are paused.
    pub roll_calls: RollCalls,
    /// Job numbers whose ledger grew.
    pub changed: broadcast::Sender<i64>,
}

fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The time now, RFC 3339.
pub fn now() -> String {
    jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

impl Shop {
    /// Opens the database and checks that there are vehicles.
    pub fn open(data: &Path, vehicles: &Path) -> Result<Self, String> {
        if !vehicles.is_dir() {
            return Err(format!(
                "there is no directory {}; name the vehicle files with --vehicles",
                vehicles.display()
            ));
        }
        Ok(Self {
            store: Store::open(data).map_err(|e| e.to_string())?,
            vehicles: vehicles.to_owned(),
            models: Mutex::default(),
            benches: Mutex::default(),
            views: Mutex::default(),
            ahead: Ahead::default(),
            progress: AtWork::default(),
            roll_calls: RollCalls::default(),
            changed: broadcast::channel(64).0,
        })
    }

    /// The view of a job, made anew only when its ledger has grown: it follows from the ledger
    /// alone. Two who ask at once wait for one and the same.
    pub fn view<E>(
        &self,
        model: &Arc<Model>,
        job: i64,
        entries: &[Numbered],
        make: impl FnOnce() -> Result<View, E>,
    ) -> Result<View, E> {
        let slot = Arc::clone(lock(&self.views).entry(job).or_default());
        let mut slot = lock(&slot);
        if let Some((length, view)) = &*slot
            && *length == entries.len()
        {
            return Ok(view.clone());
        }
        let view = self.ahead.first(make)?;
        self.ahead.checks(model, &view.next);
        *slot = Some((entries.len(), view.clone()));
        Ok(view)
    }

    /// Confirmed causes of other closed jobs on this kind of vehicle: repair item and how often.
    pub fn confirmed(&self, vehicle: &str, but: i64) -> Result<BTreeMap<String, u32>, String> {
        let mut out = BTreeMap::new();
        let jobs = self.store.jobs().map_err(|e| e.to_string())?;
        for job in jobs.iter().filter(|j| j.vehicle == vehicle && j.id != but) {
            let entries = self.ledger(job.id)?;
            if !entries.iter().any(|e| e.entry == Entry::SignedOff) {
                continue;
            }
            for e in &entries {
                if let Entry::Repaired { item, .. } = &e.entry {
                    *out.entry(item.clone()).or_default() += 1;
                }
            }
        }
        Ok(out)
    }

    /// Ids of the vehicle files.
    pub fn vehicle_ids(&self) -> Vec<String> {
        let files = std::fs::read_dir(&self.vehicles).into_iter().flatten().flatten();
        let mut ids: Vec<String> = files
            .map(|f| f.path())
            .filter(|p| p.extension().is_some_and(|e| e == "json"))
            .filter_map(|p| p.file_stem().map(|s| s.to_string_lossy().into_owned()))
            .collect();
        ids.sort();
        ids
    }

    /// The model of a vehicle with all its equipment, compiled once. Slow the first time.
    pub fn model(&self, id: &str) -> Result<Arc<Model>, String> {
        self.model_without(id, &BTreeSet::new())
    }

    /// The model of a vehicle without some equipment, compiled once. Slow the first time.
    pub fn model_without(
        &self,
        id: &str,
        missing: &BTreeSet<String>,
    ) -> Result<Arc<Model>, String> {
        let key = (id.to_owned(), missing.clone());
        if let Some(model) = lock(&self.models).get(&key) {
            return Ok(Arc::clone(model));
        }
        let vehicle = self.vehicle(id)?.without_equipment(missing);
        let model = Arc::new(Model::new(vehicle).map_err(|e| e.to_string())?);
        lock(&self.models).insert(key, Arc::clone(&model));
        self.ahead.named_states(&model);
        Ok(model)
    }

    /// A vehicle file as it is, with all equipment.
    pub fn vehicle(&self, id: &str) -> Result<vehicle::Vehicle, String> {
        if !self.vehicle_ids().iter().any(|known| known == id) {
            return Err(format!("there is no vehicle file “{id}”"));
        }
        let path = self.vehicles.join(format!("{id}.json"));
        let text =
            std::fs::read_to_string(&path).map_err(|e| format!("{}: {e}", path.display()))?;
        vehicle::Vehicle::from_json(&text).map_err(|e| format!("{}: {e}", path.display()))
    }

    /// Equipment that a job's vehicle does not have, by its latest intake.
    pub fn not_fitted(&self, job: i64) -> Result<BTreeSet<String>, String> {
        let entries = self.ledger(job)?;
        let latest = entries.into_iter().rev().find_map(|e| match e.entry {
            Entry::Intake { intake } => Some(intake.not_fitted),
            _ => None,
        });
        Ok(latest.unwrap_or_default())
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
    pub fn open_job(
        &self,
        vehicle: &str,
        demo: Option<&str>,
        entries: &[Entry],
    ) -> Result<i64, String> {
        let bodies: Result<Vec<String>, _> = entries.iter().map(serde_json::to_string).collect();
        let bodies = bodies.map_err(|e| e.to_string())?;
        self.store.open_job(vehicle, demo, &now(), &bodies).map_err(|e| e.to_string())
    }

    /// Appends to a ledger; committed when this returns.
    pub fn append(&self, job: i64, entry: &Entry) -> Result<u64, String> {
        let body = serde_json::to_string(entry).map_err(|e| e.to_string())?;
        let number = self.store.append(job, &now(), &body).map_err(|e| e.to_string())?;
        let _ = self.changed.send(job);
        Ok(number)
    }

    /// The ledger of a job.
    pub fn ledger(&self, job: i64) -> Result<Vec<Numbered>, String> {
        let rows = self.store.ledger(job).map_err(|e| e.to_string())?;
        rows.into_iter()
            .map(|e| {
                let entry = serde_json::from_str(&e.body)
                    .map_err(|why| format!("entry {} of job {job}: {why}", e.number))?;
                Ok(Numbered { number: e.number, at: e.at, entry })
            })
            .collect()
    }
}
