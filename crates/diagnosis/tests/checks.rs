//! Checks of their own kind: a reading that the meter spoils, bare posts; and whether what is predicted quickly for every hypothesis is what a meter shows of that fault.
#![allow(missing_docs, clippy::unwrap_used)]

use crate::common::{Exact, MODEL, state};
use circuit::{Instrument, Probe};
use diagnosis::costs::Prices;
use diagnosis::next::candidates::{What, points};
use diagnosis::next::{self, Ask};
use diagnosis::trial::Bench;
use diagnosis::{Evidence, Finding, HypIx, Posterior, Present, Priors, Strength};
use proptest::prelude::*;
use std::sync::LazyLock;
use vehicle::OperatingState;

fn probe(instrument: Instrument, red: &str, black: &str) -> Probe {
    Probe { instrument, red: red.into(), black: black.into() }
}

fn nothing_of(part: &str, in_state: &str) -> Evidence {
    let finding = Finding::Effect { part: part.into(), strength: Strength::None };
    Evidence { present: Present::Yes, complaint: true, ..Evidence::new(state(in_state), finding) }
}

fn asked<T>(evidence: &[Evidence], of: impl Fn(&Ask<'_>) -> T) -> T {
    let posterior = Posterior::new(&MODEL, evidence).unwrap();
    of(&Ask {
        model: &MODEL,
        priors: &Priors::told(&MODEL, evidence),
        evidence,
        posterior: &posterior,
        present: Present::Yes,
        now: &evidence[0].state,
        refused: &[],
        prices: &Prices::default(),
    })
}

#[test]
fn a_reading_that_the_meter_itself_spoils_is_predicted_with_the_meter_and_not_proposed() {
    // Between the two halves of an open connector nothing holds the points but the meter.
    let apart = OperatingState { unplugged: ["C10".into()].into(), ..state("on") };
    let across = probe(Instrument::Volts, "C10.2:front", "C10.2:rear");
    let expected = MODEL.expect(&apart, &across).unwrap();
    for id in ["wire:285:open", "wire:286:open", "wire:287:open"] {
        let h = MODEL.faults.position(|f| f.id == id).unwrap();
        let mut bench = Exact::with(&[id]);
        bench.set(&apart);
        let shown = bench.read(&across).unwrap();
        let predicted = expected.faults[h].0;
        assert!((predicted - shown).abs() < 0.01, "{id}: {predicted} for {shown}");
    }
    let proposed = asked(&[nothing_of("M7", "rear_washer")], next::useful);
    assert!(!proposed.is_empty());
    assert!(proposed.iter().all(|r| r.candidate.what != What::Reading(across.clone())));
}

#[test]
fn posts_and_fuse_backs_are_points_and_buried_splices_are_none() {
    let all = points(&MODEL);
    for id in ["BAT.+:part", "BAT.-:part", "F3.1:part", "F3.2:part"] {
        assert!(all.iter().any(|p| p == id), "{id} is bare");
    }
    let buried = MODEL.circuit.vehicle.splices.iter().find(|s| !s.rail).unwrap();
    assert!(all.iter().all(|p| buried.id != *p), "{} is wrapped", buried.id);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 8, ..ProptestConfig::default() })]

    #[test]
    fn what_is_predicted_for_a_fault_is_what_a_meter_shows_of_it(
        fault in any::<prop::sample::Index>(),
        named in 0..MODEL.circuit.vehicle.states.len(),
        point in any::<prop::sample::Index>(),
    ) {
        let in_state = &MODEL.circuit.vehicle.states[named].state;
        let all = points(&MODEL);
        let p = probe(Instrument::Volts, &all[point.index(all.len())], "BAT.-");
        let fault = fault.get(&MODEL.faults.raw);
        let point = MODEL.circuit.solve(in_state, &fault.changes, None);
        // A circuit that chatters has no one value.
        prop_assume!(point.converged);
        let shown = MODEL.circuit.measure(in_state, &fault.changes, &p).unwrap().value();
        let predicted = MODEL.reads(in_state, &fault.changes, &p).unwrap();
        prop_assert!(
            (predicted - shown).abs() < 0.01 + 0.002 * shown.abs(),
            "{} at {}: {predicted} for {shown}", fault.id, p.red
        );
    }
}

/// Faults that open something, and pairs of points that a probe reaches.
static OPEN: LazyLock<Vec<HypIx>> = LazyLock::new(|| {
    MODEL.faults.keys().filter(|h| MODEL.faults[*h].id.mode.contains("open")).collect()
});
static POINTS: LazyLock<Vec<String>> = LazyLock::new(|| points(&MODEL));

