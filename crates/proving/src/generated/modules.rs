//! Control modules with what they drive and what they sense, and the bus between them.

use super::loom::Loom;
use super::{area, load, rating};
use rand::Rng;
use serde_json::{Value, json};

/// A module while its circuits are added.
struct Unit {
    number: usize,
    part: String,
    connector: String,
    place: String,
    elements: Vec<Value>,
    pins: Vec<String>,
}

impl Unit {
    fn pin(&mut self, pin: impl Into<String>) -> String {
        let pin = pin.into();
        self.pins.push(pin.clone());
        format!("{}.{pin}", self.connector)
    }
}

/// So many modules, on a bus where there are several.
pub(super) fn all(loom: &mut Loom, many: usize) {
    let is_network = many > 1;
    if is_network {
        loom.push("buses", json!({"id": "bus", "name": "Bus", "kind": "can", "bit_rate": 500_000, "dominant_share": 0.2}));
    }
    let mut ends: Option<[String; 2]> = None;
    let mut parts: Vec<String> = Vec::new();
    for k in 0..many {
        let mut unit = begin(loom, k);
        for n in 0..loom.rng.random_range(1..=4) {
            driven(loom, &mut unit, n);
        }
        sensors(loom, &mut unit);
        if is_network {
            let is_end = k == 0 || k + 1 == many;
            ends = Some(bus(loom, &mut unit, ends, is_end));
            lost(loom, &unit, &parts);
        }
        parts.push(unit.part.clone());
        finish(loom, unit);
    }
}

/// A module's feeds, and the code it sets when they are low.
fn begin(loom: &mut Loom, number: usize) -> Unit {
    let dash = loom.middle();
    let place = if loom.chance(0.5) { loom.zone() } else { dash.clone() };
    let (part, connector) = (loom.id("A"), loom.id("X"));
    let mut unit = Unit {
        number,
        part,
        connector,
        place: place.clone(),
        elements: Vec::new(),
        pins: Vec::new(),
    };
    let mut supply = json!({"type": "supply", "plus": "30", "minus": "31"});
    let fed = loom.fuse(40.0);
    let (plus, minus) = (unit.pin("30"), unit.pin("31"));
    loom.run(&fed, &dash, &plus, &place, 4.0);
    loom.ground_it(&minus, &place, 4.0);
    if loom.chance(0.8) {
        supply["wake"] = json!("15");
        let wakes = loom.switched_fuse(5.0);
        let pin = unit.pin("15");
        loom.run(&wakes, &dash, &pin, &place, 0.5);
    }
    unit.elements.push(supply);
    let signal =
        signal(loom, &unit, "supply", json!({"pin_volts": {"pin": "30", "against": "31"}}));
    monitor(
        loom,
        &unit,
        &format!("U3{:03}", 6 + number),
        "16",
        None,
        json!({"below": [signal, 9.5]}),
    );
    unit
}

fn signal(loom: &mut Loom, unit: &Unit, what: &str, from: Value) -> String {
    let id = format!("{}_{what}", unit.part);
    loom.push(
        "signals",
        json!({"id": id, "name": id, "module": unit.part, "unit": "V", "from": from}),
    );
    id
}

fn monitor(
    loom: &mut Loom,
    unit: &Unit,
    code: &str,
    failure_type: &str,
    enable: Option<Value>,
    fails: Value,
) {
    let mut monitor = json!({"module": unit.part, "code": code, "failure_type": failure_type, "text": format!("{code} of {}", unit.part), "fails": fails, "debounce_ms": 500, "runs_when": "key on"});
    if let Some(enable) = enable {
        monitor["enable"] = enable;
    }
    loom.push("monitors", monitor);
}

/// A code number of its own.
fn code(loom: &mut Loom, letter: char) -> String {
    let id = loom.id("code");
    let digits: String = id.chars().filter(char::is_ascii_digit).collect();
    format!(
        "{letter}1{:0>3}",
        digits.chars().rev().take(3).collect::<Vec<_>>().iter().rev().collect::<String>()
    )
}

