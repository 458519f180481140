//! A vehicle file with nothing but what a wiring diagram prints: the rest is typical, and all of it works.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::{Circuit, doubts};
use serde_json::{Value, json};
use vehicle::Vehicle;

/// Battery, key switch, fuse, relay; a lamp of 21 W and a motor of 4 A behind its contact.
fn printed() -> Value {
    let part = |id: &str, kind: &str, element: Value| json!({"id": id, "name": id, "kind": kind, "place": "p", "elements": [element]});
    let mut key =
        part("S1", "switch", json!({"type": "contact", "a": "30", "b": "15", "closed_in": ["15"]}));
    key["positions"] = json!(["0", "15"]);
    let wires = [
        ("BAT.+", "F1.1"),
        ("BAT.-", "G1"),
        ("F1.2", "S1.30"),
        ("F1.2", "K1.30"),
        ("S1.15", "K1.86"),
        ("K1.85", "G1"),
        ("K1.87", "E1.1"),
        ("K1.87", "M1.1"),
        ("E1.2", "G1"),
        ("M1.2", "G1"),
    ];
    let wire = |(k, (from, to)): (usize, &(&str, &str))| json!({"id": k.to_string(), "from": from, "to": to, "colour": "BK", "area_mm2": 1.5});
    json!({"format": 1, "id": "small", "make": "m", "model": "m", "year": 2022,
        "places": [{"id": "p", "name": "p"}],
        "parts": [
            part("BAT", "battery", json!({"type": "battery", "plus": "+", "minus": "-"})),
            part("F1", "fuse", json!({"type": "fuse", "a": "1", "b": "2", "rating_amps": 15})),
            key,
            part("K1", "relay", json!({"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30", "make": "87"})),
            part("E1", "lamp", json!({"type": "lamp", "plus": "1", "minus": "2", "rated_watts": 21, "effect": "it shines"})),
            part("M1", "motor", json!({"type": "motor", "plus": "1", "minus": "2", "rated_amps": 4, "effect": "it turns"})),
        ],
        "connectors": [], "splices": [], "grounds": [{"id": "G1", "name": "G1", "place": "p"}],
        "wires": wires.iter().enumerate().map(wire).collect::<Vec<_>>(),
        "states": [{"id": "off", "name": "Off"}, {"id": "on", "name": "On", "state": {"key": "15"}}]})
}

#[test]
fn what_a_diagram_prints_is_enough_for_everything_to_work() {
    let circuit = Circuit::new(Vehicle::from_json(&printed().to_string()).unwrap()).unwrap();
    let said: Vec<String> = doubts(&circuit).iter().map(ToString::to_string).collect();
    assert!(said.is_empty(), "{}", said.join("\n"));
    let on = circuit.solve(&circuit.vehicle.states[1].state, &[], None);
    for id in ["E1", "M1"] {
        let effect = on.effect(&circuit, circuit.part(id).unwrap()).unwrap();
        assert!((0.85..1.15).contains(&effect), "{id}: {effect}");
    }
    // 21 W at 12 V are 1.75 A; with the motor's 4 A and the coil's 12.5 V / 85 Ohm = 0.15 A 5.9 A, and a
    // little more at the 12.6 V that the battery has left.
    let amps = on.amps(&circuit, circuit.wire_branch[vehicle::WireIx(0)]).abs();
    assert!((5.6..6.4).contains(&amps), "{amps}");
    let off = circuit.solve(&circuit.vehicle.states[0].state, &[], None);
    assert!(off.amps(&circuit, circuit.wire_branch[vehicle::WireIx(0)]).abs() < 1e-3);
}

#[test]
fn a_number_that_is_given_stands() {
    let mut v = printed();
    v["parts"][3]["elements"][0]["coil_ohms"] = json!(60);
    v["parts"][5]["elements"][0]["winding_ohms"] = json!(0.9);
    let vehicle = Vehicle::from_json(&v.to_string()).unwrap();
    let written = serde_json::to_value(&vehicle).unwrap();
    assert_eq!(written["parts"][3]["elements"][0]["coil_ohms"], json!(60.0));
    assert_eq!(written["parts"][5]["elements"][0]["winding_ohms"], json!(0.9));
    // What is typical is written out, so that a later version cannot change it unseen.
    assert_eq!(written["parts"][3]["elements"][0]["pull_in_volts"], json!(7.2));
    assert_eq!(Vehicle::from_json(&written.to_string()).unwrap(), vehicle);
}
