//! Faults are generated from the vehicle file, and their ids say all of them.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{state, wren};
use circuit::{Change, Circuit, NodeId, Sweep, fault};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, LazyLock};
use vehicle::{Item, TiVec};

static WREN: LazyLock<Arc<Circuit>> = LazyLock::new(wren);

#[test]
fn an_id_makes_the_same_fault_again() {
    let c = &WREN;
    let all = fault::all(c);
    let ids: BTreeSet<String> = all.iter().map(|f| f.id.to_string()).collect();
    assert_eq!(ids.len(), all.len(), "ids are unique");
    for f in &all {
        let again = fault::by_id(c, &f.id.to_string()).unwrap();
        assert_eq!(&again, f);
        assert!(f.prior.is_finite() && f.prior > 0.0, "{} {}", f.id, f.prior);
        // Of two conductors of which one is ground, the other one is repaired.
        let of_pair = |a: &str, b: &str| [a, b].map(Item::wire).contains(&f.repair_item);
        let own = f.id.of == f.repair_item || matches!(&f.id.of, Item::Pair(a, b) if of_pair(a, b));
        assert!(own, "{} {}", f.id, f.repair_item);
        assert!(f.text.contains(": "), "{}", f.text);
        for change in &f.changes {
            match change {
                Change::Branch(k, _) | Change::Series(k, _) | Change::Times(k, _) => {
                    assert!(*k < c.branches.next_key());
                }
                Change::Bridge(a, b, r) => {
                    assert!(a.at() < c.nodes && b.at() < c.nodes && a != b && *r > 0.0, "{}", f.id);
                }
                Change::Hold(d, _) => assert!(*d < c.devices.next_key()),
                Change::NoEffect(p) => assert!(*p < c.vehicle.parts.next_key()),
                Change::Meter(_) => panic!("{}: a meter is no fault", f.id),
            }
        }
    }
}

#[test]
fn everything_that_can_break_does() {
    let c = &WREN;
    let v = &c.vehicle;
    let mut modes: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for f in fault::all(c) {
        let mode = f.id.mode.split(['-', '@']).next().unwrap().to_owned();
        modes.entry(f.id.of.to_string()).or_default().insert(mode);
    }
    let has = |what: &str, mode: &str| modes.get(what).is_some_and(|m| m.contains(mode));
    for w in &v.wires {
        for mode in ["open", "series", "ground", "supply"] {
            assert!(has(&format!("wire:{}", w.id), mode), "{} {mode}", w.id);
        }
    }
    for (connector, cavity) in c.terminal_branch.keys() {
        for mode in ["open", "series", "constriction"] {
            assert!(has(&format!("terminal:{connector}.{cavity}"), mode), "{connector} {mode}");
        }
    }
    for g in &v.grounds {
        assert!(has(&format!("ground:{}", g.id), "open"), "{}", g.id);
        assert!(has(&format!("ground:{}", g.id), "series"), "{}", g.id);
    }
    for k in &v.connectors {
        assert!(has(&format!("connector:{}", k.id), "unseated"), "{}", k.id);
    }
    for p in &v.parts {
        use vehicle::PartKind as Kind;
        let mode = match p.kind {
            Kind::Fuse | Kind::Lamp | Kind::Motor | Kind::Heater | Kind::Solenoid => "open",
            Kind::Relay => "contact_open",
            Kind::Battery => "weak",
            _ => continue,
        };
        assert!(has(&format!("part:{}", p.id), mode), "{} {mode}", p.id);
    }
}

#[test]
fn harsh_places_weigh_more() {
    let c = &WREN;
    let v = &c.vehicle;
    // Of two terminals of unsealed in-line connectors the wet one fails more often.
    let weight = |wet: bool| {
        let k = v.connectors.iter().find(|k| {
            let place = v.places.iter().find(|p| p.id == k.place).unwrap();
            !k.sealed && k.sides.is_some() && place.wet == wet && (wet || !place.exposed)
        });
        let k = k.unwrap();
        fault::by_id(c, &format!("terminal:{}.{}:open", k.id, k.cavities[0].no)).unwrap().prior
    };
    assert!(weight(true) > 1.5 * weight(false));
}

#[test]
fn a_number_need_not_lie_on_the_grid_but_must_be_one() {
    let c = &WREN;
    let f = fault::by_id(c, "wire:62:series:3.3").unwrap();
    let Change::Branch(k, circuit::Law::Ohms(r)) = f.changes[0] else { panic!("{f:?}") };
    let circuit::Law::Ohms(sound) = c.branches[k].law else { panic!("a wire") };
    assert!((r - sound - 3.3).abs() < 1e-12);
    for id in [
        "",
        ":",
        "wire",
        "wire:62",
        "wire:62:series",
        "wire:62:series:",
        "wire:62:series:x",
        "wire:62:series:-1",
        "wire:62:series:0",
        "wire:62:series:inf",
        "wire:62:series:NaN",
        "wire:62:series:1:2",
        "wire:nobody:open",
        "wire:62:melted",
        "terminal:C4:open",
        "terminal:C4.999:open",
        "ground:G99:open",
        "splice:R30:open",
        "splice:R30:open-nobody",
        "pair:1:bridge:1",
        "pair:1+:bridge:1",
        "part:M7:nothing",
        "engine:1:open",
    ] {
        assert!(fault::by_id(c, id).is_err(), "{id}");
    }
}

