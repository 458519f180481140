//! The stand-in worked by hand, without its protocols: for trials of thousands of checks.
//!
//! It tells what a technician would find out and nothing else: readings with the meter's noise and
//! now and then a probe that missed, what the modules say, what the eye sees.

use crate::world::{Driven, Setup, World};
use circuit::marks::Mark;
use circuit::{CircuitError, Instrument, Probe, Shown};
use rand::Rng;
use std::time::Duration;
use vehicle::{FailureType, Item, OperatingState, PartId, Point, SignalId, TroubleCode};

/// How sure hands and eyes are.
#[derive(Debug, Clone, Copy)]
pub struct Care {
    /// Chance that a probe misses its cavity.
    pub bad_probe: f64,
    /// Chance that a value is misread: a decimal point, two digits exchanged.
    pub misread: f64,
    /// Chance that an effect is misjudged by one step.
    pub misjudged: f64,
    /// The hidden faults come and go.
    pub wavers: bool,
}

/// What one module says in a scan: itself, whether it answers, code, failure type and status byte
/// of each monitor.
#[derive(Debug, Clone)]
pub struct Said {
    /// Module part.
    pub module: PartId,
    /// It answered.
    pub answered: bool,
    /// Code, failure type, status byte (ISO 14229-1 D.2).
    pub codes: Vec<(TroubleCode, FailureType, u8)>,
}

/// A simulated vehicle under one's hands.
#[derive(Debug)]
pub struct Direct {
    world: World,
    care: Care,
    /// How easily what is hidden is provoked; see [`CAUGHT`].
    caught: f64,
}

/// Time for all monitors to run.
const RUN: Duration = Duration::from_secs(20);
/// Chance that a fault that comes and goes has come or gone since it was last looked at.
const TURNS: f64 = 0.3;
/// Chance that it comes and goes while a meter is left on and what may bring it about is done: some faults
/// are easily provoked, some hardly.
const CAUGHT: (f64, f64) = (0.55, 0.95);
/// Share of probes that missed which sit in the next cavity; the others touch nothing.
const NEXT_CAVITY: f64 = 0.3;
/// What voltages and currents swing by meanwhile on any vehicle, as a share.
const SWING: f64 = 0.01;

impl Direct {
    /// A vehicle as it is set up.
    ///
    /// # Errors
    /// [`CircuitError`] for a fault or a file that does not fit.
    pub fn new(setup: Setup, care: Care) -> Result<Self, CircuitError> {
        let mut direct = Self { world: World::new(setup)?, care, caught: 0.0 };
        let (least, most) = CAUGHT;
        direct.caught = least + (most - least) * direct.world.rng.random::<f64>();
        // It is there when the vehicle comes in or it is not.
        if care.wavers && direct.chance(0.5) {
            direct.world.show(false);
        }
        Ok(direct)
    }

    fn chance(&mut self, p: f64) -> bool {
        self.world.rng.random::<f64>() < p
    }

    /// Brings it into a state; a fault that comes and goes may come or go.
    pub fn set(&mut self, state: &OperatingState) {
        if self.care.wavers && self.chance(TURNS) {
            self.world.show(!self.world.shows);
        }
        self.world.set(state.undriven());
        self.world.driven.clear();
        for output in &state.outputs {
            let left = Duration::from_secs(3600);
            self.world.driven.insert(
                output.clone(),
                Driven { left, percent: state.percent.get(output).copied() },
            );
        }
    }

    /// Whether the symptom shows, as anybody can tell.
    pub fn shows(&self) -> bool {
        self.world.shows
    }

    /// Keeps a fault that comes and goes there for now, as a customer has it who tells of it.
    pub fn provoke(&mut self) {
        self.world.show(true);
    }

    /// A reading; none is over limit.
    pub fn read(&mut self, probe: &Probe) -> Option<f64> {
        let mut probe = probe.clone();
        if self.chance(self.care.bad_probe) {
            match self.neighbour(&probe.red).filter(|_| self.chance(NEXT_CAVITY)) {
                Some(next) => probe.red = next,
                None if probe.instrument == Instrument::Ohms => return None,
                None => return Some(0.0),
            }
        }
        let instrument = probe.instrument;
        self.world.leads = Some(probe);
        let shown = match self.world.meter(instrument) {
            Shown::Value(v) => v,
            Shown::OverLimit => return None,
        };
        Some(if self.chance(self.care.misread) { self.misread(shown) } else { shown })
    }

