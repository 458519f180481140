//! What a fault lets one see or feel, without any instrument.

use crate::compile::Circuit;
use crate::fault::Fault;
use crate::place;
use vehicle::ItemKind;

/// How much less of it one sees by looking at a whole place than at the thing itself.
const FROM_AFAR: f64 = 0.5;

/// A mark on the vehicle.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// Chafed, broken, crushed, burnt.
    Damage,
    /// Green or white bloom, dull metal.
    Corrosion,
    /// Wet, or a water line.
    Water,
    /// A terminal pushed back, a connector not home.
    PushedBack,
    /// A terminal that does not grip a test pin.
    Loose,
}

/// Marks of a fault that one finds by looking at a place or thing, with the chance of each. A cavity is
/// looked at with its connector apart and its grip tried with a test pin; a splice has its tape off.
pub fn found_at(circuit: &Circuit, fault: &Fault, at: &str) -> Vec<(Mark, f64)> {
    if !place::lies_at(circuit, &fault.repair_item, at) {
        return Vec::new();
    }
    let afar = if circuit.names.place(at).is_some() { FROM_AFAR } else { 1.0 };
    let in_reach = |m: Mark| m != Mark::Loose || place::is_cavity(circuit, at);
    let all = marks(fault).iter().filter(|(m, _)| in_reach(*m));
    all.map(|(m, chance)| (*m, afar * chance)).collect()
}

/// Marks of a fault, with the chance that one sees each when looking at the thing itself.
fn marks(fault: &Fault) -> &'static [(Mark, f64)] {
    match (fault.id.of.kind(), fault.id.mode.as_str()) {
        (ItemKind::Wire, "series") => &[(Mark::Damage, 0.3), (Mark::Corrosion, 0.2)],
        (ItemKind::Wire | ItemKind::Pair, _) => &[(Mark::Damage, 0.6)],
        (ItemKind::Terminal, "open") => &[(Mark::PushedBack, 0.7), (Mark::Loose, 0.25)],
        (ItemKind::Terminal, "constriction") => &[(Mark::Loose, 0.8), (Mark::Corrosion, 0.1)],
        (ItemKind::Terminal, _) => {
            &[(Mark::Corrosion, 0.45), (Mark::Loose, 0.35), (Mark::PushedBack, 0.05)]
        }
        (ItemKind::Connector, "unseated") => &[(Mark::PushedBack, 0.9)],
        (ItemKind::Connector, "wet") => &[(Mark::Water, 0.7), (Mark::Corrosion, 0.2)],
        (ItemKind::Connector, _) => &[(Mark::Water, 0.2), (Mark::Damage, 0.2)],
        (ItemKind::Ground, _) => &[(Mark::Corrosion, 0.5), (Mark::Damage, 0.1)],
        (ItemKind::Splice, m) if m.starts_with("open") => &[(Mark::Damage, 0.85)],
        (ItemKind::Splice, _) => &[(Mark::Corrosion, 0.7), (Mark::Damage, 0.1)],
        _ => &[(Mark::Damage, 0.05)],
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fault;

    #[test]
    fn a_loose_terminal_is_felt_at_its_cavity_only() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let spread = fault::by_id(&c, "terminal:C4.7:constriction:0.4").unwrap();
        let felt = |at: &str| {
            let found = found_at(&c, &spread, at);
            found.into_iter().find(|(m, _)| *m == Mark::Loose).map_or(0.0, |(_, chance)| chance)
        };
        assert!(felt("C4.7") > 0.5);
        // The connector as a whole, the place it lies in, the cavity beside it.
        assert_eq!([felt("C4"), felt("bulkhead"), felt("C4.8")], [0.0; 3]);
        assert!(!found_at(&c, &spread, "bulkhead").is_empty(), "bloom shows from afar");
    }

    #[test]
    fn chances_of_all_marks_leave_room_for_none() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        for f in fault::all(&c) {
            let sum: f64 = marks(&f).iter().map(|(_, chance)| chance).sum();
            assert!(sum > 0.0 && sum < 0.97, "{}: {sum}", f.id);
        }
    }
}
