//! Whole connectors: not seated, or wet with leakage between neighbouring cavities.

use super::{Change, Fault, item_text, ohms_text, rates};
use crate::compile::Circuit;
use crate::law::Law;
use vehicle::{Connector, FaultId, Item};

/// Leakage between two neighbouring cavities of a wet connector tried, ohms: salt water to damp dirt.
const LEAKS: [f64; 6] = [150.0, 470.0, 1.5e3, 4.7e3, 15e3, 47e3];
/// What the same water has done to each terminal, ohms.
const CORRODED: f64 = 0.3;
/// Share of each mode, divided among its resistances and pairs of cavities.
const UNSEATED: f64 = 0.4;
const WET: f64 = 0.3;
const LEAK: f64 = 0.3;

/// Pairs of cavities that lie side by side: next to each other in a row, or one above the other.
pub(crate) fn neighbours(connector: &Connector) -> Vec<(usize, usize)> {
    let per_row = usize::from(connector.cavity_count.div_ceil(connector.rows.max(1))).max(1);
    let at = |k: usize| {
        let n = connector.cavities[k].no.parse::<usize>().unwrap_or(k + 1).max(1) - 1;
        (n / per_row, n % per_row)
    };
    let mut pairs = Vec::new();
    for a in 0..connector.cavities.len() {
        for b in a + 1..connector.cavities.len() {
            let ((ra, ca), (rb, cb)) = (at(a), at(b));
            if (ra == rb && ca.abs_diff(cb) == 1) || (ca == cb && ra.abs_diff(rb) == 1) {
                pairs.push((a, b));
            }
        }
    }
    pairs
}

pub(super) fn generate(circuit: &Circuit, c: usize, out: &mut Vec<Fault>) {
    out.extend(make(circuit, c, "unseated", None));
    let connector = &circuit.vehicle.connectors[c];
    let wet = circuit.vehicle.places.iter().any(|p| p.id == connector.place && p.wet);
    if wet && !connector.sealed {
        for ohms in LEAKS {
            out.extend(make(circuit, c, "wet", Some(ohms)));
        }
    }
    // A whisker or pinched seal between one pair only.
    for (a, b) in neighbours(connector) {
        let (a, b) = (&connector.cavities[a].no, &connector.cavities[b].no);
        for ohms in LEAKS {
            out.extend(make(circuit, c, &format!("leak-{a}-{b}"), Some(ohms)));
        }
    }
}

pub(super) fn make(circuit: &Circuit, c: usize, mode: &str, number: Option<f64>) -> Option<Fault> {
    let connector = &circuit.vehicle.connectors[c];
    let branch = |no: &str| circuit.terminal_branch.get(&(connector.id.clone(), no.to_owned()));
    let face = |no: &str| branch(no).map(|k| circuit.branches[*k].from);
    let pairs = neighbours(connector);
    let no = |k: usize| connector.cavities[k].no.as_str();
    let (changes, share, text) = match (mode, number) {
        ("unseated", None) => (
            connector
                .cavities
                .iter()
                .filter_map(|x| branch(&x.no))
                .map(|k| Change::Branch(*k, Law::OPEN))
                .collect(),
            UNSEATED,
            "not seated, no contact anywhere".to_owned(),
        ),
        ("wet", Some(r)) => {
            let leaks = pairs
                .iter()
                .filter_map(|(a, b)| Some(Change::Bridge(face(no(*a))?, face(no(*b))?, r)));
            let corroded = connector
                .cavities
                .iter()
                .filter_map(|x| branch(&x.no))
                .map(|k| Change::Branch(*k, Law::Ohms(circuit.sound_ohms(*k) + CORRODED)));
            (
                leaks.chain(corroded).collect(),
                WET / LEAKS.len() as f64,
                format!("wet, {} between neighbours", ohms_text(r)),
            )
        }
        (mode, Some(r)) => {
            let pair = mode.strip_prefix("leak-")?;
            let (a, b) = pairs.iter().find(|(a, b)| pair == format!("{}-{}", no(*a), no(*b)))?;
            (
                vec![Change::Bridge(face(no(*a))?, face(no(*b))?, r)],
                LEAK / (LEAKS.len() * pairs.len()) as f64,
                format!("leakage between cavities {} and {}, {}", no(*a), no(*b), ohms_text(r)),
            )
        }
        _ => return None,
    };
    let repair_item = Item::Connector(connector.id.clone());
    Some(Fault {
        id: FaultId::new(repair_item.clone(), mode, number),
        text: format!("{}: {text}", item_text(circuit, &repair_item)),
        repair_item,
        prior: share * rates::connector(circuit, c),
        changes,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use vehicle::Cavity;

    #[test]
    fn cavities_have_neighbours_beside_and_above() {
        let cavity = |no: &str| Cavity { no: no.into(), pin: None, spare: false };
        let connector = Connector {
            id: "C".into(),
            name: String::new(),
            part: None,
            sides: Some(("a".into(), "b".into())),
            place: "".into(),
            sealed: false,
            minutes: vehicle::Minutes::default(),
            cavity_count: 8,
            rows: 2,
            note: String::new(),
            cavities: ["1", "2", "4", "5", "6"].map(cavity).into(),
        };
        // 1 2 . 4 above 5 6 . .: 1-2 and 5-6 beside each other, 1-5 and 2-6 above each other.
        assert_eq!(neighbours(&connector), [(0, 1), (0, 3), (1, 4), (3, 4)]);
    }
}
