//! What a hand switches, directly or through a relay.

use super::loom::Loom;
use super::{area, load, rating};
use rand::Rng;
use serde_json::{Value, json};

/// Positions of a plain switch.
const OFF_ON: [&str; 2] = ["off", "on"];

fn plain_contact() -> Value {
    json!({"type": "contact", "a": "1", "b": "2", "closed_in": ["on"]})
}

/// A fuse live always, or with the key on.
fn any_fuse(loom: &mut Loom, amps: f64) -> String {
    let amps = rating(amps);
    if loom.chance(0.5) { loom.fuse(amps) } else { loom.switched_fuse(amps) }
}

/// Several lamps behind one switch, sharing a splice.
pub(super) fn lamps(loom: &mut Loom) {
    let many = loom.rng.random_range(2..=4);
    let watts = loom.one_of(&[5.0, 10.0, 21.0]);
    let amps = watts / 12.0 * many as f64;
    let dash = loom.middle();
    let fed = any_fuse(loom, amps);
    let switch = loom.switch("Light switch", &dash, &OFF_ON, vec![plain_contact()]);
    loom.run(&fed, &dash, &format!("{switch}.1"), &dash, area(amps));
    let splice = loom.splice("lamp splice", &dash);
    loom.run(&format!("{switch}.2"), &dash, &splice, &dash, area(amps));
    for _ in 0..many {
        let zone = loom.zone();
        let lamp = json!({"type": "lamp", "plus": "1", "minus": "2", "rated_watts": watts, "effect": "it shines"});
        let lamp = loom.part("lamp", "Lamp", &zone, vec![lamp]);
        loom.run(&splice, &dash, &format!("{lamp}.1"), &zone, 0.75);
        loom.ground_it(&format!("{lamp}.2"), &zone, 0.75);
    }
    loom.state(&format!("{switch}_on"), json!({"key": "15", "switches": {(&switch): "on"}}));
}

/// One load behind a fuse and a switch, which may lie on either side of it.
pub(super) fn plain_load(loom: &mut Loom) {
    let (kind, name, element, amps) = load(loom);
    let (zone, dash) = (loom.zone(), loom.middle());
    let fed = any_fuse(loom, amps);
    let switch = loom.switch("Switch", &dash, &OFF_ON, vec![plain_contact()]);
    let part = loom.part(kind, name, &zone, vec![element]);
    let (first, second) = (format!("{switch}.1"), format!("{switch}.2"));
    if loom.chance(0.7) {
        loom.run(&fed, &dash, &first, &dash, area(amps));
        loom.run(&second, &dash, &format!("{part}.1"), &zone, area(amps));
        loom.ground_it(&format!("{part}.2"), &zone, area(amps));
    } else {
        loom.run(&fed, &dash, &format!("{part}.1"), &zone, area(amps));
        loom.run(&format!("{part}.2"), &zone, &first, &dash, area(amps));
        loom.ground_it(&second, &dash, area(amps));
    }
    loom.state(&format!("{switch}_on"), json!({"key": "15", "switches": {(&switch): "on"}}));
}

/// One or two loads behind a relay whose coil a switch closes, from above or below.
pub(super) fn relay(loom: &mut Loom) {
    let dash = loom.middle();
    let box_place = if loom.chance(0.5) { loom.zone() } else { dash.clone() };
    let mut loads = vec![load(loom)];
    if loom.chance(0.4) {
        loads.push(load(loom));
    }
    let amps: f64 = loads.iter().map(|l| l.3).sum();
    let fed = loom.fuse(rating(amps));
    let relay = json!({"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30", "make": "87"});
    let relay = loom.part("relay", "Relay", &box_place, vec![relay]);
    let switch = loom.switch("Switch", &dash, &OFF_ON, vec![plain_contact()]);
    let coil = loom.switched_fuse(5.0);
    loom.run(&fed, &dash, &format!("{relay}.30"), &box_place, area(amps));
    let (plus, minus) = (format!("{relay}.86"), format!("{relay}.85"));
    let (first, second) = (format!("{switch}.1"), format!("{switch}.2"));
    if loom.chance(0.5) {
        loom.run(&coil, &dash, &first, &dash, 0.5);
        loom.run(&second, &dash, &plus, &box_place, 0.5);
        loom.ground_it(&minus, &box_place, 0.5);
    } else {
        loom.run(&coil, &dash, &plus, &box_place, 0.5);
        loom.run(&minus, &box_place, &first, &dash, 0.5);
        loom.ground_it(&second, &dash, 0.5);
    }
    let out = format!("{relay}.87");
    let from = if loads.len() > 1 {
        let splice = loom.splice("load splice", &box_place);
        loom.run(&out, &box_place, &splice, &box_place, area(amps));
        splice
    } else {
        out
    };
    for (kind, name, element, amps) in loads {
        let zone = loom.zone();
        let part = loom.part(kind, name, &zone, vec![element]);
        loom.run(&from, &box_place, &format!("{part}.1"), &zone, area(amps));
        loom.ground_it(&format!("{part}.2"), &zone, area(amps));
    }
    loom.state(&format!("{switch}_on"), json!({"key": "15", "switches": {(&switch): "on"}}));
}

/// A fan with a slow step over a resistor and a fast one past it.
pub(super) fn speeds(loom: &mut Loom) {
    let amps = loom.one_of(&[6.0, 10.0]);
    let (zone, dash) = (loom.zone(), loom.middle());
    let fed = loom.switched_fuse(rating(amps));
    let contacts = ["slow", "fast"]
        .map(|step| json!({"type": "contact", "a": "1", "b": step, "closed_in": [step]}));
    let switch = loom.switch("Fan switch", &dash, &["off", "slow", "fast"], contacts.to_vec());
    let resistor = json!({"type": "resistor", "a": "1", "b": "2", "ohms": 3.0 / amps});
    let resistor = loom.part("resistor", "Fan resistor", &zone, vec![resistor]);
    let motor = json!({"type": "motor", "plus": "1", "minus": "2", "rated_amps": amps, "effect": "air comes"});
    let motor = loom.part("motor", "Fan", &zone, vec![motor]);
    let splice = loom.splice("fan splice", &zone);
    loom.run(&fed, &dash, &format!("{switch}.1"), &dash, area(amps));
    loom.run(&format!("{switch}.slow"), &dash, &format!("{resistor}.1"), &zone, area(amps));
    loom.run(&format!("{resistor}.2"), &zone, &splice, &zone, area(amps));
    loom.run(&format!("{switch}.fast"), &dash, &splice, &zone, area(amps));
    loom.run(&splice, &zone, &format!("{motor}.1"), &zone, area(amps));
    loom.ground_it(&format!("{motor}.2"), &zone, area(amps));
    for step in ["slow", "fast"] {
        loom.state(
            &format!("{switch}_{step}"),
            json!({"key": "15", "switches": {(&switch): step}}),
        );
    }
}
