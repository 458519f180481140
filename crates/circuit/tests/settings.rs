//! What modules hold and no wire shows: records, identities, what was learned; and what hangs on it.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{state, wren};
use circuit::software::Verdict;
use circuit::{Change, Circuit, Sweep, fault, hearing, software};
use std::sync::Arc;
use vehicle::OperatingState;
use vehicle::element::Held;

fn of(c: &Circuit, id: &str) -> Vec<Change> {
    fault::by_id(c, id).unwrap_or_else(|_| panic!("no fault {id}")).changes
}

fn holds(c: &Arc<Circuit>, state: &OperatingState, changes: &[Change], id: &str) -> f64 {
    let s = hearing::solve(c, state, changes);
    software::signal(c, &s, &s.lost, id)
}

/// Codes of the door module that fail.
fn failing(c: &Arc<Circuit>, state: &OperatingState, changes: &[Change]) -> Vec<String> {
    let s = hearing::solve(c, state, changes);
    let all = software::monitors(c, &s, &s.lost);
    let failed = all.iter_enumerated().filter(|(_, v)| **v == Verdict::Failed);
    let own = failed.map(|(k, _)| &c.vehicle.monitors[k]).filter(|m| m.module == "A20");
    own.map(|m| format!("{}-{}", m.code, m.failure_type)).collect()
}

#[test]
fn every_module_of_the_van_holds_what_its_record_says() {
    let c = wren();
    let on = state(&c, "on");
    let (mut records, mut learned) = (std::collections::BTreeSet::new(), 0);
    for s in c.vehicle.settings() {
        assert!((holds(&c, &on, &[], &s.id) - s.sound).abs() < 1e-3, "{}", s.id);
        match s.held {
            Held::Record { .. } => _ = records.insert(&s.module),
            Held::Learned { .. } => learned += 1,
            Held::Identity => {}
        }
    }
    assert!(records.len() >= 12 && learned >= 10, "{} {learned}", records.len());
}

#[test]
fn a_unit_from_its_box_holds_nothing_and_one_touch_is_refused_while_the_held_key_works() {
    let c = wren();
    let blank = of(&c, "part:Z20:blank");
    assert_eq!(blank.len(), 3);
    let [touched, held] = ["one_touch", "window_held"].map(|s| state(&c, s));
    for id in ["one_touch_coded", "a20_own", "window_stop_left"] {
        assert!(holds(&c, &touched, &blank, id).abs() < 1e-3, "{id}");
    }
    let motor = c.part("M21").unwrap();
    let runs = |state: &OperatingState, changes: &[Change]| {
        hearing::solve(&c, state, changes).effect(&c, motor).unwrap()
    };
    assert!(runs(&touched, &[]) > 0.9 && runs(&held, &[]) > 0.9);
    assert!(runs(&touched, &blank) < 0.01 && runs(&held, &blank) > 0.9);
    // Each by itself refuses it as well, and sets its own code alone.
    let codes = [
        ("one_touch_coded_uncoded", "B1F80-55"),
        ("foreign@1", "B1F81-62"),
        ("window_stop_left_untaught@2", "B1F82-54"),
    ];
    for (mode, code) in codes {
        let one = of(&c, &format!("part:Z20:{mode}"));
        assert!(runs(&touched, &one) < 0.01, "{mode}");
        assert_eq!(failing(&c, &touched, &one), [code]);
    }
    assert_eq!(failing(&c, &touched, &blank), codes.map(|(_, code)| code));
    assert!(failing(&c, &touched, &[]).is_empty());
}

#[test]
fn a_sweep_finds_every_setting_as_a_solution_from_rest_does() {
    let c = wren();
    let touched = state(&c, "one_touch");
    let mut sweep = Sweep::new(&c, &touched, &[]);
    let all = fault::all(&c);
    let own: Vec<_> = all.iter().filter(|f| f.id.to_string().starts_with("part:Z")).collect();
    assert!(own.len() > 40, "{}", own.len());
    for f in own {
        let rest = hearing::solve(&c, &touched, &f.changes);
        let p = sweep.solve(&f.changes);
        let apart = rest.volts.iter().zip(p.volts.iter()).map(|(a, b)| (a - b).abs());
        let worst = apart.fold(0.0, f64::max);
        assert!(worst < 2e-3, "{}: {worst}", f.id);
        assert_eq!(*p.asked, rest.asked, "{}", f.id);
    }
}

#[test]
fn an_engine_module_of_another_vehicle_or_not_paired_refuses_to_start() {
    let c = wren();
    let cranking = state(&c, "cranking");
    let starter = c.part("M1").unwrap();
    let turns =
        |changes: &[Change]| hearing::solve(&c, &cranking, changes).effect(&c, starter).unwrap();
    assert!(turns(&[]) > 0.5, "{}", turns(&[]));
    for wrong in ["part:Z10:foreign@1", "part:Z10:unpaired@4"] {
        assert!(turns(&of(&c, wrong)) < 0.01, "{wrong}: {}", turns(&of(&c, wrong)));
    }
    // What it has not learned lets it start all the same.
    assert!(turns(&of(&c, "part:Z10:tooth_errors_untaught@3")) > 0.5);
}

#[test]
fn fields_that_have_to_agree_are_compared_over_the_bus() {
    let c = wren();
    let on = state(&c, "on");
    let failing = |changes: &[Change]| {
        let s = hearing::solve(&c, &on, changes);
        let all = software::monitors(&c, &s, &s.lost);
        let failed = all.iter_enumerated().filter(|(_, v)| **v == Verdict::Failed);
        let of = failed.map(|(k, _)| &c.vehicle.monitors[k]);
        let mut of: Vec<String> =
            of.map(|m| format!("{} {}-{}", m.module, m.code, m.failure_type)).collect();
        of.sort();
        of
    };
    assert!(failing(&[]).is_empty());
    // Whichever of the two is wrong, the one that compares says so; the brake module's own check as well.
    let panel = of(&c, "part:Z26:panel_tyres_other_tyres@2");
    let brakes = of(&c, "part:Z12:tyre_size_other_tyres");
    assert_eq!(failing(&panel), ["A26 B1FD2-62"]);
    assert_eq!(failing(&brakes), ["A12 C1F50-56", "A26 B1FD2-62"]);
    // Both set alike agree with each other, wrong as they are.
    assert_eq!(failing(&[panel, brakes].concat()), ["A12 C1F50-56"]);
    // One that is not set says that, and compares nothing.
    assert_eq!(failing(&of(&c, "part:Z10:engine_axle_uncoded@5")), ["A10 P1F35-55"]);
    assert_eq!(failing(&of(&c, "part:Z10:engine_axle_other_ratio@5")), ["A10 P1F35-62"]);
}
