//! A small vehicle.

use serde_json::{Value, json};

/// A battery, a fuse, a lamp and its ground: quick to reason about.
pub fn lamp() -> Value {
    let wire = |id: &str, from: &str, to: &str| json!({"id": id, "from": from, "to": to, "colour": "BK", "area_mm2": 1.5, "length_m": 2.0});
    json!({
        "format": 1, "id": "lamp", "make": "Made", "model": "Up", "year": 2022,
        "places": [{"id": "p", "name": "bay"}],
        "parts": [
            {"id": "BAT", "name": "Battery", "kind": "battery", "place": "p", "elements": [
                {"type": "battery", "plus": "+", "minus": "-", "open_volts": 12.6, "internal_ohms": 0.01}]},
            {"id": "F1", "name": "Fuse", "kind": "fuse", "place": "p", "elements": [
                {"type": "fuse", "a": "1", "b": "2", "rating_amps": 10}]},
            {"id": "E1", "name": "Lamp", "kind": "lamp", "place": "p", "elements": [
                {"type": "resistor", "a": "1", "b": "2", "ohms": 3.0}]}
        ],
        "connectors": [], "splices": [],
        "grounds": [{"id": "G1", "name": "ground", "place": "p"}],
        "wires": [wire("1", "BAT.+", "F1.1"), wire("2", "F1.2", "E1.1"), wire("3", "E1.2", "G1"), wire("4", "BAT.-", "G1")],
        "options": [],
        "states": [{"id": "s", "name": "on"}]
    })
}