    /// Another cavity of the same connector, or another conductor that ends in the same place for a clamp.
    fn neighbour(&mut self, point: &str) -> Option<String> {
        let circuit = &self.world.circuit;
        let others: Vec<String> = match Point::of(point).key() {
            Some((owner, _)) => {
                let own = format!("{owner}.");
                let of = circuit.node_of.keys().filter(|id| id.starts_with(&own) && *id != point);
                of.cloned().collect()
            }
            None => {
                let at = circuit.wire(point).map(|w| &circuit.vehicle.wires[w].from)?;
                let owner = Point::of(at).owner;
                let beside = circuit.vehicle.wires.iter().filter(|w| {
                    w.id != point && [&w.from, &w.to].iter().any(|e| Point::of(e).owner == owner)
                });
                beside.map(|w| w.id.to_string()).collect()
            }
        };
        let at = self.world.rng.random_range(0..others.len().max(1));
        others.get(at).cloned()
    }

    /// What is written down instead of a value.
    fn misread(&mut self, shown: f64) -> f64 {
        match self.world.rng.random_range(0..4) {
            0 => shown * 10.0,
            1 => shown / 10.0,
            2 => -shown,
            _ => {
                // Two neighbouring digits exchanged: 12.41 becomes 14.21.
                let digits = (shown.abs() * 100.0).round() as u64;
                let [low, high] = [digits / 10 % 10, digits / 100 % 10];
                let exchanged = digits - 10 * low - 100 * high + 10 * high + 100 * low;
                (exchanged as f64 / 100.0).copysign(shown)
            }
        }
    }

    /// The lowest and the highest value of a meter that is left on while what may bring a fault about is
    /// done.
    pub fn record(&mut self, probe: &Probe) -> [f64; 2] {
        let was = self.world.shows;
        let caught = self.care.wavers && self.chance(self.caught);
        let missed = self.chance(self.care.bad_probe);
        self.world.leads = (!missed).then(|| probe.clone());
        let mut held = [f64::INFINITY, f64::NEG_INFINITY];
        for there in if caught { [false, true] } else { [was; 2] } {
            self.world.show(there);
            if let Shown::Value(v) = self.world.meter(probe.instrument) {
                let swing = SWING * self.world.rng.random::<f64>() * v.abs();
                held = [held[0].min(v - swing), held[1].max(v)];
            }
        }
        self.world.show(was);
        held
    }

    /// How strongly an effect shows, 0 to about 1; with a jumper on, or a part swapped.
    pub fn effect(
        &mut self,
        part: &str,
        jumper: Option<&Probe>,
        swapped: Option<&str>,
    ) -> Option<f64> {
        let seen = match jumper.is_some() || swapped.is_some() {
            true => self.world.effect_with(part, jumper, swapped),
            false => self.world.effect(part),
        }?;
        if self.chance(self.care.misjudged) {
            return Some(if seen > 0.5 { seen - 0.4 } else { seen + 0.4 });
        }
        Some(seen)
    }

    /// Codes cleared, monitors run, every module asked.
    pub fn scan(&mut self) -> Vec<Said> {
        for memory in &mut self.world.memory {
            memory.clear();
        }
        self.world.tick(RUN);
        let vehicle = self.world.circuit.vehicle.clone();
        let modules = vehicle.parts.iter_enumerated().filter(|(_, p)| p.module.is_some());
        modules
            .map(|(k, part)| {
                let answered = self.world.answers(k);
                let own = vehicle.monitors.iter().zip(&self.world.memory);
                let codes = own
                    .filter(|(m, _)| answered && m.module == part.id)
                    .map(|(m, memory)| (m.code, m.failure_type, memory.status))
                    .collect();
                Said { module: part.id.clone(), answered, codes }
            })
            .collect()
    }

    /// What a module says of a signal, as its answer carries it; none where it does not answer or the file has no
    /// such signal.
    pub fn value(&mut self, signal: &SignalId) -> Option<f64> {
        let vehicle = self.world.circuit.vehicle.clone();
        let of = vehicle.signals.iter().find(|s| s.id == *signal)?;
        let module = self.world.circuit.part(&of.module)?;
        if !self.world.answers(module) {
            return None;
        }
        let coding = of.coded();
        coding.decode(&coding.encode(self.world.signal(signal)))
    }

    /// Whether something changed when the harness was moved at a place or thing.
    pub fn moved(&mut self, at: &str) -> bool {
        self.world.moved(at, self.care.wavers)
    }

    /// What one sees at a place or thing; none is nothing.
    pub fn look(&mut self, at: &str) -> Option<Mark> {
        self.world.see(at)
    }

    /// Repairs an item; whether that mended anything.
    pub fn repair(&mut self, item: &Item) -> bool {
        let was = self.world.hidden.len();
        self.world.repair(item);
        self.world.hidden.len() < was
    }
}
