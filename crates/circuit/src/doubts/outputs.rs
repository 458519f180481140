//! Outputs that nothing in the file drives.

use super::problem;
use crate::compile::Circuit;
use vehicle::Problem;

pub(super) fn doubts(circuit: &Circuit) -> Vec<Problem> {
    let outputs = circuit.vehicle.outputs.iter_enumerated();
    let idle = outputs.filter(|(k, _)| circuit.drivers[*k].is_empty());
    idle.map(|(k, o)| {
        problem(
            format!("outputs[{k}]"),
            format!("no element drives “{}”: {} can never work", o.id, o.load),
            format!(
                "give {} a driver with this output at the pin that {} hangs on",
                o.module, o.load
            ),
        )
    })
    .collect()
}
