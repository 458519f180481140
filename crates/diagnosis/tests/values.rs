//! Live values as a check: proposed where they tell most, worth what they tell, and not twice.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{Exact, MODEL, asked, ranked, state};
use diagnosis::next::candidates::What;
use diagnosis::next::{self, CannotDo, Check, Ranked};
use diagnosis::trial;
use diagnosis::{Evidence, Finding, Posterior, Strength};
use std::collections::BTreeSet;
use vehicle::{SignalId, Transfer};

/// The outside temperature sensor's conductor, open: the windscreen heater is not permitted.
const HIDDEN: &str = "wire:520:open";

fn complaint(part: &str, in_state: &str) -> Vec<Evidence> {
    let finding = Finding::Effect { part: part.into(), strength: Strength::None };
    vec![Evidence { complaint: true, ..Evidence::new(state(in_state), finding) }]
}

fn signals(r: &Ranked) -> Option<BTreeSet<SignalId>> {
    match &r.candidate.what {
        What::Values { signals } => Some(signals.iter().cloned().collect()),
        _ => None,
    }
}

fn share(evidence: &[Evidence], item: &str) -> f64 {
    let p = Posterior::new(&MODEL, evidence).unwrap();
    p.items[MODEL.item(&item.parse().unwrap()).unwrap()]
}

#[test]
fn values_come_first_where_the_seat_tells_most_and_tell_what_is_wrong() {
    let now = state("windscreen_heating");
    let mut evidence = complaint("R6", "windscreen_heating");
    let before = share(&evidence, "wire:520");
    let first = ranked(&evidence, &now, &[]).remove(0);
    let read = signals(&first).expect("values come first");
    assert!(read.contains("ambient_volts") && (2..=5).contains(&read.len()), "{read:?}");
    evidence.extend(trial::perform(&mut Exact::with(&[HIDDEN]), &first.candidate, 7));
    assert_eq!(evidence.len(), 1 + read.len());
    // An open circuit at the sensor's input: the sensor, or a contact or conductor on its way.
    assert!(share(&evidence, "wire:520") > 3.0 * before, "{before}");
    let way: f64 =
        ["part:B32", "wire:520", "wire:521", "wire:522", "terminal:C1.6", "terminal:C1.7"]
            .into_iter()
            .map(|item| share(&evidence, item))
            .sum();
    assert!(way > 0.9, "{way}");
    // What was read once is not read again in the same state.
    for r in ranked(&evidence, &now, &[]).iter().filter(|r| *r.candidate.state == now) {
        assert!(signals(r).is_none_or(|again| again.is_disjoint(&read)), "{}", r.candidate.id());
    }
}

#[test]
fn what_hangs_on_something_unsaid_is_read_only_where_it_can_be_believed_or_not() {
    let v = &MODEL.circuit.vehicle;
    for (part, at) in [("R6", "windscreen_heating"), ("M7", "rear_wash_stalk"), ("M1", "blower")] {
        let evidence = complaint(part, at);
        let list = ranked(&evidence, &state(at), &[]);
        let reads = list.iter().filter_map(|r| Some((signals(r)?, &r.candidate.state)));
        for (signal, state) in reads.flat_map(|(s, state)| s.into_iter().map(move |s| (s, state))) {
            let of = v.signals.iter().find(|s| s.id == signal).unwrap();
            let Some(physical) = of.physical.as_ref() else { continue };
            if let Transfer::Felt { stimulus, .. } = &physical.transfer {
                let said = state.stimuli.contains_key(stimulus);
                assert!(said || physical.valid.is_some(), "{signal} hangs on {stimulus}");
            }
        }
        // Without a tester nothing is.
        let none = ranked(&evidence, &state(at), &[CannotDo::from("scan *".to_owned())]);
        assert!(none.iter().all(|r| signals(r).is_none()), "{part}");
    }
}

#[test]
fn the_check_names_each_value_with_what_is_expected() {
    let evidence = complaint("R6", "windscreen_heating");
    let now = state("windscreen_heating");
    let check: Check =
        asked(&evidence, &now, &[], |ask| next::checks(ask, 3).unwrap().checks.remove(0));
    assert_eq!(check.quantity, "values");
    let values: Vec<&str> =
        check.setup.iter().filter(|l| l.label == "values").map(|l| l.text.as_str()).collect();
    assert_eq!(values.len(), check.signals.len());
    assert!(values.iter().all(|v| v.contains(" V")), "{values:?}");
    let total: f64 = check.outcomes.iter().map(|o| o.probability).sum();
    assert!(check.outcomes.len() > 1 && total < 1.0 + 1e-9, "{total}");
    assert!(check.outcomes.iter().any(|o| o.when.contains("silent") || o.when.contains(" V")));
}

#[test]
fn a_value_of_which_nobody_knows_what_it_should_be_tells_whether_it_can_be() {
    // With the key on, and nothing said of how cold it is.
    let on = state("on");
    let read = |value: f64| {
        Evidence::new(on.clone(), Finding::Signal { signal: "ambient_volts".into(), value })
    };
    let over_sound = |value: f64, id: &str| {
        let l = read(value).likelihood(&MODEL).unwrap();
        let h = MODEL.faults.position(|f| f.id == id).unwrap();
        l.there[h] - l.away
    };
    // 5 V is open whatever the weather (only -40 °C comes near); what the weather can make speaks against it.
    // How far, hangs on the scatter of the vehicles drawn: more than e² to one in any case.
    assert!(over_sound(5.0, HIDDEN) > 2.0, "{}", over_sound(5.0, HIDDEN));
    for value in [2.1, 3.0, 4.0] {
        assert!(over_sound(value, HIDDEN) < -3.0, "{value}: {}", over_sound(value, HIDDEN));
    }
    // So it is worth reading where the customer says no more than that the heater refuses.
    let mut evidence = complaint("R6", "windscreen_heating");
    let list = ranked(&evidence, &on, &[]);
    let reads = list.iter().find(|r| *r.candidate.state == on && signals(r).is_some());
    let reads = reads.expect("values with the key on");
    assert!(signals(reads).unwrap().contains("ambient_volts"), "{}", reads.candidate.id());
    evidence.extend(trial::perform(&mut Exact::with(&[HIDDEN]), &reads.candidate, 7));
    assert!(share(&evidence, "part:B32") > 0.5, "{}", share(&evidence, "part:B32"));
}
