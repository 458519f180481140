//! Signals that are counted or worked out: rings that there are, formulas over values of the same module.

use super::Findings;
use crate::{Signal, SignalSource, Vehicle};
use std::collections::BTreeSet;

pub(super) fn check(
    vehicle: &Vehicle,
    f: &mut Findings,
    parts: &BTreeSet<String>,
    signals: &BTreeSet<String>,
) {
    for signal in &vehicle.signals {
        let path = format!("signals[{}].from", signal.id);
        match &signal.from {
            SignalSource::Rate { over, ring, .. } => {
                f.known(format!("{path}.rate.ring"), "part", ring, parts);
                let part = vehicle.parts.iter().find(|p| p.id == *ring);
                if part.is_some_and(|p| p.elements.iter().all(|e| e.turns().is_none())) {
                    f.add(
                        format!("{path}.rate.ring"),
                        format!("“{ring}” has no teeth"),
                        "name a part with a tone_ring",
                    );
                }
                if !over.is_finite() {
                    f.add(format!("{path}.rate.over"), "it is no number", "give volts");
                }
            }
            SignalSource::Formula(_) => {
                for input in signal.from.inputs() {
                    f.known(format!("{path}.formula"), "signal", input, signals);
                    let of = vehicle.signals.iter().find(|s| s.id == *input);
                    if of.is_some_and(|s| s.module != signal.module || s.from.is_by_message()) {
                        f.add(
                            format!("{path}.formula"),
                            format!(
                                "“{input}” is no value that {} works out itself",
                                signal.module
                            ),
                            "name values of the same module that come from its pins or outputs",
                        );
                    }
                }
                if leads_back(vehicle, signal) {
                    f.add(
                        format!("{path}.formula"),
                        "it is worked out of itself",
                        "leave out the signal that leads back to it",
                    );
                }
            }
            SignalSource::Setting(id) => {
                let all = || vehicle.settings();
                let known: BTreeSet<String> = all().map(|s| s.id.clone()).collect();
                f.known(format!("{path}.setting"), "setting", id, &known);
                if all().any(|s| s.id == *id && s.module != signal.module) {
                    f.add(
                        format!("{path}.setting"),
                        format!("{} does not hold “{id}”", signal.module),
                        "let the module tell it that holds it",
                    );
                }
            }
            _ => {}
        }
    }
}

/// Whether a signal is among those it is worked out of, over however many steps.
fn leads_back(vehicle: &Vehicle, signal: &Signal) -> bool {
    let mut seen = BTreeSet::new();
    let mut open = signal.from.inputs();
    while let Some(id) = open.pop() {
        if *id == signal.id {
            return true;
        }
        if seen.insert(id) {
            let of = vehicle.signals.iter().find(|s| s.id == *id);
            open.extend(of.iter().flat_map(|s| s.from.inputs()));
        }
    }
    false
}
