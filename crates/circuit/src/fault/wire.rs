//! Conductors: open, resistive, chafed to ground or to a supply that lies in the same loom.

use super::{BRIDGE_OHMS, Change, Fault, SERIES_OHMS, SUPPLY_OHMS};
use super::{harshness, id_of, item_text, ohms_text};
use crate::compile::Circuit;
use crate::law::Law;

/// Weight of each mode, shared out over its resistances.
const OPEN: f64 = 1.0;
const SERIES: f64 = 1.0;
const GROUND: f64 = 0.6;
const SUPPLY: f64 = 0.1;

pub(super) fn generate(circuit: &Circuit, w: usize, out: &mut Vec<Fault>) {
    out.extend(make(circuit, w, "open", None));
    for ohms in SERIES_OHMS {
        out.extend(make(circuit, w, "series", Some(ohms)));
    }
    for ohms in BRIDGE_OHMS {
        out.extend(make(circuit, w, "ground", Some(ohms)));
    }
    for ohms in SUPPLY_OHMS {
        out.extend(make(circuit, w, "supply", Some(ohms)));
    }
}

pub(super) fn make(circuit: &Circuit, w: usize, mode: &str, number: Option<f64>) -> Option<Fault> {
    let wire = &circuit.vehicle.wires[w];
    let branch = circuit.wire_branch[w];
    let Law::Ohms(sound) = circuit.branches[branch].law else {
        return None;
    };
    let route: Vec<&str> = wire.route.iter().map(String::as_str).collect();
    // Longer conductors have more places to break; short links inside a fuse box hardly any.
    let weight = harshness(circuit, &route, true) * (wire.length_m.clamp(0.05, 4.0) / 2.0);
    let (change, prior, text) = match (mode, number) {
        ("open", None) => (Change::Branch(branch, Law::OPEN), OPEN, "broken".to_owned()),
        ("series", Some(r)) => (
            Change::Branch(branch, Law::Ohms(sound + r)),
            SERIES / SERIES_OHMS.len() as f64,
            format!("series resistance {}", ohms_text(r)),
        ),
        ("ground", Some(r)) => (
            Change::Bridge(circuit.branches[branch].from, 0, r),
            GROUND / BRIDGE_OHMS.len() as f64,
            format!("chafed to ground through {}", ohms_text(r)),
        ),
        ("supply", Some(r)) => (
            Change::Bridge(circuit.branches[branch].to, circuit.supply?, r),
            SUPPLY / SUPPLY_OHMS.len() as f64,
            format!("bridged to a permanent supply through {}", ohms_text(r)),
        ),
        _ => return None,
    };
    let repair_item = format!("wire:{}", wire.id);
    Some(Fault {
        id: id_of(&repair_item, mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: prior * weight,
        changes: vec![change],
    })
}
