//! The shipped van, compiled.
#![allow(dead_code, missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use circuit::Circuit;
use std::sync::Arc;
use vehicle::{OperatingState, Vehicle};

pub fn wren() -> Arc<Circuit> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    let vehicle = Vehicle::from_json(&std::fs::read_to_string(path).unwrap());
    Arc::new(Circuit::new(vehicle.unwrap_or_else(|e| panic!("{e}"))).unwrap())
}

pub fn state(circuit: &Circuit, name: &str) -> OperatingState {
    let named = circuit.vehicle.states.iter().find(|s| s.id == name);
    named.unwrap_or_else(|| panic!("no state {name}")).state.clone()
}
