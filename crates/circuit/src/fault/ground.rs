//! Ground points: loose (open) or corroded (resistive).

use super::{Change, Fault, SERIES_OHMS, harshness, id_of, item_text, ohms_text};
use crate::compile::{Circuit, GROUND_OHMS};
use crate::law::Law;

pub(super) fn generate(circuit: &Circuit, g: usize, out: &mut Vec<Fault>) {
    out.extend(make(circuit, g, "open", None));
    for ohms in SERIES_OHMS {
        out.extend(make(circuit, g, "series", Some(ohms)));
    }
}

pub(super) fn make(circuit: &Circuit, g: usize, mode: &str, number: Option<f64>) -> Option<Fault> {
    let ground = &circuit.vehicle.grounds[g];
    let (law, prior, text) = match (mode, number) {
        ("open", None) => (Law::OPEN, 0.4, "loose, no contact".to_owned()),
        ("series", Some(r)) => (
            Law::Ohms(GROUND_OHMS + r),
            1.2 / SERIES_OHMS.len() as f64,
            format!("corroded, {}", ohms_text(r)),
        ),
        _ => return None,
    };
    let repair_item = format!("ground:{}", ground.id);
    Some(Fault {
        id: id_of(&repair_item, mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: prior * harshness(circuit, &[&ground.place], false),
        changes: vec![Change::Branch(circuit.ground_branch[g], law)],
    })
}
