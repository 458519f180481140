//! Splices: one leg of the crimp loose or corroded.

use super::{Change, Fault, harshness, id_of, item_text, ohms_text};
use crate::compile::Circuit;
use crate::law::Law;

/// Resistances of a corroded leg tried, ohms.
const GRID: [f64; 5] = [0.22, 1.0, 4.7, 47.0, 1e3];
/// A crimp in the loom fails more often than the stamped bar of a fuse box.
const CRIMP: f64 = 0.25;
const RAIL: f64 = 0.05;

fn legs(circuit: &Circuit, s: usize) -> impl Iterator<Item = usize> {
    circuit.names.ending_at(&circuit.vehicle.splices[s].id).iter().copied()
}

pub(super) fn generate(circuit: &Circuit, s: usize, out: &mut Vec<Fault>) {
    for w in legs(circuit, s) {
        let leg = &circuit.vehicle.wires[w].id;
        out.extend(make(circuit, s, &format!("open-{leg}"), None));
        for ohms in GRID {
            out.extend(make(circuit, s, &format!("series-{leg}"), Some(ohms)));
        }
    }
}

pub(super) fn make(circuit: &Circuit, s: usize, mode: &str, number: Option<f64>) -> Option<Fault> {
    let splice = &circuit.vehicle.splices[s];
    let (mode_name, leg) = mode.split_once('-')?;
    let w = legs(circuit, s).find(|w| circuit.vehicle.wires[*w].id == leg)?;
    let branch = circuit.wire_branch[w];
    let Law::Ohms(sound) = circuit.branches[branch].law else {
        return None;
    };
    let weight = if splice.rail { RAIL } else { CRIMP };
    let (law, prior, text) = match (mode_name, number) {
        ("open", None) => (Law::OPEN, weight, format!("conductor {leg} out of the splice")),
        ("series", Some(r)) => (
            Law::Ohms(sound + r),
            2.0 * weight / GRID.len() as f64,
            format!("corroded towards conductor {leg}, {}", ohms_text(r)),
        ),
        _ => return None,
    };
    let repair_item = format!("splice:{}", splice.id);
    Some(Fault {
        id: id_of(&repair_item, mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: prior * harshness(circuit, &[&splice.place], false),
        changes: vec![Change::Branch(branch, law)],
    })
}
