//! Conductors of an output: its load, what drives it, and who shares a connector or ground with it.

use super::about::{Wires, part, pin_circuit};
use super::walk::{Harness, owner};
use crate::model::Model;
use circuit::{BODY, NodeId};
use std::cmp::Reverse;
use std::collections::BTreeSet;
use vehicle::{PartIx, WireIx};

/// Conductors of circuits that only share something, at most.
const SHARED: usize = 8;

/// The output's own conductors and those of others that run through a connector or ground of it.
pub(super) fn wires(model: &Model, h: &Harness<'_>, output: &str) -> Wires {
    let c = &model.circuit;
    let v = &c.vehicle;
    let mut wires = own(model, h, output);
    let ends = |w: WireIx| [owner(&v.wires[w].from), owner(&v.wires[w].to)];
    let shared: BTreeSet<&str> = wires
        .keys()
        .flat_map(|w| ends(*w))
        .filter(|id| {
            let inline = c.names.connector(id).map(|k| &v.connectors[k]);
            c.names.ground(id).is_some() || inline.is_some_and(|k| k.sides.is_some())
        })
        .collect();
    // Those that share most come first: they tell most about what they share.
    let mut others: Vec<(usize, Wires)> = v
        .outputs
        .iter()
        .filter(|o| o.id != output)
        .filter_map(|other| {
            let mut load = Wires::new();
            part(model, h, c.part(&other.load)?, &mut load);
            let all = load.len();
            let met: BTreeSet<&str> =
                load.keys().flat_map(|w| ends(*w)).filter(|id| shared.contains(id)).collect();
            load.retain(|w, _| !wires.contains_key(w));
            (!met.is_empty()).then(|| (met.len() + all - load.len(), load))
        })
        .collect();
    others.sort_by_key(|(met, load)| (Reverse(*met), load.len()));
    let mut drawn = 0;
    for (_, load) in others {
        let more = load.keys().filter(|w| !wires.contains_key(w)).count();
        if drawn + more <= SHARED {
            drawn += more;
            for w in load.into_keys() {
                wires.entry(w).or_insert(true);
            }
        }
    }
    wires
}

/// The output's load with its supply and ground, and the circuits of the pins that drive it.
pub(super) fn own(model: &Model, h: &Harness<'_>, output: &str) -> Wires {
    let c = &model.circuit;
    let mut wires = Wires::new();
    let Some(o) = c.vehicle.outputs.position(|o| o.id == output) else {
        return wires;
    };
    if let Some(load) = c.part(&c.vehicle.outputs[o].load) {
        part(model, h, load, &mut wires);
    }
    for d in &c.drivers[o] {
        let placed = &c.devices[*d];
        let nodes: BTreeSet<NodeId> = placed
            .branches
            .iter()
            .flat_map(|k| [c.branches[*k].from, c.branches[*k].to])
            .filter(|n| *n != BODY)
            .collect();
        let pins = c
            .pin_node
            .range((placed.part, String::new())..(PartIx(placed.part.0 + 1), String::new()));
        for ((_, pin), _) in pins.filter(|(_, n)| nodes.contains(n)) {
            for end in h.ends_at(placed.part, pin) {
                pin_circuit(model, h, placed.part, end, &mut wires);
            }
        }
    }
    wires
}
