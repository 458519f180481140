//! The shared prediction cache: every hypothesis in every state asked for.

use crate::evidence::reading::{self, Expected};
use circuit::software::Verdict;
use circuit::{
    Change, Circuit, CircuitError, Fault, Instrument, Law, Probe, Solution, fault, meter,
};
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use thiserror::Error;
use vehicle::{OperatingState, Vehicle};

/// Why something could not be reasoned about.
#[derive(Debug, Error)]
pub enum ModelError {
    /// The circuit refuses.
    #[error(transparent)]
    Circuit(#[from] CircuitError),
    /// A part, module or code that the vehicle does not have.
    #[error("there is no {what} “{id}” in this vehicle")]
    Unknown {
        /// What was looked for.
        what: &'static str,
        /// The name given.
        id: String,
    },
}

/// What one hypothesis predicts in one state.
#[derive(Debug, Clone)]
pub struct Snapshot {
    /// Node voltages, volts.
    pub volts: Vec<f32>,
    /// Current in each conductor, amperes.
    pub amps: Vec<f32>,
    /// Effect of each part (speed against rated), where it has one.
    pub effects: Vec<Option<f32>>,
    /// Whether each part works as a module.
    pub alive: Vec<bool>,
    /// Verdict of each monitor.
    pub monitors: Vec<Verdict>,
}

impl Snapshot {
    fn of(circuit: &Circuit, s: &Solution) -> Self {
        let parts = 0..circuit.vehicle.parts.len();
        Self {
            volts: s.volts.iter().map(|v| *v as f32).collect(),
            amps: circuit.wire_branch.iter().map(|k| s.amps(circuit, *k) as f32).collect(),
            effects: parts.clone().map(|p| s.effect(circuit, p).map(|e| e as f32)).collect(),
            alive: parts.map(|p| s.alive(circuit, p)).collect(),
            monitors: circuit::software::monitors(circuit, s),
        }
    }

    /// Volts between two nodes.
    pub fn between(&self, a: usize, b: usize) -> f64 {
        f64::from(self.volts[a]) - f64::from(self.volts[b])
    }
}

/// Everything predicted for one state.
#[derive(Debug)]
pub struct Predictions {
    /// With nothing wrong.
    pub healthy: Arc<Snapshot>,
    /// The full healthy solution.
    pub solution: Solution,
    /// The healthy vehicle with part values drawn within tolerance.
    pub drawn: Vec<Snapshot>,
    /// Per hypothesis, in the order of [`Model::faults`].
    pub faults: Vec<Arc<Snapshot>>,
}

/// A vehicle with everything that can be wrong with it.
#[derive(Debug)]
pub struct Model {
    /// The compiled vehicle.
    pub circuit: Circuit,
    /// All hypotheses.
    pub faults: Vec<Fault>,
    /// Repair items, in order of first appearance; the last is "not in this file".
    pub items: Vec<String>,
    /// Item of each hypothesis.
    pub item_of: Vec<usize>,
    drawn: Vec<Circuit>,
    cache: Mutex<HashMap<OperatingState, Arc<Predictions>>>,
    readings: Mutex<HashMap<(OperatingState, Probe), Arc<Expected>>>,
}

/// The item that stands for everything the vehicle file does not hold.
pub const ELSEWHERE: &str = "elsewhere";
/// Vehicles drawn within tolerance to learn how far sound readings scatter.
const DRAWN: u64 = 8;
/// States kept; enough for all the checks of a job on a small vehicle.
const KEPT: usize = 256;

/// A small, repeatable source of normal numbers (sum of twelve uniforms).
fn gauss(seed: u64) -> impl FnMut() -> f64 {
    let mut x = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    move || {
        (0..12)
            .map(|_| {
                x ^= x << 13;
                x ^= x >> 7;
                x ^= x << 17;
                (x >> 11) as f64 / (1u64 << 53) as f64
            })
            .sum::<f64>()
            - 6.0
    }
}

impl Model {
    /// Compiles a vehicle and generates its hypotheses.
    ///
    /// # Errors
    /// [`ModelError::Circuit`].
    pub fn new(vehicle: Vehicle) -> Result<Self, ModelError> {
        let mut drawn = Vec::new();
        for seed in 1..=DRAWN {
            let mut copy = vehicle.clone();
            circuit::tolerance::draw(&mut copy, &mut gauss(seed));
            drawn.push(Circuit::new(copy)?);
        }
        let circuit = Circuit::new(vehicle)?;
        let faults = fault::all(&circuit);
        let mut items: Vec<String> = Vec::new();
        let mut item_of = Vec::new();
        for f in &faults {
            let at = items.iter().position(|i| *i == f.repair_item);
            item_of.push(at.unwrap_or_else(|| {
                items.push(f.repair_item.clone());
                items.len() - 1
            }));
        }
        items.push(ELSEWHERE.to_owned());
        Ok(Self {
            circuit,
            faults,
            items,
            item_of,
            drawn,
            cache: Mutex::default(),
            readings: Mutex::default(),
        })
    }

