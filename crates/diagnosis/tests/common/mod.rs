//! The shipped van with everything that can be wrong with it.
#![allow(missing_docs, clippy::unwrap_used)]

use diagnosis::Model;
use std::sync::LazyLock;
use vehicle::{OperatingState, Vehicle};

pub static MODEL: LazyLock<Model> = LazyLock::new(|| {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    Model::new(Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()).unwrap()
});

pub fn state(name: &str) -> OperatingState {
    MODEL.circuit.vehicle.states.iter().find(|s| s.id == name).unwrap().state.clone()
}
