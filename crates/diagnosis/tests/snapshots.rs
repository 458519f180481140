//! What is kept of a hypothesis says the same as solving it alone; evidence in any order says the
//! same of the suspects.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, state};
use circuit::{Instrument, Probe, software};
use diagnosis::{Evidence, Finding, Posterior, Strength};
use proptest::prelude::*;

#[test]
fn a_snapshot_says_what_the_hypothesis_alone_says() {
    let c = &MODEL.circuit;
    let (mut compared, mut others) = (0, Vec::new());
    for name in ["on", "low_beam"] {
        let state = state(name);
        let some: Vec<_> = MODEL.faults.keys().skip(7).step_by(523).collect();
        let p = MODEL.predict_heard_some(&state, &some);
        for h in some {
            let f = &MODEL.faults[h];
            let alone = circuit::hearing::solve(c, &state, &f.changes);
            if !alone.converged {
                continue;
            }
            let kept = p.heard(h).unwrap();
            compared += 1;
            let volts = alone.volts.keys().all(|n| (kept.volts(n) - alone.volts[n]).abs() < 0.006);
            let amps = c.wire_branch.iter_enumerated().all(|(w, k)| {
                let amps = alone.amps(c, *k);
                (kept.amps(w) - amps).abs() < 0.01 + 0.01 * amps.abs()
            });
            let lives = alone.alive_parts(c).iter_enumerated().all(|(q, a)| kept.alive(q) == *a);
            let monitors = software::monitors(
                c,
                &alone,
                &circuit::hearing::unheard(c, &state, &f.changes).lost,
            )
            .iter_enumerated()
            .all(|(m, v)| kept.monitor(m) == *v);
            if !(volts && amps && lives && monitors) {
                others.push(format!("{name} {}: {volts} {amps} {lives} {monitors}", f.id));
            }
        }
    }
    assert!(compared > 100, "{compared}");
    // A circuit with a memory of its own may rest in more than one way.
    assert!(others.len() * 50 < compared, "{others:?}");
}

#[test]
fn every_instrument_is_evidence() {
    // An open conductor to the pump: the lamp stays dark, the jumper draws current, and each of
    // them makes the conductor likelier than it was.
    let washer = state("rear_washer");
    let c = &MODEL.circuit;
    let item = MODEL.items.position(|i| i == "wire:62").unwrap();
    let changes = circuit::fault::by_id(c, "wire:62:open").unwrap().changes;
    let prior = Posterior::new(&MODEL, &[]).unwrap();
    let before = prior.items[item];
    for (instrument, red, black) in [
        (Instrument::Volts, "M7.1", "BAT.-"),
        (Instrument::LowVolts, "M7.1", "BAT.-"),
        (Instrument::Lamp5, "M7.1", "BAT.-"),
        (Instrument::Led, "M7.1", "BAT.-"),
        (Instrument::Jumper, "C4.7:engine", "M7.1"),
    ] {
        let probe = Probe { instrument, red: red.into(), black: black.into() };
        let shown = c.measure(&washer, &changes, &probe).unwrap().value();
        let finding = Finding::Reading {
            instrument,
            red: red.into(),
            black: black.into(),
            value: shown.is_finite().then_some(shown),
        };
        let after = Posterior::new(&MODEL, &[Evidence::new(washer.clone(), finding)]).unwrap();
        assert!(after.items[item] > 5.0 * before, "{instrument:?} {shown}: {}", after.items[item]);
    }
}

