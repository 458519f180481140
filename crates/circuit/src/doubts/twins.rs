//! Conductors that do the same.

use super::problem;
use crate::compile::Circuit;
use std::collections::HashMap;
use vehicle::Problem;

pub(super) fn doubts(circuit: &Circuit) -> Vec<Problem> {
    let mut known: HashMap<[&str; 2], &str> = HashMap::new();
    let mut out = Vec::new();
    for (w, wire) in circuit.vehicle.wires.iter().enumerate() {
        let mut ends = [wire.from.as_str(), wire.to.as_str()];
        ends.sort_unstable();
        let path = format!("wires[{w}]");
        if ends[0] == ends[1] {
            out.push(problem(
                path,
                format!("conductor {} begins and ends at {}", wire.id, wire.from),
                "give it the end that it really has",
            ));
        } else if let Some(other) = known.insert(ends, &wire.id) {
            out.push(problem(
                path,
                format!(
                    "conductors {other} and {} both join {} to {}",
                    wire.id, wire.from, wire.to
                ),
                "take one of them out, or give it the ends that it really has",
            ));
        }
    }
    out
}
