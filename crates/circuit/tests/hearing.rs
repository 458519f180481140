//! Who answers a tester over the buses as they are.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::hearing::Hearing;
use circuit::{Change, Circuit, Sweep, fault};
use proptest::prelude::*;
use std::sync::{Arc, LazyLock};
use vehicle::{OperatingState, PartIx, Vehicle};

static WREN: LazyLock<Arc<Circuit>> = LazyLock::new(|| {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    let vehicle = Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap();
    Arc::new(Circuit::new(vehicle).unwrap())
});
static HEARING: LazyLock<Hearing> = LazyLock::new(|| Hearing::of(&WREN).unwrap());

fn on() -> OperatingState {
    WREN.vehicle.states.iter().find(|s| s.id == "on").unwrap().state.clone()
}

/// Names of the modules that work and do not answer.
fn deaf(state: &OperatingState, changes: &[Change]) -> Vec<&'static str> {
    let mut sweep = Sweep::new(&WREN, state, &[]);
    let sound = HEARING.sound(&mut sweep);
    let mut dominant = HEARING.dominant(&WREN, state);
    let quick = HEARING.deaf(&mut sweep, Some(&mut dominant), changes, Some(&sound));
    // Looking at every way finds the same.
    assert_eq!(HEARING.deaf(&mut sweep, None, changes, None), quick);
    quick.into_iter().map(|p| WREN.vehicle.parts[p].id.as_str()).collect()
}

fn of(id: &str) -> Vec<Change> {
    fault::by_id(&WREN, id).unwrap().changes
}

/// Conductors that end at a pin of a part.
fn wire_to(part: &str, pin: &str) -> vehicle::WireId {
    let connector = WREN.vehicle.connectors.iter().find(|c| c.part.as_deref() == Some(part));
    let end = format!("{}.{pin}", connector.unwrap().id);
    WREN.vehicle.wires.iter().find(|w| w.from == end || w.to == end).unwrap().id.clone()
}

#[test]
fn everyone_answers_on_a_sound_vehicle() {
    assert_eq!(WREN.vehicle.parts[HEARING.gateway].id, "A1");
    assert!(deaf(&on(), &[]).is_empty());
}

#[test]
fn a_module_whose_stub_is_open_is_alone_in_its_silence() {
    let stub = wire_to("A25", "H");
    assert_eq!(deaf(&on(), &of(&format!("wire:{stub}:open"))), ["A25"]);
    // Its answer is what suffers first. In one line of a stub R stands before a driver that must
    // make 0.9 V at the gateway on 60 ohm. (4.3 - 0.7) V / (23 + 60 + 23 + R) * 60 ohm is 2.04 V
    // without, 1.05 V with 100 and 0.20 V with 1 kilohm.
    assert!(deaf(&on(), &of(&format!("wire:{stub}:series:30"))).is_empty());
    assert_eq!(deaf(&on(), &of(&format!("wire:{stub}:series:1000"))), ["A25"]);
}

#[test]
fn a_line_to_ground_silences_its_bus_and_no_other() {
    let stub = wire_to("A25", "H");
    let silent = deaf(&on(), &of(&format!("wire:{stub}:ground:0.1")));
    let body = ["A2", "A3", "A20", "A21", "A22", "A23", "A24", "A25", "A27", "A28", "A30"];
    for module in body {
        assert!(silent.contains(&module), "{module} is on the body bus: {silent:?}");
    }
    // The instrument panel is on the drive bus too, and answers there.
    assert!(!silent.contains(&"A26") && !silent.contains(&"A10"), "{silent:?}");
}

#[test]
fn a_stuck_transceiver_silences_its_bus_and_a_silent_one_only_its_module() {
    let of_a25 = |mode: u8| {
        let part = WREN.part("A25").unwrap();
        let d = WREN.transceivers("body").find(|d| WREN.devices[*d].part == part).unwrap();
        vec![Change::Hold(d, mode)]
    };
    assert_eq!(deaf(&on(), &of_a25(0)), ["A25"]);
    assert!(deaf(&on(), &of_a25(2)).len() > 8);
}

#[test]
fn behind_a_dead_gateway_nobody_answers() {
    let a1 = WREN.part("A1").unwrap();
    let supply = wire_to("A1", "31");
    let changes = of(&format!("wire:{supply}:open"));
    let solution = WREN.solve(&on(), &changes, None);
    assert!(!solution.alive(&WREN, a1));
    let working = WREN
        .vehicle
        .parts
        .keys()
        .filter(|p| WREN.vehicle.parts[*p].module.is_some() && solution.alive(&WREN, *p));
    assert_eq!(deaf(&on(), &changes).len(), working.count());
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6, ..ProptestConfig::default() })]

    /// Against full solves of every way there and back.
    #[test]
    fn it_is_what_each_phase_solved_alone_shows(pick in any::<prop::sample::Index>()) {
        let all: Vec<_> = fault::all(&WREN)
            .into_iter()
            .filter(|f| HEARING.touches(&WREN, &f.changes))
            .collect();
        let f = &all[pick.index(all.len())];
        let state = on();
        let quick = deaf(&state, &f.changes);
        let rest = WREN.solve(&state, &f.changes, None);
        prop_assume!(rest.converged);
        for (p, part) in WREN.vehicle.parts.iter_enumerated() {
            if part.module.is_none() || !rest.alive(&WREN, p) || p == HEARING.gateway {
                continue;
            }
            let way = |bus: &str, from: PartIx, to: PartIx| {
                WREN.heard(&state, &f.changes, bus, from).contains(&(to, true))
            };
            let buses = WREN.vehicle.buses.iter().map(|b| b.id.as_str());
            let answers = buses
                .filter(|b| WREN.dominant(b, p).is_some())
                .any(|b| way(b, HEARING.gateway, p) && way(b, p, HEARING.gateway));
            prop_assert_eq!(answers, !quick.contains(&part.id.as_str()), "{} of {}", part.id, f.id);
        }
    }
}
