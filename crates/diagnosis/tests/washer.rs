//! A weak rear washer, worked through as a technician would.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, follow, state};
use circuit::{Instrument, Probe, fault};
use diagnosis::trial::Ending;
use diagnosis::verdict::{self, Verdict};
use diagnosis::{Evidence, Finding, Posterior, Priors, Strength, suspects};
use vehicle::OperatingState;

fn effect(strength: Strength) -> Evidence {
    Evidence::new(state("rear_washer"), Finding::Effect { part: "M7".into(), strength })
}

fn reading(state: &OperatingState, red: &str, black: &str, value: f64) -> Evidence {
    let finding = Finding::Reading {
        instrument: Instrument::Volts,
        red: red.into(),
        black: black.into(),
        value: Some(value),
    };
    Evidence::new(state.clone(), finding)
}

#[test]
fn the_resistive_bulkhead_terminal_is_found() {
    // Between two grid points on purpose: the truth is never on the grid.
    let hidden = "terminal:C4.7:constriction:0.72";
    let worked = follow(&[hidden], vec![effect(Strength::Weak)]);
    assert_eq!(worked.named, "terminal:C4.7", "{worked:#?}");
    assert!(worked.minutes <= 40.0 && worked.ending == Ending::Proven, "{worked:#?}");
}

#[test]
fn other_faults_behind_the_same_complaint_are_told_apart() {
    for (hidden, strength) in [
        ("wire:62:series:3.1", Strength::Weak),
        ("ground:G6:series:1.7", Strength::Weak),
        ("part:K9:contact_series:2.9", Strength::Weak),
        ("part:K9:coil_open", Strength::None),
        ("wire:61:open", Strength::None),
        ("part:M7:open", Strength::None),
        ("wire:35:open", Strength::None),
    ] {
        let item = fault::by_id(&MODEL.circuit, hidden).unwrap().repair_item;
        let worked = follow(&[hidden], vec![effect(strength)]);
        assert_eq!(worked.named, item, "{hidden}: {worked:#?}");
    }
}

#[test]
fn the_unloaded_reading_cannot_tell_and_the_loaded_one_can() {
    let evidence = vec![effect(Strength::Weak)];
    // All things failing alike: else the worn pump is nearly all of it, and nothing before it matters.
    let alike = Priors::plain(&MODEL).even(&MODEL);
    let before = Posterior::given(&MODEL, &alike, &evidence).unwrap();
    let on = state("rear_washer");
    let probe = Probe::volts("M7.1", "BAT.-");
    let open = verdict::judge(&MODEL, &before, &on.without("M7"), &probe, Some(12.4)).unwrap();
    assert_eq!(open.verdict, Verdict::CannotTell, "{open:?}");
    assert!(open.why.contains("Nothing draws current through M7.1"), "{}", open.why);
    let loaded = verdict::judge(&MODEL, &before, &on, &probe, Some(7.1)).unwrap();
    assert_eq!(loaded.verdict, Verdict::Bad);
    let good = verdict::judge(&MODEL, &before, &on, &probe, Some(12.15)).unwrap();
    assert_eq!(good.verdict, Verdict::Good, "{good:?}");
}

#[test]
fn reasons_name_the_numbers() {
    let on = state("rear_washer");
    let evidence = vec![
        effect(Strength::Weak),
        reading(&on, "C4.7:cabin", "BAT.-", 12.2),
        reading(&on, "M7.1", "BAT.-", 7.1),
        reading(&on, "C4.7:cabin", "C4.7:engine", 5.05),
    ];
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let list =
        suspects::suspects(&MODEL, &Priors::told(&MODEL, &evidence), &evidence, &p, 3).unwrap();
    assert_eq!(list[0].repair_item, "terminal:C4.7");
    assert!(list[0].probability > 0.95, "{list:#?}");
    assert!(list[0].reasons_for.iter().any(|r| r.text.contains("you read 7.10 V")), "{list:#?}");
    // The pump at 7.1 V takes (7.1 + 3.48 x 0.5) / (1.1 + 3.48) = 1.93 A; 5.05 V / 1.93 A = 2.6 Ohm.
    let words: Vec<&str> = list[0].variant.split(' ').collect();
    let (ohms, amps): (f64, f64) = (words[1].parse().unwrap(), words[4].parse().unwrap());
    assert!((ohms - 2.6).abs() <= 0.2 && (amps - 1.93).abs() <= 0.1, "{}", list[0].variant);
}

#[test]
fn the_order_of_evidence_does_not_matter() {
    let on = state("rear_washer");
    let mut evidence = vec![
        effect(Strength::Weak),
        reading(&on, "M7.1", "BAT.-", 7.1),
        reading(&on, "M7.2", "BAT.-", 0.05),
        reading(&state("on"), "J23", "BAT.-", 12.4),
    ];
    let a = Posterior::new(&MODEL, &evidence).unwrap();
    evidence.reverse();
    let b = Posterior::new(&MODEL, &evidence).unwrap();
    assert_eq!(a.hypotheses, b.hypotheses);
}

#[test]
fn absurd_evidence_ends_outside_the_file() {
    let on = state("on");
    // Healthy everywhere, and yet no water: nothing in the file explains 12 V on body ground.
    let evidence = vec![
        reading(&on, "G6", "BAT.-", 11.0),
        reading(&on, "G2", "BAT.-", -4.0),
        reading(&on, "G8", "BAT.-", 19.0),
    ];
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let (top, probability) = p.ranking()[0];
    assert_eq!(MODEL.items[top], vehicle::Item::Elsewhere);
    assert!(probability > 0.5);
}

#[test]
fn names_that_do_not_exist_are_refused() {
    let bad = [
        Finding::Effect { part: "M99".into(), strength: Strength::Weak },
        Finding::Effect { part: "F23".into(), strength: Strength::Weak },
        Finding::Answer { module: "A99".into(), answers: true },
        Finding::Code {
            module: "A2".into(),
            code: "B1A99".parse().unwrap(),
            failure_type: "14".parse().unwrap(),
            failing: true,
        },
    ];
    for finding in bad {
        let e = Evidence::new(OperatingState::default(), finding);
        assert!(Posterior::new(&MODEL, &[e]).is_err());
    }
    assert!(
        Posterior::new(&MODEL, &[reading(&OperatingState::default(), "C4.99", "BAT.-", 1.0)])
            .is_err()
    );
}

#[test]
fn the_sheet_holds_the_washer_circuit() {
    let sheet = diagnosis::sheet::sheet(
        &MODEL,
        &diagnosis::sheet::Wanted {
            about: "output:rear_washer",
            more: &[],
            state: &state("rear_washer"),
            under: None,
        },
    )
    .unwrap();
    let own: Vec<&str> = sheet.lines.iter().filter(|l| !l.context).map(|l| l.id.as_str()).collect();
    for wire in ["30", "31", "32", "35", "61", "62", "64", "8"] {
        assert!(own.contains(&wire), "{wire} in {own:?}");
    }
    assert!(!own.contains(&"81"), "the rear wiper is no part of it");
    assert!(sheet.lines.iter().any(|l| l.id == "58" && l.context), "the front pump shares C4");
    assert!(sheet.nodes.iter().any(|n| n.kind == "rail"));
}