#[test]
fn currents_add_up_at_every_node_under_every_kind_of_fault() {
    let c = &WREN;
    let all = fault::all(c);
    let (mut points, mut worst) = (0, 0.0f64);
    for name in ["off", "on", "rear_washer", "cranking", "low_beam"] {
        let mut sweep = Sweep::new(c, &state(c, name), &[]);
        for f in all.iter().step_by(431) {
            // A bridge carries its current past the branches.
            if f.changes.iter().any(|x| matches!(x, Change::Bridge(..))) {
                continue;
            }
            let p = sweep.solve(&f.changes);
            if !p.settled {
                continue;
            }
            let mut sum: TiVec<NodeId, f64> = vec![0.0; c.nodes].into();
            let mut size: TiVec<NodeId, f64> = vec![1e-9; c.nodes].into();
            for (k, b) in c.branches.iter_enumerated() {
                let amps = p.laws[k].amps(p.volts[b.from] - p.volts[b.to]);
                sum[b.from] -= amps;
                sum[b.to] += amps;
                size[b.from] += amps.abs();
                size[b.to] += amps.abs();
            }
            points += 1;
            for n in p.volts.keys().skip(1) {
                // Every node leaks a nanosiemens. A node that did not move by 0.1 mV is left as it
                // was, and over a milliohm that is 0.1 A.
                let left = (sum[n] - 1e-9 * p.volts[n]).abs();
                let stiff: f64 = c
                    .branches
                    .iter_enumerated()
                    .filter(|(_, b)| b.from == n || b.to == n)
                    .map(|(k, _)| p.laws[k].norton(0.0).0.abs())
                    .sum();
                let allowed = 2.0 * circuit::linear::STILL_VOLTS * stiff + 1e-4 * size[n] + 1e-6;
                worst = worst.max(left / allowed);
                assert!(left < allowed, "{name} {} node {n}: {left} of {}", f.id, size[n]);
            }
        }
    }
    println!("{points} points, worst {worst:.3} of what is allowed");
    assert!(points > 200, "{points}");
}

proptest! {
    #[test]
    fn no_id_is_a_panic(id in "[a-z]{1,9}:[A-Z0-9.+]{0,6}:[a-z_@-]{0,12}(:[0-9.e+-]{0,6})?") {
        let _ = fault::by_id(&WREN, &id);
    }
}

/// Failures a year of a thousand, by what one would repair.
fn rates() -> BTreeMap<String, f64> {
    let mut of_item: BTreeMap<String, f64> = BTreeMap::new();
    for f in fault::all(&WREN) {
        *of_item.entry(f.repair_item.to_string()).or_default() += f.prior;
    }
    of_item
}

#[test]
fn a_thing_with_many_ways_to_fail_is_hardly_likelier_for_it() {
    let rates = rates();
    let v = &WREN.vehicle;
    let legs = |id: &str| v.wires.iter().filter(|w| w.from == id || w.to == id).count() as f64;
    // Of crimps in one place, eight legs count as the root of eight against the root of two.
    for a in v.splices.iter().filter(|s| !s.rail) {
        for b in v.splices.iter().filter(|s| !s.rail && s.place == a.place) {
            let of = |id: &str| rates[&format!("splice:{id}")];
            let expected = (legs(&a.id) / legs(&b.id)).sqrt();
            let ratio = of(&a.id) / of(&b.id);
            assert!((ratio / expected - 1.0).abs() < 1e-9, "{} {}: {ratio}", a.id, b.id);
        }
    }
    // A module has dozens of drivers and inputs, and fails as one thing.
    let modules = v.parts.iter().filter(|p| p.kind == vehicle::PartKind::Module);
    for module in modules {
        let rate = rates[&format!("part:{}", module.id)];
        assert!(rate < 5.0, "{}: {rate}", module.id);
    }
}

#[test]
fn what_wears_fails_more_often_than_what_does_not() {
    let rates = rates();
    // Orders of magnitude, as any workshop's books show them.
    for (often, seldom) in [
        ("part:BAT", "part:A2"),
        ("part:E11", "part:F9"),
        ("part:E11", "terminal:E11.1"),
        ("part:B20", "wire:278"),
        ("part:M7", "part:K9"),
        ("part:K9", "terminal:K9.87"),
        ("ground:G6", "splice:J23"),
    ] {
        assert!(rates[often] > 3.0 * rates[seldom], "{often} {seldom}");
    }
}
