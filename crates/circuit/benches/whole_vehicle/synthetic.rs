//! Made-up vehicles of any size: zones of fused loads, switches and sensors around a module each,
//! on one battery and one bus. All sizes take about the same current together, or the battery of
//! the larger ones would be a fault of its own.

use serde_json::{Value, json};

/// A vehicle of so many zones; ten are about as large as the shipped van.
pub fn vehicle(zones: usize) -> vehicle::Vehicle {
    let mut lists = Lists::default();
    lists.part(
        "BAT",
        "battery",
        json!([{"type": "battery", "plus": "+", "minus": "-", "open_volts": 12.5, "internal_ohms": 0.009}]),
    );
    lists.wire("BAT.+", "R30", 25.0, 1.2);
    lists.wire("BAT.-", "G0", 25.0, 0.4);
    lists.point("R30", true);
    lists.grounds.push(json!({"id": "G0", "name": "G0", "place": "p"}));
    for zone in 0..zones {
        lists.zone(zone, zones);
    }
    let text = json!({"format": 1, "id": "synthetic", "make": "m", "model": "m", "year": 2022,
        "places": [{"id": "p", "name": "p"}],
        "parts": lists.parts, "connectors": lists.connectors, "splices": lists.splices,
        "grounds": lists.grounds, "wires": lists.wires, "signals": lists.signals,
        "outputs": lists.outputs,
        "buses": [{"id": "body", "name": "Body bus", "kind": "can", "bit_rate": 250000, "dominant_share": 0.2}],
        "states": [{"id": "on", "name": "Key 15", "state": {"key": "15"}},
            {"id": "loaded", "name": "Some of the outputs", "state": {"key": "15",
                "outputs": lists.on}}]});
    vehicle::Vehicle::from_json(&text.to_string()).unwrap_or_else(|e| panic!("{e}"))
}

#[derive(Default)]
struct Lists {
    parts: Vec<Value>,
    connectors: Vec<Value>,
    splices: Vec<Value>,
    grounds: Vec<Value>,
    wires: Vec<Value>,
    signals: Vec<Value>,
    outputs: Vec<Value>,
    on: Vec<Value>,
}

impl Lists {
    fn part(&mut self, id: &str, kind: &str, elements: Value) {
        self.parts
            .push(json!({"id": id, "name": id, "kind": kind, "place": "p", "elements": elements}));
    }

    fn wire(&mut self, from: &str, to: &str, area: f64, length: f64) {
        let id = (self.wires.len() + 1).to_string();
        self.wires.push(json!({"id": id, "from": from, "to": to, "colour": "BK",
            "area_mm2": area, "length_m": length}));
    }

    fn point(&mut self, id: &str, rail: bool) {
        self.splices.push(json!({"id": id, "name": id, "place": "p", "rail": rail}));
    }

