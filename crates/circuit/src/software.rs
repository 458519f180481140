//! What the modules' software makes of the voltages: signals, requests, monitors.

use crate::compile::Circuit;
use crate::solve::Solution;
use std::collections::BTreeSet;
use vehicle::{OperatingState, SignalSource};

/// Value of a signal in its unit; 0 when its module does not work.
pub fn signal(circuit: &Circuit, solution: &Solution, id: &str) -> f64 {
    let Some(signal) = circuit.vehicle.signals.iter().find(|s| s.id == id) else {
        return 0.0;
    };
    match &signal.from {
        SignalSource::PinVolts { pin, against } => {
            let Some(part) = circuit.part(&signal.module) else {
                return 0.0;
            };
            let volts = |pin: &String| {
                circuit.pin_node.get(&(part, pin.clone())).map_or(0.0, |n| solution.volts[*n])
            };
            volts(pin) - volts(against)
        }
        SignalSource::Output(output) => f64::from(u8::from(solution.asked.contains(output))),
    }
}

/// Outputs asked for: by a tester, or by a function whose request holds in a working module.
pub fn asked(circuit: &Circuit, state: &OperatingState, solution: &Solution) -> BTreeSet<String> {
    let mut asked = state.outputs.clone();
    for function in &circuit.vehicle.functions {
        let modules = function.request.signals();
        let working = modules.iter().all(|id| {
            circuit
                .vehicle
                .signals
                .iter()
                .find(|s| s.id == *id)
                .and_then(|s| circuit.part(&s.module))
                .is_some_and(|p| solution.alive(circuit, p))
        });
        if working && function.request.holds(&|id| signal(circuit, solution, id)) {
            asked.insert(function.output.clone());
        }
    }
    asked
}

/// What a monitor finds at an operating point.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// Its module is silent or its enabling condition does not hold.
    NotRun,
    /// It ran and found nothing.
    Passed,
    /// It ran and failed.
    Failed,
}

/// Verdict of each monitor, in the order of the vehicle file.
pub fn monitors(circuit: &Circuit, solution: &Solution) -> Vec<Verdict> {
    let value = |id: &str| signal(circuit, solution, id);
    circuit
        .vehicle
        .monitors
        .iter()
        .map(|m| {
            let alive = circuit.part(&m.module).is_some_and(|p| solution.alive(circuit, p));
            if !alive || m.enable.as_ref().is_some_and(|c| !c.holds(&value)) {
                Verdict::NotRun
            } else if m.fails.holds(&value) {
                Verdict::Failed
            } else {
                Verdict::Passed
            }
        })
        .collect()
}
