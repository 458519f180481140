//! Checks of their own kind: a reading that the meter spoils, bare posts; and whether what is predicted quickly for every hypothesis is what a meter shows of that fault.
#![allow(missing_docs, clippy::unwrap_used)]

mod common;
use circuit::{Instrument, Probe};
use common::{Exact, MODEL, state};
use diagnosis::next::candidates::{What, points};
use diagnosis::next::{self, Ask};
use diagnosis::trial::Bench;
use diagnosis::{Evidence, Finding, Posterior, Present, Priors, Strength};
use proptest::prelude::*;
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
    })
}

#[test]
fn a_reading_that_the_meter_itself_spoils_is_predicted_with_the_meter_and_not_proposed() {
    // Between the two halves of an open connector nothing holds the points but the meter.
    let apart = OperatingState { unplugged: ["C10".to_owned()].into(), ..state("on") };
    let across = probe(Instrument::Volts, "C10.2:front", "C10.2:rear");
    let expected = MODEL.expect(&apart, &across).unwrap();
    for id in ["wire:285:open", "wire:286:open", "wire:287:open"] {
        let h = MODEL.faults.iter().position(|f| f.id == id).unwrap();
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
    assert!(!all.contains(&buried.id), "{} is wrapped", buried.id);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20, ..ProptestConfig::default() })]

    #[test]
    fn what_is_predicted_for_a_fault_is_what_a_meter_shows_of_it(
        h in 0..MODEL.faults.len(),
        named in 0..MODEL.circuit.vehicle.states.len(),
        point in any::<prop::sample::Index>(),
    ) {
        let in_state = &MODEL.circuit.vehicle.states[named].state;
        let all = points(&MODEL);
        let p = probe(Instrument::Volts, &all[point.index(all.len())], "BAT.-");
        let fault = &MODEL.faults[h];
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
