//! Trials: many simulated jobs, to know how good the reasoning is.
//!
//! A [`Bench`] is a vehicle with something hidden that answers as a vehicle would; nothing here
//! sees more of it than a technician could find out. Several [`Strategy`]s work the same jobs and
//! are weighed by the same rules, so that only the choice of the checks differs.

pub mod draw;
mod job;
pub mod optimum;
mod strategy;
pub mod tally;

pub use job::{Ending, Rules, Worked, complaint, first_scan, perform, work};
pub use strategy::Strategy;

use crate::evidence::{Finding, LiveReading, Present, Sight, Strength};
use crate::live;
use circuit::Probe;
use vehicle::{Item, OperatingState, Signal, SignalId, Vehicle};

/// A vehicle with something hidden, under a technician's hands.
pub trait Bench {
    /// Brings it into a state.
    fn set(&mut self, state: &OperatingState);
    /// Whether the symptom shows, as far as the technician can tell.
    fn present(&mut self) -> Present;
    /// Reads a meter; none is over limit.
    fn read(&mut self, probe: &Probe) -> Option<f64>;
    /// Leaves a meter on while the harness is moved: the lowest and the highest value.
    fn record(&mut self, probe: &Probe) -> [f64; 2];
    /// Looks at the effect of a part, with a jumper on or a part swapped.
    fn effect(
        &mut self,
        part: &str,
        jumper: Option<&Probe>,
        swapped: Option<&str>,
    ) -> Option<Strength>;
    /// Clears, lets the monitors run, asks every module.
    fn scan(&mut self) -> Vec<Finding>;
    /// Reads live values; of a silent module that it is silent.
    fn values(&mut self, signals: &[SignalId]) -> Vec<Finding>;
    /// Moves the harness: whether something changed.
    fn moved(&mut self, at: &str) -> bool;
    /// Looks at a place or thing.
    fn look(&mut self, at: &str) -> Sight;
    /// Repairs an item; whether that was wrong with it.
    fn repair(&mut self, item: &Item) -> bool;
    /// Whether anything is still wrong: the referee's question, not the technician's.
    fn is_sound(&self) -> bool;
}

/// What reading live values found: each value, and of a module that said nothing that it is silent.
pub fn values_read(vehicle: &Vehicle, signals: &[SignalId], read: &[Option<f64>]) -> Vec<Finding> {
    let value = |(signal, value): (&SignalId, &Option<f64>)| {
        Some(LiveReading { signal: signal.clone(), value: (*value)? })
    };
    let mut out = live::findings(vehicle, signals.iter().zip(read).filter_map(value));
    for (signal, _) in signals.iter().zip(read).filter(|(_, value)| value.is_none()) {
        let of = vehicle.signals.iter().find(|s| s.id == *signal);
        let silent = |s: &Signal| Finding::Answer { module: s.module.clone(), answers: false };
        out.extend(of.map(silent).filter(|f| !out.contains(f)));
    }
    out
}
