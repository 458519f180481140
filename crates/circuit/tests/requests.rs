//! Requests that travel by message: what arrives hangs on the buses, and these on what is done.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use circuit::{Change, Circuit, Sweep, fault, hearing};
use std::collections::BTreeSet;
use std::sync::{Arc, LazyLock};
use vehicle::{OperatingState, OutputIx, Vehicle};

const FILE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");

fn wren(change: impl Fn(&mut serde_json::Value)) -> Arc<Circuit> {
    let text = std::fs::read_to_string(FILE).unwrap();
    let mut file: serde_json::Value = serde_json::from_str(&text).unwrap();
    change(&mut file);
    let vehicle = Vehicle::from_json(&file.to_string()).unwrap_or_else(|e| panic!("{e}"));
    Arc::new(Circuit::new(vehicle).unwrap())
}

static WREN: LazyLock<Arc<Circuit>> = LazyLock::new(|| wren(|_| ()));

fn state(c: &Circuit, id: &str) -> OperatingState {
    c.vehicle.states.iter().find(|s| s.id == id).unwrap().state.clone()
}

fn of(c: &Circuit, id: &str) -> Vec<Change> {
    fault::by_id(c, id).unwrap_or_else(|_| panic!("no fault {id}")).changes
}

/// Parts that outputs are switched on for.
fn asked(c: &Circuit, asked: &BTreeSet<OutputIx>) -> BTreeSet<String> {
    asked.iter().map(|o| c.vehicle.outputs[*o].load.to_string()).collect()
}

/// The conductor at a pin of a part.
fn wire_at(c: &Circuit, part: &str, pin: &str) -> String {
    let connector = c.vehicle.connectors.iter().find(|k| k.part.as_deref() == Some(part)).unwrap();
    let end = format!("{}.{pin}", connector.id);
    let wire = c.vehicle.wires.iter().find(|w| w.from == end || w.to == end);
    wire.unwrap_or_else(|| panic!("nothing at {end}")).id.to_string()
}

const REAR: [&str; 3] = ["E21", "E22", "E26"];

#[test]
fn a_request_does_not_arrive_over_a_cut_bus_and_the_rest_of_the_vehicle_goes_on() {
    let c = &*WREN;
    let low_beam = state(c, "low_beam");
    let sound = hearing::solve(c, &low_beam, &[]);
    let lamps = asked(c, &sound.asked);
    assert!(REAR.iter().all(|l| lamps.contains(*l)), "{lamps:?}");
    let pins = ["H", "L"].map(|p| wire_at(c, "A3", p));
    let mut cut = Vec::new();
    for wire in &pins {
        cut.extend(of(c, &format!("wire:{wire}:open")));
    }
    let mut sweep = Sweep::new(c, &low_beam, &[]);
    let quick = asked(c, sweep.solve(&cut).asked);
    let slow = asked(c, &hearing::solve(c, &low_beam, &cut).asked);
    assert_eq!(quick, slow);
    let off: BTreeSet<&str> = lamps.difference(&quick).map(String::as_str).collect();
    assert_eq!(off, BTreeSet::from(REAR));
    // The circuit alone lets every message through that is sent.
    assert_eq!(asked(c, &c.solve(&low_beam, &cut, None).asked), lamps);
}

#[test]
fn what_a_module_does_without_the_message_follows_from_the_file() {
    // Volts of a switch that stands on park lamps.
    let c = wren(|file| {
        let signals = file["signals"].as_array_mut().unwrap();
        let at = signals.iter_mut().find(|s| s["id"] == "a3_rx_light_switch").unwrap();
        at["from"]["received"]["substitute"] = 2.5.into();
    });
    let on = state(&c, "on");
    let mut sweep = Sweep::new(&c, &on, &[]);
    let sound = asked(&c, &sweep.healthy().asked);
    assert!(REAR.iter().all(|l| !sound.contains(*l)));
    let cut = of(&c, &format!("wire:{}:open", wire_at(&c, "A3", "H")));
    let lit = asked(&c, sweep.solve(&cut).asked);
    assert!(REAR.iter().all(|l| lit.contains(*l)), "{lit:?}");
    // And back: nothing of the one before stays.
    assert_eq!(asked(&c, sweep.solve(&[]).asked), sound);
    // The lamps draw their current.
    let amps = |changes: &[Change]| {
        let s = hearing::solve(&c, &on, changes);
        s.volts[c.supply.unwrap()]
    };
    assert!(amps(&[]) - amps(&cut) > 0.002);
}

#[test]
fn from_the_sound_vehicle_and_from_rest_the_same_is_asked_for() {
    let c = &*WREN;
    let faults = fault::all(c);
    let hearing = c.hearing().unwrap();
    for (id, position) in [("low_beam", "low"), ("running", "park")] {
        let mut state = state(c, id);
        state.switches.insert("S8".into(), position.into());
        let mut sweep = Sweep::new(c, &state, &[]);
        // Those on the lines, and some of all.
        let (on, off): (Vec<_>, Vec<_>) =
            faults.iter().partition(|f| hearing.touches(c, &f.changes));
        let sample = on.iter().step_by(on.len() / 60).chain(off.iter().step_by(off.len() / 30));
        let mut differ = 0;
        let sound = sweep.healthy().asked.clone();
        for f in sample {
            let quick = sweep.solve(&f.changes).asked.clone();
            let slow = hearing::solve(c, &state, &f.changes);
            differ += usize::from(quick != sound);
            if slow.converged {
                assert_eq!(asked(c, &quick), asked(c, &slow.asked), "{id}: {}", f.id);
            }
        }
        assert!(differ > 3, "{id}: {differ} ask for something else");
    }
}
