//! Two conductors rubbed through to each other where the vehicle file says they touch.

use super::{Change, Fault, PAIR_OHMS, harshness, id_of, item_text, ohms_text};
use crate::compile::Circuit;

const WEIGHT: f64 = 0.35;

pub(super) fn generate(circuit: &Circuit, out: &mut Vec<Fault>) {
    for place in &circuit.vehicle.places {
        for (a, b) in &place.beside {
            for ohms in PAIR_OHMS {
                out.extend(make(circuit, &format!("{a}+{b}"), "bridge", Some(ohms)));
            }
        }
    }
}

pub(super) fn make(
    circuit: &Circuit,
    name: &str,
    mode: &str,
    number: Option<f64>,
) -> Option<Fault> {
    let ("bridge", Some(ohms)) = (mode, number) else {
        return None;
    };
    let (a, b) = name.split_once('+')?;
    let place =
        circuit.vehicle.places.iter().find(|p| p.beside.iter().any(|(x, y)| x == a && y == b))?;
    // Towards the far end of each conductor: the chafed spot lies along it.
    let node = |id: &str| Some(circuit.branches[circuit.wire_branch[circuit.wire(id)?]].to);
    let repair_item = format!("pair:{a}+{b}");
    Some(Fault {
        id: id_of(&repair_item, mode, number),
        text: format!("{}: bridged through {}", item_text(circuit, &repair_item), ohms_text(ohms)),
        repair_item,
        prior: WEIGHT / PAIR_OHMS.len() as f64 * harshness(circuit, &[&place.id], true),
        changes: vec![Change::Bridge(node(a)?, node(b)?, ohms)],
    })
}
