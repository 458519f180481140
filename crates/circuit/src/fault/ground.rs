//! Ground points: loose (open) or corroded (resistive).

use super::{Change, Fault, item_text, ohms_text, rates, series_ohms};
use crate::compile::Circuit;
use crate::law::Law;
use vehicle::{FaultId, GroundIx, Item};

/// Share of each mode, divided among its resistances.
const OPEN: f64 = 0.25;
const SERIES: f64 = 0.75;

pub(super) fn generate(circuit: &Circuit, g: GroundIx, out: &mut Vec<Fault>) {
    out.extend(make(circuit, g, "open", None));
    for ohms in series_ohms(circuit.sound_ohms(circuit.ground_branch[g])) {
        out.extend(make(circuit, g, "series", Some(*ohms)));
    }
}

pub(super) fn make(
    circuit: &Circuit,
    g: GroundIx,
    mode: &str,
    number: Option<f64>,
) -> Option<Fault> {
    let ground = &circuit.vehicle.grounds[g];
    let numbers = series_ohms(circuit.sound_ohms(circuit.ground_branch[g]));
    let (law, share, text) = match (mode, number) {
        ("open", None) => (Law::OPEN, OPEN, "loose, no contact".to_owned()),
        ("series", Some(r)) => (
            Law::Ohms(circuit.sound_ohms(circuit.ground_branch[g]) + r),
            SERIES / numbers.len() as f64,
            format!("corroded, {}", ohms_text(r)),
        ),
        _ => return None,
    };
    let repair_item = Item::Ground(ground.id.clone());
    Some(Fault {
        id: FaultId::new(repair_item.clone(), mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: share * rates::ground(circuit, g),
        changes: vec![Change::Branch(circuit.ground_branch[g], law)],
    })
}
