//! What a passed test has proven, and what it did not touch.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{MODEL, state};
use circuit::fault;
use circuit::software::Verdict;
use diagnosis::proven::{self, Proven};

fn share(p: &Proven, item: &str) -> Option<f64> {
    p.proves.iter().find(|s| s.item == item).map(|s| s.share)
}

fn is_left(p: &Proven, item: &str) -> bool {
    p.leaves.iter().any(|s| s.item == item)
}

#[test]
fn a_pump_that_works_has_proven_its_whole_way() {
    let p = proven::effect(&MODEL, &state("rear_washer"), "M7").unwrap();
    // The pump, its relay, and a conductor of each leg.
    for item in ["part:M7", "part:K9", "wire:62"] {
        assert!(share(&p, item).unwrap() > 0.5, "{item}: {:?}", share(&p, item));
    }
    // The front pump has no share in it.
    assert_eq!(share(&p, "part:M6"), None);
    // A lamp that is off shows nothing.
    assert!(proven::effect(&MODEL, &state("on"), "E11").is_err());
}

#[test]
fn a_self_test_proves_what_its_monitors_would_have_seen_and_no_more() {
    let on = state("on");
    let p = proven::self_test(&MODEL, &on, "A2").unwrap();
    // The outputs are off: what watches a driven one cannot run.
    assert!(p.runs.contains(&"B1A11-14".to_owned()) && p.rests.contains(&"B1A11-12".to_owned()));
    // The relay's coil is watched, its contact and the pump behind it are not.
    let coil = share(&p, "part:K9").unwrap();
    assert!((0.05..0.95).contains(&coil), "{coil}");
    assert_eq!(share(&p, "part:M7"), None);
    // Item by item against the codes that faults set.
    let all = MODEL.predict_heard(&on);
    let monitor = MODEL
        .circuit
        .vehicle
        .monitors
        .position(|m| m.module == "A2" && m.code == "B1A11" && m.failure_type == "14");
    let open = fault::by_id(&MODEL.circuit, "part:K9:coil_open").unwrap();
    let h = MODEL.faults.position(|f| f.id == open.id).unwrap();
    assert_eq!(all.heard(h).unwrap().monitor(monitor.unwrap()), Verdict::Failed);
    assert!(proven::self_test(&MODEL, &on, "M7").unwrap().runs.is_empty());
    assert!(proven::self_test(&MODEL, &on, "nobody").is_err());
}

#[test]
fn what_lies_at_the_pins_and_would_not_show_is_left() {
    let p = proven::self_test(&MODEL, &state("on"), "A2").unwrap();
    assert!(!p.leaves.is_empty());
    for seen in &p.leaves {
        assert!(share(&p, &seen.item.to_string()).is_none(), "{}", seen.text);
    }
    // The button of the windscreen heater: no monitor looks at it.
    assert!(is_left(&p, "part:S26") || is_left(&p, "wire:693"));
}
