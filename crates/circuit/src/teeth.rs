//! What turns past sensors: in a state in which something turns, each sensor has now a gap before it and now a
//! tooth. The operating point of a state is solved as the state says; [`Circuit::teeth_on`] gives the state in
//! which all that turns has turned on by half a tooth, and the pulses that a module counts arrive where the
//! voltage at its pin lies on the other side of its threshold then.

use crate::compile::{Branch, BranchId, Circuit, DeviceIx, NodeId, Placed};
use std::collections::HashMap;
use vehicle::{Amount, OperatingState, PartIx, TiSlice, Vehicle};

/// Between a gap, 0, and a tooth, 1.
const EDGE: f64 = 0.5;

/// The node of each ring whose voltage is the rate of its teeth.
pub(crate) fn nodes(
    vehicle: &Vehicle,
    devices: &TiSlice<DeviceIx, Placed>,
    branches: &TiSlice<BranchId, Branch>,
) -> HashMap<PartIx, NodeId> {
    let of = |d: &Placed| {
        vehicle.parts[d.part].elements[d.element].turns()?;
        Some((d.part, branches[*d.branches.first()?].from))
    };
    devices.iter().filter_map(of).collect()
}

impl Circuit {
    /// The state in which all that turns has turned on by half a tooth; none where nothing turns.
    pub fn teeth_on(&self, state: &OperatingState) -> Option<OperatingState> {
        let v = &self.vehicle;
        let rest = |id: &str| v.stimuli.iter().find(|s| s.id == id).map_or(0.0, |s| s.rest);
        let now = |id: &str| state.stimulus(id, rest(id));
        let rings = v.parts.iter().flat_map(|p| &p.elements).filter_map(|e| e.turns());
        let mut turning = rings.filter(|t| now(t.stimulus) != 0.0).peekable();
        // Mostly nothing turns: nothing is copied then.
        turning.peek()?;
        let mut on = state.clone();
        for turns in turning {
            let next = if now(turns.feeds) > EDGE { 0.0 } else { 1.0 };
            on.stimuli.insert(turns.feeds.to_owned(), Amount(next));
        }
        Some(on)
    }
}