/// An output with its load, asked for by a switch on an input of the module.
fn driven(loom: &mut Loom, unit: &mut Unit, number: usize) {
    let (dash, place) = (loom.middle(), unit.place.clone());
    let (pin, wish) = (format!("o{number}"), format!("i{number}"));
    let output = format!("{}_{pin}", unit.part);
    let (kind, name, element, amps) = load(loom);
    let zone = loom.zone();
    let at = unit.pin(pin.clone());
    // Lit diodes keep the pin of a driver from above so high that its open load cannot be told.
    let from_above = kind_of(&element) != "led_lamp" && loom.chance(0.5);
    let by_relay = !from_above && loom.chance(0.5);
    let limit = if by_relay { 2.0 } else { 3.0 * amps + 2.0 };
    let part = loom.part(kind, name, &zone, vec![element]);
    let (plus, minus) = (format!("{part}.1"), format!("{part}.2"));
    if from_above {
        unit.elements.push(json!({"type": "high_side", "supply": "30", "pin": pin, "ground": "31", "output": output, "on_ohms": 0.03, "limit_amps": limit, "sense_ohms": 47000}));
        loom.run(&at, &place, &plus, &zone, area(amps));
        loom.ground_it(&minus, &zone, area(amps));
    } else if by_relay {
        unit.elements.push(json!({"type": "low_side", "pin": pin, "ground": "31", "output": output, "on_ohms": 0.3, "limit_amps": limit}));
        let relay = json!({"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30", "make": "87"});
        let relay = loom.part("relay", "Relay", &dash, vec![relay]);
        let (coil, fed) = (loom.switched_fuse(5.0), loom.fuse(rating(amps)));
        loom.run(&coil, &dash, &format!("{relay}.86"), &dash, 0.5);
        loom.run(&format!("{relay}.85"), &dash, &at, &place, 0.5);
        loom.run(&fed, &dash, &format!("{relay}.30"), &dash, area(amps));
        loom.run(&format!("{relay}.87"), &dash, &plus, &zone, area(amps));
        loom.ground_it(&minus, &zone, area(amps));
    } else {
        unit.elements.push(json!({"type": "low_side", "pin": pin, "ground": "31", "output": output, "on_ohms": 0.05, "limit_amps": limit}));
        let fed = loom.switched_fuse(rating(amps));
        loom.run(&fed, &dash, &plus, &zone, area(amps));
        loom.run(&minus, &zone, &at, &place, area(amps));
    }
    loom.push("outputs", json!({"id": output, "name": output, "module": unit.part, "load": part, "did": 0x3000 + number, "limit_s": 10}));
    let volts = signal(loom, unit, &pin, json!({"pin_volts": {"pin": pin, "against": "31"}}));
    let on = signal(loom, unit, &format!("{pin}_on"), json!({"output": output}));
    let code = code(loom, 'B');
    // An open load or a short shows at the pin while it is off; a short the other way while it is on.
    let [off, driven] = match from_above {
        true => [json!({"above": [volts, 3.0]}), json!({"below": [volts, 3.0]})],
        false => [json!({"below": [volts, 3.0]}), json!({"above": [volts, 3.0]})],
    };
    let [off_type, on_type] = if from_above { ["15", "11"] } else { ["14", "12"] };
    monitor(loom, unit, &code, off_type, Some(json!({"below": [on, 0.5]})), off);
    monitor(loom, unit, &code, on_type, Some(json!({"above": [on, 0.5]})), driven);
    loom.state(&format!("{output}_driven"), json!({"key": "15", "outputs": [output]}));
    // The switch that asks for it pulls an input to ground.
    let contact = json!({"type": "contact", "a": "1", "b": "2", "closed_in": ["on"]});
    let switch = loom.switch("Button", &dash, &["off", "on"], vec![contact]);
    let asks = unit.pin(wish.clone());
    unit.elements.push(json!({"type": "input", "pin": wish, "pull_to": "30", "pull_ohms": 4700}));
    loom.run(&asks, &place, &format!("{switch}.1"), &dash, 0.35);
    loom.ground_it(&format!("{switch}.2"), &dash, 0.35);
    let asked = signal(loom, unit, &wish, json!({"pin_volts": {"pin": wish, "against": "31"}}));
    loom.push("functions", json!({"id": format!("{output}_asked"), "name": output, "request": {"below": [asked, 2.0]}, "output": output}));
    loom.state(&format!("{switch}_on"), json!({"key": "15", "switches": {(&switch): "on"}}));
}

fn kind_of(element: &Value) -> &str {
    element["type"].as_str().unwrap_or("")
}