    fn zone(&mut self, zone: usize, zones: usize) {
        let id = |what: &str| format!("{what}z{zone}");
        let (module, ground, rail, fed) = (id("A"), id("G"), id("R"), id("J"));
        self.grounds.push(json!({"id": ground, "name": ground, "place": "p"}));
        self.point(&rail, true);
        self.point(&fed, false);
        self.wire("R30", &rail, 6.0, 2.0);
        let fuse = json!([{"type": "fuse", "a": "a", "b": "b", "rating_amps": 15}]);
        for k in 0..3 {
            self.part(&id(&format!("F{k}")), "fuse", fuse.clone());
            self.wire(&rail, &id(&format!("F{k}")).add(".a"), 2.5, 0.2);
        }
        self.wire(&id("F2").add(".b"), &fed, 2.5, 1.0);
        let x = id("X");
        let mut elements = vec![
            json!({"type": "supply", "plus": "30", "minus": "31", "awake_amps": 3.0 / zones.max(10) as f64, "asleep_amps": 0.003, "min_volts": 6.5, "max_volts": 16.5}),
            json!({"type": "can_transceiver", "high": "H", "low": "L", "ground": "31", "bias_volts": 2.5, "input_ohms": 30000, "driver_ohms": 23, "bus": "body"}),
            json!({"type": "reference", "pin": "R", "ground": "31", "volts": 5, "limit_amps": 0.05, "ohms": 0.5}),
        ];
        if zone == 0 || zone + 1 == zones {
            elements.push(json!({"type": "resistor", "a": "H", "b": "L", "ohms": 120}));
        }
        let mut cavities = vec!["30", "31", "H", "L", "R"];
        self.wire(&id("F0").add(".b"), &format!("{x}.30"), 1.5, 1.5);
        self.wire(&format!("{x}.31"), &ground, 1.5, 0.8);
        for (pin, bus) in [("H", "JH"), ("L", "JL")] {
            self.point(&format!("{bus}{zone}"), false);
            self.wire(&format!("{x}.{pin}"), &format!("{bus}{zone}"), 0.35, 0.5);
            if zone > 0 {
                let last = format!("{bus}{}", zone - 1);
                self.wire(&last, &format!("{bus}{zone}"), 0.35, 1.0);
            }
        }
        for (k, pin) in ["1", "2", "3", "4", "5", "6"].into_iter().enumerate() {
            let (load, output) = (id(&format!("E{k}")), format!("z{zone}o{k}"));
            cavities.push(pin);
            if k % 2 == 0 {
                if zone.is_multiple_of(zones.div_ceil(10)) {
                    self.on.push(json!(output));
                }
                elements.push(json!({"type": "low_side", "pin": pin, "ground": "31", "output": output, "on_ohms": 0.05, "limit_amps": 12, "sense_ohms": 100000}));
                self.part(&load, "lamp", json!([{"type": "lamp", "plus": "a", "minus": "b", "rated_volts": 13.5, "rated_watts": 21, "effect": "light"}]));
                self.wire(&fed, &format!("{load}.a"), 0.75, 1.0 + k as f64);
                self.wire(&format!("{load}.b"), &format!("{x}.{pin}"), 0.75, 1.0 + k as f64);
            } else {
                elements.push(json!({"type": "high_side", "supply": "30", "pin": pin, "ground": "31", "output": output, "on_ohms": 0.05, "limit_amps": 12, "sense_ohms": 47000}));
                self.part(&load, "motor", json!([{"type": "motor", "plus": "a", "minus": "b", "winding_ohms": 0.8, "rated_volts": 13.5, "rated_amps": 3, "breakaway_amps": 0.6, "effect": "turns"}]));
                self.wire(&format!("{x}.{pin}"), &format!("{load}.a"), 0.75, 1.0 + k as f64);
                self.wire(&format!("{load}.b"), &ground, 0.75, 1.0);
            }
            self.outputs.push(json!({"id": output, "name": output, "module": module, "load": load, "did": 0x3000 + k, "limit_s": 10}));
        }
        for (k, pin) in ["11", "12", "13", "14"].into_iter().enumerate() {
            let (sensor, signal) = (id(&format!("B{k}")), format!("z{zone}s{k}"));
            cavities.push(pin);
            elements.push(json!({"type": "input", "pin": pin, "pull_to": "R", "pull_ohms": 2200}));
            self.part(&sensor, "sensor", json!([{"type": "resistor", "a": "1", "b": "2", "ohms": 2500.0 + 100.0 * k as f64}]));
            self.wire(&format!("{x}.{pin}"), &format!("{sensor}.1"), 0.35, 1.0);
            self.wire(&format!("{sensor}.2"), &format!("{x}.31s"), 0.35, 1.0);
            self.signals.push(json!({"id": signal, "name": signal, "module": module, "unit": "V", "did": 0x2100 + k, "from": {"pin_volts": {"pin": pin, "against": "31"}}}));
        }
        cavities.push("31s");
        elements.push(json!({"type": "sensor_ground", "pin": "31s", "ground": "31", "ohms": 0.1}));
        // Further loads behind a switch of their own, from the third fuse.
        for k in 0..4 {
            let heater = id(&format!("H{k}"));
            self.part(&heater, "heater", json!([{"type": "resistor", "a": "a", "b": "b", "ohms": (3 * zones.max(10) + k) as f64}]));
            self.point(&id(&format!("K{k}")), false);
            self.wire(&id("F1").add(".b"), &id(&format!("K{k}")), 1.0, 0.6);
            self.wire(&id(&format!("K{k}")), &format!("{heater}.a"), 1.0, 1.6);
            self.wire(&format!("{heater}.b"), &ground, 1.0, 0.7);
        }
        self.part(&module, "module", Value::Array(elements));
        let cavities: Vec<Value> = cavities.iter().map(|no| json!({"no": no})).collect();
        self.connectors.push(json!({"id": x, "name": x, "place": "p", "part": module,
            "cavity_count": cavities.len(), "cavities": cavities}));
    }
}

/// Joins two texts.
trait Add {
    fn add(self, more: &str) -> String;
}

impl Add for String {
    fn add(mut self, more: &str) -> String {
        self.push_str(more);
        self
    }
}
