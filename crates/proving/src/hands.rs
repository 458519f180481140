//! The stand-in under a technician's hands, as a trial's bench.

use crate::truth::Truth;
use crate::{sight, strength};
use circuit::{CircuitError, Probe};
use diagnosis::evidence::{Finding, Present, Sight, Strength};
use diagnosis::ledger::ReadCode;
use diagnosis::trial::{self, Bench};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use standin::Setup;
use standin::direct::{Care, Direct};
use vehicle::{Item, OperatingState, SignalId};

/// Share of checks at which the technician knows whether the symptom shows.
const KNOWS: f64 = 0.7;

/// How a customer sees it: no probes, and a complaint is a complaint.
pub const CUSTOMER: Care = Care { bad_probe: 0.0, misread: 0.0, misjudged: 0.0, wavers: false };

/// How a technician works; `wavers` when what is hidden comes and goes.
pub fn technician(wavers: bool) -> Care {
    Care { bad_probe: 0.015, misread: 0.025, misjudged: 0.001, wavers }
}

/// A vehicle with something hidden under somebody's hands.
#[derive(Debug)]
pub struct Hands<'t> {
    vehicle: Direct,
    truth: &'t Truth,
    repaired: bool,
    rng: ChaCha8Rng,
}

impl<'t> Hands<'t> {
    /// The truth's vehicle with part values of its own.
    ///
    /// # Errors
    /// [`CircuitError`] for a fault that does not fit.
    pub fn on(truth: &'t Truth, seed: u64, care: Care) -> Result<Self, CircuitError> {
        let setup = Setup {
            vehicle: truth.vehicle.clone(),
            faults: truth.faults.iter().chain(&truth.aged).cloned().collect(),
            seed,
            vin: String::new(),
            odometer_km: 61_240,
            flexes: false,
            past: Vec::new(),
        };
        let rng = ChaCha8Rng::seed_from_u64(seed ^ 0x5EED);
        Ok(Self { vehicle: Direct::new(setup, care)?, truth, repaired: false, rng })
    }
}

impl Bench for Hands<'_> {
    fn set(&mut self, state: &OperatingState) {
        self.vehicle.set(state);
    }
    fn present(&mut self) -> Present {
        match (self.rng.random::<f64>() < KNOWS, self.vehicle.shows()) {
            (false, _) => Present::Unknown,
            (true, true) => Present::Yes,
            (true, false) => Present::No,
        }
    }
    fn read(&mut self, probe: &Probe) -> Option<f64> {
        self.vehicle.read(probe)
    }
    fn record(&mut self, probe: &Probe) -> [f64; 2] {
        self.vehicle.record(probe)
    }
    fn effect(
        &mut self,
        part: &str,
        jumper: Option<&Probe>,
        swapped: Option<&str>,
    ) -> Option<Strength> {
        self.vehicle.effect(part, jumper, swapped).map(strength)
    }
    fn scan(&mut self) -> Vec<Finding> {
        let mut out = Vec::new();
        for said in self.vehicle.scan() {
            out.push(Finding::Answer { module: said.module.clone(), answers: said.answered });
            for (code, failure_type, status) in said.codes {
                let read = ReadCode { code, failure_type, status, ..ReadCode::default() };
                if read.failing() || read.tested_now() {
                    out.push(Finding::Code {
                        module: said.module.clone(),
                        failing: read.failing(),
                        code: read.code,
                        failure_type: read.failure_type,
                    });
                }
            }
        }
        out
    }
    fn values(&mut self, signals: &[SignalId]) -> Vec<Finding> {
        let read: Vec<Option<f64>> = signals.iter().map(|s| self.vehicle.value(s)).collect();
        trial::values_read(&self.truth.vehicle, signals, &read)
    }
    fn moved(&mut self, at: &str) -> bool {
        self.vehicle.moved(at)
    }
    fn look(&mut self, at: &str) -> Sight {
        self.vehicle.look(at).map_or(Sight::Nothing, sight)
    }
    fn repair(&mut self, item: &Item) -> bool {
        self.vehicle.repair(item);
        let mended = self.truth.is_right(item);
        self.repaired |= mended;
        mended
    }
    fn is_sound(&self) -> bool {
        self.repaired && self.truth.faults.len() < 2
    }
}
