//! Who answers a tester over the buses as they are.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::hearing::{self, Hearing};
use circuit::{Change, Circuit, Sweep, fault, software};
use proptest::prelude::*;
use std::sync::{Arc, LazyLock};
use vehicle::{BusKind, OperatingState, PartId, PartIx, SignalSource, Vehicle};

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
    let quick = HEARING.unheard(&mut sweep, Some(&mut dominant), changes, Some(&sound));
    // Looking at every way finds the same.
    assert_eq!(HEARING.unheard(&mut sweep, None, changes, None), quick);
    quick.parts.into_iter().map(|p| WREN.vehicle.parts[p].id.as_str()).collect()
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

#[test]
fn a_pass_through_without_its_supply_cuts_off_what_lies_behind_it() {
    let supply = of(&format!("wire:{}:open", wire_to("A24", "30")));
    // The rear module, the sliding door and the trailer module hang behind the seat heating module,
    // whose own stub is whole; without supply it does not work itself.
    assert_eq!(deaf(&on(), &supply), ["A3", "A22", "A25"]);
    // Behind it they go on talking with each other, and the front with the front.
    let lost = hearing::unheard(&WREN, &on(), &supply).lost;
    let solution = WREN.solve(&on(), &supply, None);
    let arrives = |message: &str, at: &str| {
        let is = |s: &&vehicle::Signal| {
            s.module == at && matches!(&s.from, SignalSource::Arrives(m) if m == message)
        };
        let signal = WREN.vehicle.signals.iter().find(is);
        signal.map(|s| software::signal(&WREN, &solution, &lost, &s.id) > 0.5)
    };
    assert_eq!(arrives("rear", "A2"), Some(false));
    assert_eq!(arrives("trailer", "A3"), Some(true));
    assert_eq!(arrives("door_driver", "A2"), Some(true));
    // Unplugged it cuts them off as well; the camera's way through needs no supply, only its plug.
    let unplugged = |x: &str| OperatingState { unplugged: [x.into()].into(), ..on() };
    assert_eq!(deaf(&unplugged("X24"), &[]), ["A3", "A22", "A25"]);
    assert_eq!(deaf(&unplugged("X41"), &[]), ["A40"]);
    assert!(deaf(&on(), &of(&format!("wire:{}:open", wire_to("A41", "30")))).is_empty());
}

