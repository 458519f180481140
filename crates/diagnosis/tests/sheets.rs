//! Sheets and connector faces of the whole van.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, state};
use diagnosis::sheet::{self, Sheet, Wanted};
use std::collections::BTreeSet;
use vehicle::OperatingState;

fn draw(about: &str, state: &OperatingState) -> Sheet {
    let wanted = Wanted { about, more: &[], state, under: None };
    sheet::sheet(&MODEL, &wanted).unwrap_or_else(|| panic!("no sheet of {about}"))
}

#[test]
fn everything_in_the_vehicle_has_a_sheet_that_hangs_together() {
    let on = state("on");
    let mut largest = (0, String::new());
    let (mut empty, mut sizes) = (Vec::new(), Vec::new());
    for subject in sheet::subjects(&MODEL) {
        let s = draw(&subject.id, &on);
        let pins: BTreeSet<&str> =
            s.nodes.iter().flat_map(|n| &n.pins).map(|p| p.id.as_str()).collect();
        for line in &s.lines {
            assert!(pins.contains(line.from.as_str()), "{} {}", subject.id, line.from);
            assert!(pins.contains(line.to.as_str()), "{} {}", subject.id, line.to);
        }
        if s.lines.is_empty() {
            empty.push(subject.id.clone());
        }
        sizes.push((s.lines.len(), subject.id.clone()));
        largest = largest.max((s.lines.len(), subject.id));
    }
    sizes.sort();
    println!("largest {:?}", &sizes[sizes.len() - 12..]);
    println!("largest {largest:?}; without a conductor {empty:?}");
    assert!(largest.0 <= 70, "{largest:?}");
    // Only things that no conductor reaches.
    assert!(empty.len() < 3, "{empty:?}");
}

#[test]
fn a_lamp_is_drawn_from_its_supply_to_its_ground() {
    let c = &MODEL.circuit;
    let v = &c.vehicle;
    // Every lamp and motor with two pins: the sheet of it reaches a rail or a module at one end
    // and a ground or a module at the other.
    let mut drawn = 0;
    for p in v
        .parts
        .iter()
        .filter(|p| matches!(p.kind, vehicle::PartKind::Lamp | vehicle::PartKind::Motor))
    {
        let s = draw(&format!("part:{}", p.id), &state("on"));
        let stops = s
            .nodes
            .iter()
            .filter(|n| matches!(n.kind.as_str(), "rail" | "ground" | "module" | "battery"))
            .flat_map(|n| &n.pins)
            .count();
        assert!(stops >= 2, "{} {stops}", p.id);
        drawn += 1;
    }
    assert!(drawn > 20, "{drawn}");
}

#[test]
fn neighbours_grow_a_sheet_and_a_fault_shows_beside_the_sound_values() {
    let on = state("rear_washer");
    let small = draw("part:M7", &on);
    let more = ["F4".to_owned()];
    let node = small.nodes.iter().find(|n| n.kind == "ground" || n.kind == "splice").unwrap();
    let more = [more[0].clone(), node.id.clone()];
    let wanted = Wanted { about: "part:M7", more: &more, state: &on, under: Some("wire:62:open") };
    let s = sheet::sheet(&MODEL, &wanted).unwrap();
    assert!(s.lines.len() > small.lines.len());
    // An open conductor takes its voltage from something on the sheet, and only from there.
    let pins = || s.nodes.iter().flat_map(|n| &n.pins);
    assert!(pins().any(|p| (p.under.unwrap() - p.volts).abs() > 5.0));
    assert!(pins().any(|p| (p.under.unwrap() - p.volts).abs() < 0.1));
    assert!(small.nodes.iter().flat_map(|n| &n.pins).all(|p| p.under.is_none()));
}

#[test]
fn a_connector_face_has_all_its_cavities() {
    for k in &MODEL.circuit.vehicle.connectors {
        let f = sheet::face(&MODEL, &k.id, &state("on"), None).unwrap();
        let all: Vec<_> = f.rows.iter().flatten().collect();
        assert_eq!(all.len(), usize::from(k.cavity_count).max(k.cavities.len()), "{}", k.id);
        assert!(f.rows.len() <= usize::from(k.rows));
        let used = all.iter().filter(|c| !c.id.is_empty()).count();
        assert_eq!(used, k.cavities.len());
        for c in all.iter().filter(|c| !c.wire.is_empty()) {
            assert!(MODEL.circuit.node(&c.id).is_ok(), "{}", c.id);
            assert!(!c.to.is_empty() && !c.colour.is_empty());
        }
    }
    assert!(sheet::face(&MODEL, "nothing", &state("on"), None).is_none());
}

#[test]
fn nothing_is_drawn_of_what_is_not_there() {
    for about in ["", "part", "part:", "part:nobody", "code:A2", "wire:9999", "engine:1"] {
        let state = state("off");
        let wanted = Wanted { about, more: &[], state: &state, under: None };
        assert!(sheet::sheet(&MODEL, &wanted).is_none(), "{about}");
    }
}

#[test]
fn whatever_is_suspected_has_a_sheet() {
    let on = state("on");
    for item in MODEL.items.iter().filter(|i| **i != vehicle::Item::Elsewhere) {
        let s = draw(&item.to_string(), &on);
        // A conductor, a contact or two conductors are drawn by what carries them.
        let by_wire = matches!(
            item,
            vehicle::Item::Wire(_) | vehicle::Item::Terminal(_) | vehicle::Item::Pair(..)
        );
        assert!(!by_wire || !s.lines.is_empty(), "{item}");
    }
}
