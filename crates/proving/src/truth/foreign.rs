//! What no fault of a file is: conductors exchanged in a connector, something that joins what nobody drew
//! together.

use super::Truth;
use crate::between;
use diagnosis::Model;
use rand::seq::IndexedRandom;
use rand_chacha::ChaCha8Rng;
use serde_json::json;
use std::collections::BTreeMap;
use vehicle::{Element, Item, Minutes, Part, PartKind, Point, Vehicle, Wire, WireId, WireIx};

/// Two conductors sit in each other's cavity.
pub(super) fn exchanged(model: &Model, rng: &mut ChaCha8Rng) -> Option<Truth> {
    let mut vehicle = model.circuit.vehicle.clone();
    let mut ends: BTreeMap<String, Vec<(WireIx, bool)>> = BTreeMap::new();
    for (w, wire) in vehicle.wires.iter_enumerated() {
        for (end, is_to) in [(&wire.from, false), (&wire.to, true)] {
            let at = Point::of(end);
            if at.no.is_none() {
                continue;
            }
            ends.entry(format!("{}:{}", at.owner, at.side.unwrap_or("")))
                .or_default()
                .push((w, is_to));
        }
    }
    let with_two: Vec<(&String, &Vec<(WireIx, bool)>)> =
        ends.iter().filter(|(_, list)| list.len() > 1).collect();
    let (owner, list) = with_two.choose(rng)?;
    let two: Vec<(WireIx, bool)> = list.choose_multiple(rng, 2).copied().collect();
    let [(a, a_to), (b, b_to)] = two[..] else { return None };
    let end = |vehicle: &Vehicle, w: WireIx, is_to: bool| {
        if is_to { vehicle.wires[w].to.clone() } else { vehicle.wires[w].from.clone() }
    };
    let (at_a, at_b) = (end(&vehicle, a, a_to), end(&vehicle, b, b_to));
    if at_a == at_b || a == b {
        return None;
    }
    for (w, is_to, new) in [(a, a_to, &at_b), (b, b_to, &at_a)] {
        let wire = &mut vehicle.wires[w];
        *(if is_to { &mut wire.to } else { &mut wire.from }) = new.clone();
    }
    let ids = [a, b].map(|w| vehicle.wires[w].id.clone());
    let text = format!("conductors {} and {} exchanged at {owner}", ids[0], ids[1]);
    // Whoever takes either of them in hand sees it.
    let contacts = [at_a, at_b].map(|end| Item::Terminal(Point::of(&end).cavity().into()));
    let right = contacts.into_iter().chain(ids.iter().map(|id| Item::wire(id))).collect();
    Some(Truth { vehicle, faults: Vec::new(), aged: Vec::new(), right, foreign: true, text })
}

/// A resistance between two conductors that lie nowhere side by side.
pub(super) fn bridged(model: &Model, rng: &mut ChaCha8Rng) -> Option<Truth> {
    let ohms = between(0.5, 200.0, rng);
    let element = json!({"type": "resistor", "a": "1", "b": "2", "ohms": ohms});
    joined(model, rng, &element, &format!("joined through {ohms:.1} ohms"))
}

/// A diode that feeds one circuit from another.
pub(super) fn back_fed(model: &Model, rng: &mut ChaCha8Rng) -> Option<Truth> {
    let element = json!({"type": "diode", "anode": "1", "cathode": "2", "rated_amps": 6});
    joined(model, rng, &element, "joined through a diode")
}

fn joined(
    model: &Model,
    rng: &mut ChaCha8Rng,
    element: &serde_json::Value,
    how: &str,
) -> Option<Truth> {
    let mut vehicle = model.circuit.vehicle.clone();
    let element: Element = serde_json::from_value(element.clone()).ok()?;
    let earthed =
        |id: &str| model.circuit.node_of.get(id).is_none_or(|n| model.circuit.earthed[*n]);
    let live: Vec<(WireId, String)> = vehicle
        .wires
        .iter()
        .filter(|w| !earthed(&w.to) && !earthed(&w.from))
        .map(|w| (w.id.clone(), w.to.clone()))
        .collect();
    let two: Vec<&(WireId, String)> = live.choose_multiple(rng, 2).collect();
    let [(a, at_a), (b, at_b)] = two[..] else { return None };
    let beside = |x: &str, y: &str| {
        let of = |(p, q): &(WireId, WireId)| (p == x && q == y) || (p == y && q == x);
        vehicle.places.iter().any(|p| p.beside.iter().any(of))
    };
    if beside(a, b) || model.circuit.node(at_a).ok()? == model.circuit.node(at_b).ok()? {
        return None;
    }
    const ADDED: &str = "added";
    let (place, template) = (vehicle.places.first()?.id.clone(), vehicle.wires.first()?.clone());
    vehicle.parts.push(Part {
        id: ADDED.into(),
        name: ADDED.into(),
        kind: PartKind::Other,
        place,
        minutes: Minutes::default(),
        price: None,
        variants: Vec::new(),
        elements: vec![element],
        positions: Vec::new(),
        module: None,
    });
    for (k, end) in [at_a, at_b].into_iter().enumerate() {
        vehicle.wires.push(Wire {
            id: format!("{ADDED} {k}").into(),
            from: end.clone(),
            to: format!("{ADDED}.{}", k + 1),
            area_mm2: 1.0,
            length_m: 0.5,
            ..template.clone()
        });
    }
    let text = format!("{at_a} and {at_b} {how}");
    let right = vec![Item::wire(a), Item::wire(b)];
    Some(Truth { vehicle, faults: Vec::new(), aged: Vec::new(), right, foreign: true, text })
}