#[test]
fn moisture_on_one_leg_of_a_star_coupler_makes_that_leg_small() {
    // 70 ohms between the lines of the camera's leg. Others send over 22 ohms a line into 60 ohms in
    // the coupler, and beside it into 44 + 70: 39.3 ohms. (4.3 - 0.7) V / (46 + 44 + 39.3) ohm *
    // 39.3 ohm = 1.09 V there, heard by all; at the camera 70/114 of it = 0.67 V, which nobody hears.
    let camera = WREN.part("A41").unwrap();
    let ear =
        WREN.ear(WREN.transceivers("assist").find(|d| WREN.devices[*d].part == camera).unwrap());
    let [high, low, _] = ear.unwrap().nodes;
    let wet = vec![Change::Bridge(high, low, 70.0)];
    assert_eq!(deaf(&on(), &wet), ["A41", "A40"]);
    let sends = WREN.dominant("assist", WREN.part("A42").unwrap()).unwrap();
    let held: Vec<Change> = wet.iter().copied().chain(sends).collect();
    let s = WREN.solve(&on(), &held, None);
    let across = |part: &str| {
        let part = WREN.part(part).unwrap();
        let d = WREN.transceivers("assist").find(|d| WREN.devices[*d].part == part).unwrap();
        WREN.ear(d).unwrap().across(&s.volts)
    };
    assert!((across("A43") - 1.09).abs() < 0.02, "{}", across("A43"));
    assert!((across("A41") - 0.67).abs() < 0.02, "{}", across("A41"));
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
        let lost = HEARING.unheard(&mut Sweep::new(&WREN, &state, &[]), None, &f.changes, None).lost;
        for s in &WREN.vehicle.signals {
            let SignalSource::Arrives(message) = &s.from else { continue };
            let message = WREN.vehicle.messages.iter().find(|m| m.id == *message).unwrap();
            let part = |id: &PartId| WREN.part(id).unwrap();
            let (from, at) = (part(&message.sender), part(&s.module));
            let on = |p: PartIx| WREN.dominant(&message.bus, p).is_some();
            let is_lin = WREN.vehicle.buses.iter().any(|b| b.id == message.bus && b.kind == BusKind::Lin);
            if is_lin || !on(at) || !rest.alive(&WREN, HEARING.gateway) {
                continue;
            }
            let way = |from: PartIx, to: PartIx| {
                from == to || WREN.heard(&state, &f.changes, &message.bus, from).contains(&(to, true))
            };
            let both = |a: PartIx, b: PartIx| way(a, b) && way(b, a);
            let middle = HEARING.gateway;
            // Over the middle or to each other: both are on the same bus.
            let arrives = (both(from, middle) && both(middle, at)) || both(from, at);
            let said = software::signal(&WREN, &rest, &lost, &s.id) > 0.5;
            prop_assert_eq!(said, arrives && rest.alive(&WREN, from) && rest.alive(&WREN, at),
                "{} at {} of {}", message.id, s.module, f.id);
        }
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

#[test]
fn what_is_wrong_in_an_exchanged_slave_goes_with_it_and_what_is_wrong_in_the_harness_stays() {
    let c = &*WREN;
    let id = "exchange:A50+A51";
    let r = c.reroute(id).unwrap();
    // Three pins of each.
    assert_eq!((r.leads.len(), r.opens.len()), (6, 6));
    // The blower regulator is another kind of part; it is exchanged with nobody.
    assert!(c.reroutes.iter().all(|r| !r.id.starts_with("exchange:") || !r.id.contains("A53")));
    let plain = on();
    let exchanged = OperatingState { rerouted: [id.to_owned()].into(), ..plain.clone() };
    let (master, one, other) =
        (c.part("A23").unwrap(), c.part("A50").unwrap(), c.part("A51").unwrap());
    let heard = |state: &OperatingState, fault: &str| {
        let changes = fault::by_id(c, fault).unwrap().changes;
        [one, other].map(|sender| {
            let all = c.heard(state, &changes, "lin_climate", sender);
            all.iter().any(|(part, hears)| *part == master && *hears)
        })
    };
    assert_eq!(heard(&plain, "part:A50:silent"), [false, true]);
    assert_eq!(heard(&exchanged, "part:A50:silent"), [false, true]);
    for harness in ["terminal:X50.LIN:open", "terminal:X50.30:open"] {
        assert_eq!(heard(&plain, harness), [false, true], "{harness}");
        assert_eq!(heard(&exchanged, harness), [true, false], "{harness}");
    }
    // Sound, an exchange changes nothing but a contact's worth.
    let (a, b) = (c.solve(&plain, &[], None), c.solve(&exchanged, &[], None));
    for part in [one, other] {
        assert!(a.alive(c, part) && b.alive(c, part));
    }
    let far = a.volts.iter().zip(&b.volts).map(|(x, y)| (x - y).abs()).fold(0.0, f64::max);
    assert!(far < 0.02, "{far}");
}

#[test]
fn a_vehicle_drawn_within_tolerance_has_the_same_places_as_the_one_in_the_file() {
    let mut drawn = WREN.vehicle.clone();
    let mut turn = 0.0;
    circuit::tolerance::draw(&mut drawn, &mut || {
        turn += 1.3;
        f64::sin(turn)
    });
    let copy = Circuit::new(drawn).unwrap();
    assert_eq!((copy.nodes, copy.branches.len()), (WREN.nodes, WREN.branches.len()));
    let ways = |c: &Circuit| c.reroutes.iter().map(|r| r.id.clone()).collect::<Vec<_>>();
    assert_eq!(ways(&copy), ways(&WREN));
    let [one, other] = ["A50", "A51"].map(|id| WREN.part(id).unwrap());
    assert!(WREN.are_identical(one, other) && !copy.are_identical(one, other));
}
