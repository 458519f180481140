//! What modules hold: where each setting is in the circuit, and what makes it another one.

use crate::compile::{Branch, BranchId, Circuit, DeviceIx, NodeId, Placed};
use crate::elements::setting;
use crate::fault::Change;
use std::collections::HashMap;
use vehicle::element::Setting;
use vehicle::{TiSlice, Vehicle};

/// The node of each setting, by its id, whose voltage is its value.
pub(crate) fn nodes(
    vehicle: &Vehicle,
    devices: &TiSlice<DeviceIx, Placed>,
    branches: &TiSlice<BranchId, Branch>,
) -> HashMap<String, NodeId> {
    let of = |d: &Placed| {
        let setting = vehicle.parts[d.part].elements[d.element].setting()?;
        Some((setting.id.clone(), branches[*d.branches.first()?].from))
    };
    devices.iter().filter_map(of).collect()
}

impl Circuit {
    /// Every setting, with the branch that makes it what it is.
    pub fn settings(&self) -> impl Iterator<Item = (&Setting, BranchId)> {
        self.devices.iter().filter_map(|d| {
            let setting = self.vehicle.parts[d.part].elements[d.element].setting()?;
            Some((setting, *d.branches.first()?))
        })
    }

    /// A setting that holds a value.
    pub fn holds(branch: BranchId, value: f64) -> Change {
        Change::Branch(branch, setting::holds(value))
    }
}
