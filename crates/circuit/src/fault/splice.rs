//! Splices: one leg of the crimp loose or corroded.

use super::{Change, Fault, item_text, ohms_text, rates};
use crate::compile::Circuit;
use crate::law::Law;
use vehicle::{FaultId, Item, WireIx};

/// Resistances of a corroded leg tried, ohms.
const GRID: [f64; 8] = [0.1, 0.22, 0.47, 1.0, 4.7, 22.0, 100.0, 1e3];
/// Share of each mode of a leg, divided among its resistances.
const OPEN: f64 = 0.33;
const SERIES: f64 = 0.67;

fn legs(circuit: &Circuit, s: usize) -> impl Iterator<Item = WireIx> {
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
    let (law, share, text) = match (mode_name, number) {
        ("open", None) => (Law::OPEN, OPEN, format!("conductor {leg} out of the splice")),
        ("series", Some(r)) => (
            Law::Ohms(sound + r),
            SERIES / GRID.len() as f64,
            format!("corroded towards conductor {leg}, {}", ohms_text(r)),
        ),
        _ => return None,
    };
    let count = legs(circuit, s).count();
    let repair_item = Item::Splice(splice.id.clone());
    Some(Fault {
        id: FaultId::new(repair_item.clone(), mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: share / count as f64 * rates::splice(circuit, s, count),
        changes: vec![Change::Branch(branch, law)],
    })
}
