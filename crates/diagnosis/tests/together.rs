//! Values read together that feel the same (N33): what disagrees is laid to whoever can make it disagree.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{Exact, MODEL, state};
use circuit::{fault, software};
use diagnosis::next::candidates::What;
use diagnosis::next::{self, CannotDo};
use diagnosis::{Evidence, Finding, LiveReading, Posterior, trial, words};
use std::collections::BTreeMap;
use vehicle::{Amount, OperatingState};

/// What modules say of signals in a state in which more is true than the technician knows of.
fn read(signals: &[&str], truth: &[(&str, f64)], hidden: &[&str]) -> Vec<LiveReading> {
    let c = &MODEL.circuit;
    let mut state = state("on");
    state.stimuli.extend(truth.iter().map(|(s, v)| ((*s).to_owned(), Amount(*v))));
    let changes: Vec<_> =
        hidden.iter().flat_map(|id| fault::by_id(c, id).unwrap().changes).collect();
    let solution = c.solve(&state, &changes, None);
    let value = |id: &str| software::signal(c, &solution, &[], id);
    signals.iter().map(|s| LiveReading { signal: (*s).into(), value: value(s) }).collect()
}

fn together(state: OperatingState, values: Vec<LiveReading>, apart: f64) -> Evidence {
    Evidence::new(state, Finding::Together { values, apart })
}

/// Log-likelihood over that of nothing wrong: the best of each repair item.
fn over_sound(e: &Evidence) -> BTreeMap<String, f64> {
    let l = e.likelihood(&MODEL).unwrap();
    let mut best = BTreeMap::new();
    for (h, ll) in l.there.iter_enumerated() {
        let item = MODEL.faults[h].repair_item.to_string();
        let entry = best.entry(item).or_insert(f64::NEG_INFINITY);
        *entry = f64::max(*entry, ll - l.away);
    }
    best
}

const PEDAL: [&str; 2] = ["app1_volts", "app2_volts"];
const COLD: [&str; 3] = ["cts_volts", "iat_volts", "ambient_volts"];

fn night(c: f64) -> [(&'static str, f64); 3] {
    ["coolant_temperature", "intake_temperature", "outside_temperature"].map(|s| (s, c))
}

#[test]
fn tracks_that_agree_speak_for_nothing_wherever_the_pedal_is() {
    for pedal in [0.0, 55.0] {
        let e = together(state("on"), read(&PEDAL, &[("pedal", pedal)], &[]), 0.0);
        let best = over_sound(&e).into_iter().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap();
        assert!(best.1 < 1.5, "pedal at {pedal}: {best:?}");
    }
}

#[test]
fn a_track_that_lags_is_laid_to_what_lies_on_its_way() {
    // Where the pedal is nobody says; 40 % it was.
    let hidden = "wire:205:ground:2000";
    let e = together(state("on"), read(&PEDAL, &[("pedal", 40.0)], &[hidden]), 0.0);
    let all = over_sound(&e);
    assert!(all["wire:205"] > 5.0, "{:?}", all["wire:205"]);
    // Nothing of the washer has a hand in it.
    assert!(all["part:M7"].abs() < 1e-9);
    assert!(words::evidence(&MODEL, &e).starts_with("read together: "));
}

#[test]
fn after_a_cold_night_the_sensor_that_says_something_else_leads() {
    let hidden = "part:B6:drifted:2.2";
    let values = read(&COLD, &night(4.0), &[hidden]);
    let e = together(state("on"), values, 2.0);
    let all = over_sound(&e);
    // 4 °C and 2.2 times the resistance is what the sound sensor has at about -11 °C: more than five
    // deviations of 2 K from the others.
    assert!(all["part:B6"] > 3.0, "{}", all["part:B6"]);
    assert!(all["part:B6"] > all["part:B7"] + 1.0 && all["part:B6"] > all["part:B32"] + 1.0);
    // What the sensors may lie apart anyway makes no such case.
    let mut apart = night(4.0);
    apart[0].1 = 6.0;
    let e = together(state("on"), read(&COLD, &apart, &[]), 2.0);
    let best = over_sound(&e).into_values().fold(f64::NEG_INFINITY, f64::max);
    assert!(best < 1.5, "{best}");
}

#[test]
fn what_cannot_agree_is_refused_with_its_reason() {
    let one = read(&PEDAL[..1], &[], &[]);
    let said = together(state("on"), one, 0.0).check(&MODEL).unwrap_err().to_string();
    assert!(said.contains("feel the same"), "{said}");
    let no_sensor = read(&["gw_supply", "body_supply"], &[], &[]);
    let said = together(state("on"), no_sensor, 0.0).check(&MODEL).unwrap_err().to_string();
    assert!(said.contains("gw_supply"), "{said}");
}

/// Comparisons among the checks worth doing, with what each says, bits, and takes, minutes.
fn comparisons(evidence: &[Evidence], refused: &[CannotDo]) -> Vec<next::Ranked> {
    let now = state("windscreen_heating");
    let all = crate::common::asked(evidence, &now, refused, next::useful);
    all.into_iter().filter(|r| matches!(r.candidate.what, What::Agree { .. })).collect()
}

fn after_a_night(r: &next::Ranked) -> bool {
    matches!(&r.candidate.what, What::Agree { apart, .. } if *apart > 0.0)
}

#[test]
fn a_comparison_is_weighed_like_any_other_check_and_tells_what_it_promised() {
    let finding = Finding::Effect { part: "R6".into(), strength: diagnosis::Strength::None };
    let complaint =
        Evidence { complaint: true, ..Evidence::new(state("windscreen_heating"), finding) };
    let evidence = vec![complaint];
    let found = comparisons(&evidence, &[]);
    let alike = found.iter().find(|r| !after_a_night(r)).expect("three that feel the same");
    let night = found.iter().find(|r| after_a_night(r)).expect("three that stood overnight");
    // To leave it until the morning is dearer than to read.
    assert!(night.minutes > alike.minutes + 2.0, "{} {}", night.minutes, alike.minutes);
    let share = |evidence: &[Evidence]| {
        let p = Posterior::new(&MODEL, evidence).unwrap();
        p.items[MODEL.item(&"part:B32".parse().unwrap()).unwrap()]
    };
    // What it shows tells a sensor that drifted from one that did not.
    for r in [alike, night] {
        let after = |hidden: &[&str]| {
            let told = trial::perform(&mut Exact::with(hidden), &r.candidate, 7);
            assert!(matches!(&told[0].finding, Finding::Together { .. }), "{:?}", told[0]);
            share(&[evidence.clone(), told].concat())
        };
        let (drifted, sound) = (after(&["part:B32:drifted:2.2"]), after(&[]));
        assert!(drifted > 4.0 * sound, "{}: {drifted} {sound}", r.candidate.id());
    }
    // What was compared is not compared again, and without a tester nothing is.
    let told = trial::perform(&mut Exact::with(&[]), &alike.candidate, 7);
    let again = comparisons(&[evidence.clone(), told].concat(), &[]);
    assert!(again.iter().all(|r| r.candidate.id() != alike.candidate.id()));
    assert!(comparisons(&evidence, &[CannotDo::from("scan *".to_owned())]).is_empty());
}
