//! What turns past sensors: rates that are counted, what hangs on them, and a ring that has lost teeth.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{state, wren};
use circuit::{Change, Circuit, Sweep, fault, hearing, software};
use std::sync::Arc;
use vehicle::{Amount, OperatingState};

fn of(c: &Circuit, id: &str) -> Vec<Change> {
    fault::by_id(c, id).unwrap_or_else(|_| panic!("no fault {id}")).changes
}

fn value(c: &Arc<Circuit>, state: &OperatingState, changes: &[Change], id: &str) -> f64 {
    let lost = hearing::unheard(c, state, changes).lost;
    software::signal(c, &hearing::solve(c, state, changes), &lost, id)
}

fn is_asked(c: &Circuit, asked: &std::collections::BTreeSet<vehicle::OutputIx>, id: &str) -> bool {
    asked.iter().any(|o| c.vehicle.outputs[*o].id == *id)
}

const RATES: [&str; 4] = ["ws_fl_rate", "ws_fr_rate", "ws_rl_rate", "ws_rr_rate"];

#[test]
fn four_wheels_that_roll_are_counted_alike_and_at_rest_not_at_all() {
    let c = wren();
    let rolling = state(&c, "rolling");
    for id in RATES {
        // 20 km/h at 6.667 teeth a second for each: 133.3 Hz.
        let hertz = value(&c, &rolling, &[], id);
        assert!((hertz - 133.34).abs() < 0.05, "{id}: {hertz}");
        assert_eq!(value(&c, &state(&c, "on"), &[], id), 0.0, "{id}");
    }
    assert!(value(&c, &rolling, &[], "wheels_apart") < 1e-3);
}

#[test]
fn a_ring_counts_as_many_teeth_as_it_has_and_the_assist_goes_without() {
    let c = wren();
    let mut rolling = state(&c, "rolling");
    let lost_teeth = of(&c, "part:R62:teeth:0.917");
    // 0.917 * 133.34 = 122.27 Hz; apart by (133.34 - 122.27) / (133.34 + 40) = 0.0639.
    let hertz = value(&c, &rolling, &lost_teeth, "ws_rl_rate");
    assert!((hertz - 122.27).abs() < 0.1, "{hertz}");
    let apart = value(&c, &rolling, &lost_teeth, "a13_rx_wheels_apart");
    assert!((apart - 0.0639).abs() < 5e-4, "{apart}");
    let mut sweep = Sweep::new(&c, &rolling, &[]);
    assert!(is_asked(&c, &sweep.healthy().asked, "assist_left"));
    assert!(!is_asked(&c, sweep.solve(&lost_teeth).asked, "assist_left"));
    // At walking speed nobody minds: at 5 km/h 33.3 Hz against 30.6, apart by 2.77 / 73.3 = 0.038.
    rolling.stimuli.insert("road_speed".into(), Amount(5.0));
    assert!(is_asked(&c, &hearing::solve(&c, &rolling, &lost_teeth).asked, "assist_left"));
}

#[test]
fn pulses_that_do_not_reach_the_module_count_nothing() {
    let c = wren();
    let rolling = state(&c, "rolling");
    let line = c.vehicle.wires.iter().find(|w| w.to == "XB22.2" || w.from == "XB22.2");
    let line =
        line.or_else(|| c.vehicle.wires.iter().find(|w| w.from == "B22.2" || w.to == "B22.2"));
    let line = line.unwrap().id.to_string();
    for id in [
        "part:B22:stuck_low".to_owned(),
        "part:B22:stuck_high".to_owned(),
        "part:B22:open".to_owned(),
        format!("wire:{line}:open"),
        format!("wire:{line}:ground:0.1"),
        "part:R62:loose".to_owned(),
    ] {
        let changes = of(&c, &id);
        assert!(value(&c, &rolling, &changes, "ws_rl_rate") < 0.01, "{id}");
        let others = value(&c, &rolling, &changes, "ws_fl_rate");
        assert!((others - 133.34).abs() < 0.1, "{id}: {others}");
        assert!(
            !is_asked(&c, &hearing::solve(&c, &rolling, &changes).asked, "assist_left"),
            "{id}"
        );
    }
}

#[test]
fn from_the_sound_vehicle_and_from_rest_the_same_is_asked_for_while_it_rolls() {
    let c = wren();
    let rolling = state(&c, "rolling");
    let faults = fault::all(&c);
    let near = |f: &&fault::Fault| {
        let id = f.id.to_string();
        ["B20", "B21", "B22", "B23", "R60", "R61", "R62", "R63", "A12"]
            .iter()
            .any(|p| id.starts_with(&format!("part:{p}:")))
    };
    let (near, far): (Vec<_>, Vec<_>) = faults.iter().partition(near);
    let sample = near.iter().chain(far.iter().step_by(far.len() / 60));
    let mut sweep = Sweep::new(&c, &rolling, &[]);
    let sound = sweep.healthy().asked.clone();
    let mut differ = 0;
    for f in sample {
        let quick = sweep.solve(&f.changes).asked.clone();
        let slow = hearing::solve(&c, &rolling, &f.changes);
        differ += usize::from(quick != sound);
        if slow.converged {
            assert_eq!(quick, slow.asked, "{}", f.id);
        }
    }
    assert!(differ > 20, "{differ} ask for something else");
}