/// Sensors on a shared ground, and where one wants it on a supply of the module.
fn sensors(loom: &mut Loom, unit: &mut Unit) {
    let many = loom.rng.random_range(0..=4);
    if many == 0 {
        return;
    }
    let place = unit.place.clone();
    unit.elements.push(json!({"type": "sensor_ground", "pin": "sg", "ground": "31"}));
    unit.elements.push(json!({"type": "reference", "pin": "ref", "ground": "31", "volts": 5}));
    let zone = loom.zone();
    let shared = many > 1;
    let (ground, supply) = (unit.pin("sg"), unit.pin("ref"));
    let mut tied = (ground.clone(), supply.clone());
    if shared {
        tied = (loom.splice("sensor ground", &zone), loom.splice("sensor supply", &zone));
        loom.run(&ground, &place, &tied.0, &zone, 0.35);
        loom.run(&supply, &place, &tied.1, &zone, 0.35);
    }
    let here = if shared { zone.clone() } else { place.clone() };
    let mut fed = false;
    for n in 0..many {
        let pin = format!("s{n}");
        let at = unit.pin(pin.clone());
        let feels = format!("{}_{pin}_feels", unit.part);
        // The last one uses the supply if no other does.
        let warm = loom.chance(0.5) && (fed || n + 1 < many);
        let (limits, other) = if warm {
            loom.push("stimuli", json!({"id": feels, "name": feels, "unit": "°C", "rest": 20}));
            unit.elements.push(json!({"type": "analog_input", "pin": pin, "ground": "31", "pull_volts": 5, "pull_ohms": 2200}));
            let sensor = json!({"type": "thermistor", "a": "1", "b": "2", "ohms_at_25": 2200, "beta": 3500, "stimulus": feels});
            let sensor = loom.part("sensor", "Temperature sensor", &zone, vec![sensor]);
            loom.run(&at, &place, &format!("{sensor}.1"), &zone, 0.35);
            loom.run(&format!("{sensor}.2"), &zone, &tied.0, &here, 0.35);
            ((0.15, 4.85), 80.0)
        } else {
            fed = true;
            loom.push("stimuli", json!({"id": feels, "name": feels, "unit": "%", "rest": 30}));
            unit.elements
                .push(json!({"type": "input", "pin": pin, "pull_to": "sg", "pull_ohms": 220_000}));
            let (kind, sensor) = match loom.chance(0.5) {
                true => (
                    "Position sensor",
                    json!({"type": "potentiometer", "low": "2", "high": "1", "wiper": "3", "ohms": 2000, "stimulus": feels, "table": [[0, 0.15], [100, 0.85]]}),
                ),
                false => (
                    "Pressure sensor",
                    json!({"type": "ratiometric", "supply": "1", "ground": "2", "output": "3", "stimulus": feels, "table": [[0, 0.1], [100, 0.9]]}),
                ),
            };
            let sensor = loom.part("sensor", kind, &zone, vec![sensor]);
            loom.run(&at, &place, &format!("{sensor}.3"), &zone, 0.35);
            loom.run(&tied.1, &here, &format!("{sensor}.1"), &zone, 0.35);
            loom.run(&format!("{sensor}.2"), &zone, &tied.0, &here, 0.35);
            ((0.25, 4.75), 80.0)
        };
        let volts = signal(loom, unit, &pin, json!({"pin_volts": {"pin": pin, "against": "sg"}}));
        let code = code(loom, 'P');
        monitor(loom, unit, &code, "16", None, json!({"below": [volts, limits.0]}));
        monitor(loom, unit, &code, "17", None, json!({"above": [volts, limits.1]}));
        if loom.chance(0.3) {
            loom.state(
                &format!("{feels}_more"),
                json!({"key": "15", "stimuli": {(&feels): other}}),
            );
        }
    }
}

/// Joins a module to the bus; the two splices that the next one goes on from.
fn bus(loom: &mut Loom, unit: &mut Unit, from: Option<[String; 2]>, is_end: bool) -> [String; 2] {
    unit.elements.push(
        json!({"type": "can_transceiver", "high": "H", "low": "L", "ground": "31", "bus": "bus"}),
    );
    if is_end {
        unit.elements.push(json!({"type": "resistor", "a": "H", "b": "L", "ohms": 120}));
    }
    let (dash, place) = (loom.middle(), unit.place.clone());
    let joints = ["H", "L"].map(|line| {
        let at = unit.pin(line);
        let joint = loom.splice("bus splice", &dash);
        loom.run(&at, &place, &joint, &dash, 0.35);
        joint
    });
    if let Some(last) = from {
        for (a, b) in last.iter().zip(&joints) {
            loom.run(a, &dash, b, &dash, 0.35);
        }
    }
    joints
}

/// Each module misses the messages of those before it.
fn lost(loom: &mut Loom, unit: &Unit, others: &[String]) {
    let message = format!("{}_tells", unit.part);
    loom.push("messages", json!({"id": message, "name": message, "sender": unit.part, "bus": "bus", "identifier": 0x100 + others.len(), "period_ms": 100}));
    for (k, other) in others.iter().enumerate() {
        let arrives = signal(
            loom,
            unit,
            &format!("hears_{other}"),
            json!({"arrives": format!("{other}_tells")}),
        );
        let code = format!("U0{:03}", 100 + k);
        let awake = json!({"above": [format!("{}_supply", unit.part), 9.5]});
        monitor(loom, unit, &code, "87", Some(awake), json!({"below": [arrives, 0.5]}));
    }
}

fn finish(loom: &mut Loom, unit: Unit) {
    let Unit { number, part, connector, place, elements, pins } = unit;
    let cavities: Vec<Value> = pins.iter().map(|no| json!({"no": no})).collect();
    loom.push("parts", json!({"id": part, "name": format!("Module {part}"), "kind": "module", "place": place, "minutes": {"reach": 3, "unplug": 1}, "elements": elements, "module": {"address": 0x1000 + number}}));
    loom.push("connectors", json!({"id": connector, "name": format!("connector of {part}"), "place": place, "part": part, "minutes": {"reach": 3, "unplug": 1}, "cavity_count": cavities.len() + 4, "cavities": cavities}));
}