    /// Predictions for a state, from the cache when they are there.
    pub fn predict(&self, state: &OperatingState) -> Arc<Predictions> {
        let hit = self.cache.lock().unwrap_or_else(PoisonError::into_inner).get(state).cloned();
        if let Some(hit) = hit {
            return hit;
        }
        let c = &self.circuit;
        let solution = c.solve(state, &[], None);
        let healthy = Arc::new(Snapshot::of(c, &solution));
        let faults = self
            .faults
            .par_iter()
            .map(|f| {
                if c.untouched(&solution, &f.changes) {
                    Arc::clone(&healthy)
                } else {
                    Arc::new(Snapshot::of(c, &c.solve(state, &f.changes, None)))
                }
            })
            .collect();
        let drawn =
            self.drawn.par_iter().map(|d| Snapshot::of(d, &d.solve(state, &[], None))).collect();
        let made = Arc::new(Predictions { healthy, solution, drawn, faults });
        let mut cache = self.cache.lock().unwrap_or_else(PoisonError::into_inner);
        if cache.len() >= KEPT {
            cache.clear();
        }
        cache.insert(state.clone(), Arc::clone(&made));
        made
    }

    /// Predictions of a reading, from the cache when they are there.
    ///
    /// # Errors
    /// [`ModelError`] for points that do not exist.
    pub fn expect(
        &self,
        state: &OperatingState,
        probe: &Probe,
    ) -> Result<Arc<Expected>, ModelError> {
        let key = (state.clone(), probe.clone());
        let lock = || self.readings.lock().unwrap_or_else(PoisonError::into_inner);
        let hit = lock().get(&key).cloned();
        if let Some(hit) = hit {
            return Ok(hit);
        }
        let made = Arc::new(reading::expected(self, state, probe)?);
        let mut readings = lock();
        if readings.len() >= KEPT {
            readings.clear();
        }
        readings.insert(key, Arc::clone(&made));
        Ok(made)
    }

    /// How far the reading of a sound vehicle scatters, one standard deviation.
    pub fn scatter(&self, p: &Predictions, shown: impl Fn(&Snapshot) -> f64) -> f64 {
        let nominal = shown(&p.healthy);
        let sum: f64 = p.drawn.iter().map(|d| (shown(d) - nominal).powi(2)).sum();
        (sum / p.drawn.len().max(1) as f64).sqrt()
    }

    /// Scatter of an ohm reading, from the drawn vehicles themselves.
    pub fn ohm_scatter(&self, state: &OperatingState, leads: meter::Leads, nominal: f64) -> f64 {
        let sum: f64 = self
            .drawn
            .iter()
            .map(|d| leads.shown(d, &d.solve(state, &[], leads.extra())).value())
            .filter(|v| v.is_finite())
            .map(|v| (v - nominal).powi(2))
            .sum();
        (sum / self.drawn.len().max(1) as f64).sqrt()
    }

    /// Text of an item.
    pub fn item_text(&self, item: &str) -> String {
        if item == ELSEWHERE {
            "Not in this vehicle file".to_owned()
        } else {
            fault::item_text(&self.circuit, item)
        }
    }
}

/// Whether a meter's 10 MOhm could matter under a fault: something is open or nearly so.
pub fn high_ohmic(changes: &[Change]) -> bool {
    changes.iter().any(|c| match c {
        Change::Branch(_, Law::Ohms(r)) | Change::Series(_, r) => *r > 5e3,
        _ => false,
    })
}

/// How much of a hypothesis' own deviation is uncertain: the step of its grid, or part tolerance.
pub fn slack(fault: &Fault) -> f64 {
    let numbered = fault.id.bytes().filter(|b| *b == b':').count() == 3;
    if numbered { 0.25 } else { 0.08 }
}

/// What an instrument shows of a snapshot, without the meter's own load.
pub fn shown(instrument: Instrument, leads: meter::Leads, circuit: &Circuit, s: &Snapshot) -> f64 {
    match leads {
        meter::Leads::Between(_, a, b) => {
            debug_assert!(instrument == Instrument::Volts);
            s.between(a, b)
        }
        meter::Leads::Around(branch) => circuit
            .wire_branch
            .iter()
            .position(|k| *k == branch)
            .map_or(0.0, |w| f64::from(s.amps[w])),
    }
}
