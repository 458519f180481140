//! What signals stand for: sensors that feel what is named, tables and ranges that rise.

use super::Findings;
use crate::{Signal, Transfer, Vehicle};
use std::collections::BTreeSet;

pub(super) fn check(
    vehicle: &Vehicle,
    f: &mut Findings,
    parts: &BTreeSet<String>,
    stimuli: &BTreeSet<String>,
) {
    for s in &vehicle.stimuli {
        if let Some(range) = s.range {
            rises(f, format!("stimuli[{}].range", s.id), range);
        }
    }
    for signal in &vehicle.signals {
        one(vehicle, f, signal, (parts, stimuli));
    }
}

fn one(
    vehicle: &Vehicle,
    f: &mut Findings,
    signal: &Signal,
    (parts, stimuli): (&BTreeSet<String>, &BTreeSet<String>),
) {
    let Some(physical) = &signal.physical else { return };
    let path = format!("signals[{}].physical", signal.id);
    if let Some(range) = physical.valid {
        rises(f, format!("{path}.valid"), range);
    }
    if physical.substitute.is_some_and(|s| !s.is_finite()) {
        f.add(format!("{path}.substitute"), "it is no number", "give what the module goes on with");
    }
    let path = format!("{path}.transfer");
    match &physical.transfer {
        Transfer::Table(points) => {
            let finite = points.iter().all(|(a, b)| a.is_finite() && b.is_finite());
            if points.len() < 2 || !finite || points.windows(2).any(|w| w[0].0 >= w[1].0) {
                let mend = "give at least two points, the value at the pin rising";
                f.add(format!("{path}.table"), "it is no table", mend);
            }
        }
        Transfer::Felt { sensor, stimulus } => {
            f.known(format!("{path}.felt.sensor"), "part", sensor, parts);
            f.known(format!("{path}.felt.stimulus"), "stimulus", stimulus, stimuli);
            let part = vehicle.parts.iter().find(|p| p.id == *sensor);
            let feels = |e: &crate::Element| e.stimuli().contains(&stimulus.as_str());
            if part.is_some_and(|p| !p.elements.iter().any(feels)) {
                f.add(
                    format!("{path}.felt"),
                    format!("“{sensor}” does not feel “{stimulus}”"),
                    "name a sensor whose element has this stimulus",
                );
            }
        }
        Transfer::Named(bands) => {
            let limits: Vec<f64> = bands.iter().filter_map(|b| b.below).collect();
            let rise =
                limits.windows(2).all(|w| w[0] < w[1]) && limits.iter().all(|l| l.is_finite());
            let open = bands.iter().position(|b| b.below.is_none());
            if !rise || open.is_none_or(|at| at + 1 != bands.len()) {
                let mend = "let `below` rise from state to state, and leave it out of the last";
                f.add(format!("{path}.named"), "the states leave something out", mend);
            }
        }
    }
}

fn rises(f: &mut Findings, path: String, [least, most]: [f64; 2]) {
    if !(least.is_finite() && most.is_finite() && least < most) {
        f.add(path, "it is no range", "give the least value, then a larger one");
    }
}
