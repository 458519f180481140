//! Made-up vehicles of different shape and size, each from its seed.
//!
//! No two are laid out alike: how many grounds, in-line pairs, fuse boxes and modules there are, what is
//! switched by hand, by relay or by a module, and what shares a splice or a ground with what, is drawn.

mod hand_switched;
mod loom;
mod modules;

use loom::Loom;
use rand::Rng;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use vehicle::Vehicle;

/// Systems of a vehicle of each size.
const SYSTEMS: [std::ops::Range<usize>; 3] = [4..8, 8..14, 14..24];

/// What a vehicle is made up of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sort {
    /// Switches, relays and loads only: everything about it can be solved by another solver.
    Plain,
    /// Modules as well, with sensors, drivers and, where there are several, a bus.
    WithModules,
}

/// The made-up vehicle of a seed.
pub fn vehicle(sort: Sort, seed: u64) -> Vehicle {
    let mut loom = Loom::new(ChaCha8Rng::seed_from_u64(seed ^ 0x05EE_DCA7));
    let size = loom.rng.random_range(0..SYSTEMS.len());
    let systems = loom.rng.random_range(SYSTEMS[size].clone());
    loom.lay_out(size);
    feed(&mut loom);
    let modules = match sort {
        Sort::Plain => 0,
        Sort::WithModules => loom.rng.random_range(1..=2 + 2 * size),
    };
    for _ in 0..systems {
        let what = loom.rng.random_range(0..4);
        match what {
            0 => hand_switched::lamps(&mut loom),
            1 => hand_switched::relay(&mut loom),
            2 => hand_switched::speeds(&mut loom),
            _ => hand_switched::plain_load(&mut loom),
        }
    }
    modules::all(&mut loom, modules);
    let mut file = loom.file(seed);
    if let Some(list) = file["states"].as_array_mut() {
        list.insert(
            0,
            json!({"id": "off", "name": "Key 0", "minutes": 0.1, "state": {"key": "0"}}),
        );
    }
    match Vehicle::from_json(&file.to_string()) {
        Ok(vehicle) => vehicle,
        Err(e) => unreachable!("the vehicle of seed {seed}: {e}"),
    }
}

/// Battery, its cables, the permanent rail, and the key switch with what it feeds.
fn feed(loom: &mut Loom) {
    let engine = loom.zone();
    let dash = loom.middle();
    let battery = json!({"type": "battery", "plus": "+", "minus": "-"});
    let battery = loom.part("battery", "Battery", &engine, vec![battery]);
    let rail = loom.rail("permanent supply");
    let ground = loom.new_ground(&engine);
    loom.cable(&format!("{battery}.+"), &rail, 25.0);
    loom.cable(&format!("{battery}.-"), &ground, 25.0);
    loom.permanent = rail;
    let contact = json!({"type": "contact", "a": "30", "b": "15", "closed_in": ["15", "50"]});
    let key = loom.switch("Key switch", &dash, &["0", "15", "50"], vec![contact]);
    let fused = loom.fuse(60.0);
    loom.run(&fused, &dash, &format!("{key}.30"), &dash, 6.0);
    let switched = loom.splice("switched supply", &dash);
    loom.run(&format!("{key}.15"), &dash, &switched, &dash, 6.0);
    loom.switched = switched;
    loom.state("on", json!({"key": "15"}));
    if loom.chance(0.6) {
        let machine = json!({"type": "generator", "plus": "B+", "minus": "D-", "limit_amps": 120});
        let generator = loom.part("generator", "Generator", &engine, vec![machine]);
        loom.cable(&format!("{generator}.B+"), &loom.permanent.clone(), 16.0);
        loom.cable(&format!("{generator}.D-"), &ground, 16.0);
        loom.state("running", json!({"key": "15", "engine": "running"}));
    }
}

/// A load with its effect; what it draws at its rating, amperes.
fn load(loom: &mut Loom) -> (&'static str, &'static str, Value, f64) {
    let effect = "it works";
    match loom.rng.random_range(0..6) {
        0 => {
            let watts = loom.one_of(&[5.0, 10.0, 21.0, 55.0]);
            let lamp = json!({"type": "lamp", "plus": "1", "minus": "2", "rated_watts": watts, "effect": effect});
            ("lamp", "Lamp", lamp, watts / 12.0)
        }
        1 => {
            let amps = loom.one_of(&[0.1, 0.25, 0.4]);
            let (volts, ohms) = (6.0, 5.0 / amps);
            let led = json!({"type": "led_lamp", "plus": "1", "minus": "2", "forward_volts": volts, "ohms": ohms, "rated_amps": amps, "effect": effect});
            ("lamp", "LED lamp", led, amps)
        }
        2 => {
            let ohms = loom.one_of(&[1.2, 2.4, 6.0]);
            let heater = json!({"type": "heater", "plus": "1", "minus": "2", "ohms": ohms, "knee_amps": 12.0 / ohms, "effect": effect});
            ("heater", "Heater", heater, 8.0 / ohms)
        }
        3 => {
            let ohms = loom.one_of(&[4.0, 9.0, 20.0]);
            let valve = json!({"type": "solenoid", "plus": "1", "minus": "2", "ohms": ohms, "effect": effect});
            ("solenoid", "Valve", valve, 12.0 / ohms)
        }
        _ => {
            let amps = loom.one_of(&[1.0, 3.0, 6.0, 12.0]);
            let motor = json!({"type": "motor", "plus": "1", "minus": "2", "rated_amps": amps, "effect": effect});
            ("motor", "Motor", motor, amps)
        }
    }
}

/// The next fuse that carries a current with a margin, amperes.
fn rating(amps: f64) -> f64 {
    const RATINGS: [f64; 9] = [3.0, 5.0, 7.5, 10.0, 15.0, 20.0, 30.0, 40.0, 60.0];
    RATINGS.into_iter().find(|r| *r >= 1.5 * amps).unwrap_or(80.0)
}

/// A usual cross-section for a current, square millimetres.
fn area(amps: f64) -> f64 {
    const AREAS: [(f64, f64); 6] =
        [(2.0, 0.5), (4.0, 0.75), (7.0, 1.0), (10.0, 1.5), (18.0, 2.5), (30.0, 4.0)];
    AREAS.into_iter().find(|(up_to, _)| amps <= *up_to).map_or(6.0, |(_, area)| area)
}