fn evidence() -> Vec<Evidence> {
    let washer = state("rear_washer");
    let volts = |red: &str, value: f64| {
        Evidence::new(
            washer.clone(),
            Finding::Reading {
                instrument: Instrument::Volts,
                red: red.into(),
                black: "BAT.-".into(),
                value: Some(value),
            },
        )
    };
    vec![
        Evidence::new(
            washer.clone(),
            Finding::Effect { part: "M7".into(), strength: Strength::Weak },
        ),
        volts("K9.87", 12.2),
        volts("M7.1", 7.2),
        volts("M7.2", 0.05),
        // One that fits nothing.
        volts("F23.2", 3.0),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn the_order_of_evidence_does_not_matter(order in Just((0..5usize).collect::<Vec<_>>()).prop_shuffle()) {
        let all = evidence();
        let straight = Posterior::new(&MODEL, &all).unwrap();
        let shuffled: Vec<Evidence> = order.iter().map(|k| all[*k].clone()).collect();
        let other = Posterior::new(&MODEL, &shuffled).unwrap();
        prop_assert_eq!(&straight.items, &other.items);
        // With pairs among them, an item's probability is that of being one of the two as well.
        let pairs: f64 = straight.pairs.iter().map(|p| p.p).sum();
        let sum = straight.hypotheses.iter().sum::<f64>() + pairs;
        prop_assert!((sum - 1.0).abs() < 1e-9);
        prop_assert!((straight.items.iter().sum::<f64>() - 1.0 - pairs).abs() < 1e-9);
    }
}

#[test]
fn a_motor_that_turns_without_effect_is_predicted_although_no_voltage_moves() {
    let on = state("rear_washer");
    let p = MODEL.predict_all(&on);
    let h = MODEL.faults.position(|f| f.id == "part:M7:no_effect").unwrap();
    let m7 = MODEL.circuit.part("M7").unwrap();
    assert_eq!(p.fault(h).unwrap().effect(m7), Some(0.0));
    assert!(p.healthy.effect(m7).unwrap() > 0.9);
    // Driven and nothing to see although the current is as it should be: the pump itself.
    let none = Finding::Effect { part: "M7".into(), strength: Strength::None };
    let w = MODEL.circuit.wire("62").unwrap();
    let current = Finding::Reading {
        instrument: Instrument::Amps,
        red: "62".into(),
        black: String::new(),
        value: Some(p.healthy.amps(w)),
    };
    let found = [none, current];
    let evidence: Vec<Evidence> = found.map(|f| Evidence::new(on.clone(), f)).to_vec();
    let posterior = Posterior::new(&MODEL, &evidence).unwrap();
    let item = MODEL.item(&vehicle::Item::part("M7")).unwrap();
    let elsewhere = MODEL.elsewhere();
    let first = posterior.ranking().into_iter().find(|(i, _)| *i != elsewhere).unwrap();
    assert_eq!(first.0, item, "{:?}", &posterior.ranking()[..4]);
}

#[test]
fn a_state_that_was_saved_says_the_same_and_damaged_bytes_are_refused() {
    let fresh = |kept: Vec<u8>| {
        let vehicle = MODEL.circuit.vehicle.clone();
        diagnosis::Model::new(vehicle).unwrap().with_attic(move |_, read| read(&kept))
    };
    let state = state("off");
    let first = fresh(Vec::new());
    assert!(first.saved(&state).is_none(), "nothing is solved yet");
    first.predict_heard(&state);
    let bytes = first.saved(&state).unwrap();
    // Without any time nothing is solved: what is there then was taken over.
    let taken = |model: &diagnosis::Model| {
        model.solve_while(&state, true, || false);
        model.is_prepared(&state, true)
    };
    let takes = |bytes: &[u8]| taken(&fresh(bytes.to_vec()));
    for cut in [0, 7, 100, bytes.len() - 1] {
        assert!(!takes(&bytes[..cut]));
    }
    let mut other = bytes.clone();
    other[bytes.len() / 2] ^= 0x10;
    assert!(!takes(&other));
    assert!(takes(&bytes));
    let second = fresh(bytes);
    assert!(taken(&second));
    let (a, b) = (first.predict(&state), second.predict(&state));
    assert!(first.faults.keys().all(|h| b.is_solved(h)));
    let nodes = (0..first.circuit.nodes).map(circuit::NodeId::from);
    for (x, y) in a.all_heard().zip(b.all_heard()) {
        assert!(nodes.clone().all(|n| x.volts(n) == y.volts(n)) && x.software() == y.software());
    }
}
