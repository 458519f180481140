//! A battery, a fuse and whatever a test hangs on them.
#![allow(dead_code, missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use circuit::Circuit;
use serde_json::{Value, json};
use std::sync::Arc;
use vehicle::Vehicle;

/// A battery of 12 V behind 10 mOhm and a 15 A fuse to `IN`, ground `G` at `OUT`, and the parts
/// given, joined by wires `w4`, `w5` … in the order listed. Ends without a dot are splices; wires are
/// so short that their resistance does not count. `more` has further lists of the vehicle file.
pub fn bench(parts: Vec<Value>, joined: &[(&str, &str)], more: Value) -> Arc<Circuit> {
    let mut all = vec![
        json!({"id": "BAT", "name": "Battery", "kind": "battery", "place": "p", "elements": [
            {"type": "battery", "plus": "+", "minus": "-", "open_volts": 12.0, "internal_ohms": 0.01}]}),
        json!({"id": "F1", "name": "Fuse", "kind": "fuse", "place": "p", "elements": [
            {"type": "fuse", "a": "1", "b": "2", "rating_amps": 15}]}),
    ];
    all.extend(parts);
    let ends: Vec<(&str, &str)> = [("BAT.+", "F1.1"), ("F1.2", "IN"), ("BAT.-", "G"), ("OUT", "G")]
        .into_iter()
        .chain(joined.iter().copied())
        .collect();
    let wires: Vec<Value> = ends
        .iter()
        .enumerate()
        .map(|(k, (from, to))| {
            json!({"id": format!("w{k}"), "from": from, "to": to, "colour": "BK", "area_mm2": 1.0, "length_m": 0.001})
        })
        .collect();
    let grounds = ["G", "G2"].into_iter().filter(|g| ends.iter().any(|e| e.0 == *g || e.1 == *g));
    let splices: std::collections::BTreeSet<&str> = ends
        .iter()
        .flat_map(|e| [e.0, e.1])
        .filter(|e| !e.contains('.') && !e.starts_with('G'))
        .collect();
    let named = |id: &str| json!({"id": id, "name": id, "place": "p"});
    let mut text = json!({"format": 1, "id": "b", "make": "m", "model": "m", "year": 2022,
        "places": [{"id": "p", "name": "p"}], "parts": all, "connectors": [],
        "splices": splices.into_iter().map(named).collect::<Vec<_>>(),
        "grounds": grounds.map(named).collect::<Vec<_>>(), "wires": wires,
        "states": [{"id": "s", "name": "s"}]});
    for (key, list) in more.as_object().into_iter().flatten() {
        text[key] = list.clone();
    }
    let vehicle = Vehicle::from_json(&text.to_string()).unwrap_or_else(|e| panic!("{e}"));
    Arc::new(Circuit::new(vehicle).unwrap_or_else(|e| panic!("{e}")))
}

/// A part with pins 1 and 2.
pub fn resistor(id: &str, ohms: f64) -> Value {
    json!({"id": id, "name": id, "kind": "other", "place": "p",
        "elements": [{"type": "resistor", "a": "1", "b": "2", "ohms": ohms}]})
}
