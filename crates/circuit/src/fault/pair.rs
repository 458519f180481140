//! Two conductors rubbed through to each other where the vehicle file says they touch.

use super::{Change, Fault, PAIR_OHMS, item_text, ohms_text, rates};
use crate::compile::Circuit;
use std::collections::BTreeSet;
use vehicle::{FaultId, Item};

pub(super) fn generate(circuit: &Circuit, out: &mut Vec<Fault>) {
    // Two conductors may lie beside each other in several places: that is one fault all the same.
    let mut seen = BTreeSet::new();
    for place in &circuit.vehicle.places {
        for (a, b) in place.beside.iter().filter(|(a, b)| seen.insert((a.min(b), a.max(b)))) {
            for ohms in PAIR_OHMS {
                out.extend(make(circuit, [a, b], "bridge", Some(ohms)));
            }
        }
    }
}

pub(super) fn make(
    circuit: &Circuit,
    [a, b]: [&str; 2],
    mode: &str,
    number: Option<f64>,
) -> Option<Fault> {
    let ("bridge", Some(ohms)) = (mode, number) else {
        return None;
    };
    let place =
        circuit.vehicle.places.iter().find(|p| p.beside.iter().any(|(x, y)| x == a && y == b))?;
    // Towards the far end of each conductor, since the chafed spot lies along it; where both end at
    // the same point, at their near ends.
    let ends = |id: &str| {
        let branch = &circuit.branches[circuit.wire_branch[circuit.wire(id)?]];
        Some([branch.to, branch.from])
    };
    let (near_a, near_b) = (ends(a)?, ends(b)?);
    let (at, other) = near_a.into_iter().zip(near_b).find(|(x, y)| x != y)?;
    let pair = Item::Pair(a.into(), b.into());
    let through = ohms_text(ohms);
    // Rubbed through to a conductor that is ground is rubbed through to ground: nothing but the eye
    // tells the two apart, and the same conductor is mended.
    let (repair_item, text) = match (circuit.earthed[at], circuit.earthed[other]) {
        (true, false) => (Item::wire(b), format!("rubbed through to ground {a}, {through}")),
        (false, true) => (Item::wire(a), format!("rubbed through to ground {b}, {through}")),
        _ => (pair.clone(), format!("bridged through {through}")),
    };
    Some(Fault {
        id: FaultId::new(pair, mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: rates::pair(circuit, &place.id) / PAIR_OHMS.len() as f64,
        changes: vec![Change::Bridge(at, other, ohms)],
    })
}