#[test]
fn a_meter_across_an_open_contact_shows_when_what_hangs_behind_it_has_let_go() {
    // With the relay at rest its open contact stands between the battery and the pump, which holds it at
    // ground. With the pump cut off nothing holds it, and the meter itself pulls it up to the battery;
    // no voltage in the circuit moves by that.
    let on = state("on");
    let across = Probe::volts("K9.30", "K9.87");
    let expected = MODEL.expect(&on, &across).unwrap();
    assert!(expected.healthy > 12.0, "{}", expected.healthy);
    for id in ["terminal:C4.7:open", "part:M7:open", "terminal:M7.1:open"] {
        let h = MODEL.faults.position(|f| f.id == id).unwrap();
        assert!(expected.faults[h].0 < 1.0, "{id}: {}", expected.faults[h].0);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]
    #[test]
    fn what_is_expected_of_a_meter_is_what_it_shows_with_its_own_load(
        at in any::<proptest::sample::Index>(), faults in prop::collection::vec(any::<proptest::sample::Index>(), 12),
        red in any::<proptest::sample::Index>(), black in any::<proptest::sample::Index>(), to_minus in any::<bool>(),
    ) {
        let state = &at.get(&MODEL.circuit.vehicle.states).state;
        let red = red.get(&POINTS);
        let black = if to_minus { &MODEL.circuit.reference } else { black.get(&POINTS) };
        prop_assume!(red != black);
        let probe = Probe::volts(red, black);
        let expected = MODEL.expect(state, &probe).unwrap();
        for h in faults.iter().map(|x| *x.get(&OPEN)) {
            let fault = &MODEL.faults[h];
            // A circuit that chatters has no one value.
            if !MODEL.circuit.solve(state, &fault.changes, None).converged {
                continue;
            }
            let shown = MODEL.reads(state, &fault.changes, &probe).unwrap();
            let off = (expected.faults[h].0 - shown).abs();
            prop_assert!(off < 0.05, "{} at {red} to {black}: {} and {shown}", fault.id, expected.faults[h].0);
        }
    }
}

/// Each connector with the points of its part's side that ohms are measured between once it is pulled.
static PULLED: LazyLock<Vec<(vehicle::ConnectorId, Vec<String>)>> = LazyLock::new(|| {
    let sides = |id: &str| {
        let head = format!("{id}.");
        let all = MODEL.circuit.node_of.keys();
        let own = all.filter(|p| p.starts_with(&head) && p.ends_with(":part"));
        own.cloned().collect::<Vec<_>>()
    };
    let all = MODEL.circuit.vehicle.connectors.iter().map(|c| (c.id.clone(), sides(&c.id)));
    all.filter(|(_, points)| points.len() > 1).collect()
});

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn ohms_of_what_is_pulled_are_those_that_a_meter_shows_whatever_the_rest_of_the_vehicle_does(
        of in any::<proptest::sample::Index>(), faults in prop::collection::vec(any::<proptest::sample::Index>(), 24),
        red in any::<proptest::sample::Index>(), black in any::<proptest::sample::Index>(), battery_off in any::<bool>(),
    ) {
        let (connector, points) = of.get(&PULLED);
        let (red, black) = (red.get(points), black.get(points));
        prop_assume!(red != black);
        let pulled = OperatingState { battery_off, ..state("off").without(connector) };
        let probe = probe(Instrument::Ohms, red, black);
        let expected = MODEL.expect(&pulled, &probe).unwrap();
        let part = MODEL.circuit.vehicle.connectors.iter().find(|c| c.id == *connector);
        let own = part.and_then(|c| c.part.clone()).map(|p| vehicle::Item::part(&p));
        let own: Vec<HypIx> =
            MODEL.faults.keys().filter(|h| own.as_ref().is_none_or(|own| MODEL.faults[*h].id.of == *own)).collect();
        let any: Vec<HypIx> = MODEL.faults.keys().collect();
        let half = faults.len() / 2;
        let some = faults.iter().enumerate().map(|(k, x)| *x.get(if k < half { &own } else { &any }));
        for h in some {
            let fault = &MODEL.faults[h];
            let shown = MODEL.reads(&pulled, &fault.changes, &probe).unwrap();
            let here = expected.faults[h].0;
            prop_assert!(
                here == shown || (here - shown).abs() < 0.02 * shown.abs() + 0.05,
                "{} at {red} to {black}: {here} and {shown}", fault.id
            );
        }
    }
}
