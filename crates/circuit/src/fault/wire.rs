//! Conductors: open, resistive, chafed to ground or to a supply that lies in the same loom.

use super::{BRIDGE_OHMS, Change, FAR_OHMS, Fault, SUPPLY_OHMS};
use super::{item_text, ohms_text, rates, series_ohms};
use crate::compile::{BODY, Circuit};
use crate::law::Law;
use vehicle::{FaultId, Item, WireIx};

/// Share of each mode, divided among its resistances.
const OPEN: f64 = 0.37;
const SERIES: f64 = 0.37;
const GROUND: f64 = 0.22;
const SUPPLY: f64 = 0.04;

pub(super) fn generate(circuit: &Circuit, w: WireIx, out: &mut Vec<Fault>) {
    out.extend(make(circuit, w, "open", None));
    for ohms in series_ohms(circuit.sound_ohms(circuit.wire_branch[w])) {
        out.extend(make(circuit, w, "series", Some(*ohms)));
    }
    // The chafed spot lies near the one end or the other: a clamp in between tells which.
    for (mode, count) in [("ground", BRIDGE_OHMS.len()), ("ground_far", FAR_OHMS)] {
        for ohms in &BRIDGE_OHMS[..count] {
            out.extend(make(circuit, w, mode, Some(*ohms)));
        }
    }
    for ohms in SUPPLY_OHMS {
        out.extend(make(circuit, w, "supply", Some(ohms)));
    }
}

pub(super) fn make(circuit: &Circuit, w: WireIx, mode: &str, number: Option<f64>) -> Option<Fault> {
    let wire = &circuit.vehicle.wires[w];
    let branch = circuit.wire_branch[w];
    let Law::Ohms(sound) = circuit.branches[branch].law else {
        return None;
    };
    let (change, share, text) = match (mode, number) {
        ("open", None) => (Change::Branch(branch, Law::OPEN), OPEN, "broken".to_owned()),
        ("series", Some(r)) => (
            Change::Branch(branch, Law::Ohms(sound + r)),
            SERIES / series_ohms(sound).len() as f64,
            format!("series resistance {}", ohms_text(r)),
        ),
        ("ground" | "ground_far", Some(r)) => {
            let b = &circuit.branches[branch];
            // What is tried at one end only has the share of both.
            let ends =
                if BRIDGE_OHMS[..FAR_OHMS].iter().any(|tried| r <= *tried) { 2.0 } else { 1.0 };
            let (at, end) = if mode == "ground" { (b.from, &wire.from) } else { (b.to, &wire.to) };
            (
                Change::Bridge(at, BODY, r),
                GROUND / ends / BRIDGE_OHMS.len() as f64,
                format!("chafed to ground near {end}, through {}", ohms_text(r)),
            )
        }
        ("supply", Some(r)) => (
            Change::Bridge(circuit.branches[branch].to, circuit.supply?, r),
            SUPPLY / SUPPLY_OHMS.len() as f64,
            format!("bridged to a permanent supply through {}", ohms_text(r)),
        ),
        _ => return None,
    };
    let repair_item = Item::Wire(wire.id.clone());
    Some(Fault {
        id: FaultId::new(repair_item.clone(), mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: share * rates::conductor(circuit, w),
        changes: vec![change],
    })
}
