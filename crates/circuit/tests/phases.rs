//! Bus levels come out of the circuit.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{state, wren};
use circuit::{fault, hearing, software};
use vehicle::{Amount, KeyPosition, OperatingState};

#[test]
fn the_drive_bus_is_heard_by_all_and_a_grounded_line_by_none() {
    let c = wren();
    let on = state(&c, "on");
    let engine = c.part("A10").unwrap();
    let held = c.solve(&on, &c.dominant("drive", engine).unwrap(), None);
    let differential = held.volts[c.node("X10.H").unwrap()] - held.volts[c.node("X10.L").unwrap()];
    // (4.3 V - 0.7 V) over 23 + 60 + 23 Ohm is 34 mA; over the two terminators, 60 Ohm: 2.04 V.
    assert!((differential - 2.04).abs() < 0.05, "{differential}");
    let heard = c.heard(&on, &[], "drive", engine);
    assert!(heard.len() >= 8 && heard.iter().all(|(_, hears)| *hears), "{heard:?}");
    // With one terminator missing 120 Ohm are left: 3.6 / (46 + 120) x 120 = 2.60 V.
    let lost = fault::by_id(&c, "part:A10:open").unwrap().changes;
    let held: Vec<_> = lost.into_iter().chain(c.dominant("drive", engine).unwrap()).collect();
    let held = c.solve(&on, &held, None);
    let differential = held.volts[c.node("X10.H").unwrap()] - held.volts[c.node("X10.L").unwrap()];
    assert!((differential - 2.60).abs() < 0.06, "{differential}");
    // The high line on ground can show nobody a dominant bit.
    let wire = c.vehicle.wires.iter().find(|w| w.from == "X1.DH" || w.to == "X1.DH").unwrap();
    let short = fault::by_id(&c, &format!("wire:{}:ground:0.05", wire.id)).unwrap().changes;
    assert!(c.heard(&on, &short, "drive", engine).iter().all(|(_, hears)| !hears));
}

#[test]
fn a_set_share_of_the_time_takes_the_place_of_the_usual_one_and_a_shunt_reads_the_current() {
    let c = wren();
    let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let mut driven = on.clone();
    driven.outputs.insert("seat_heat_left".into());
    let (pin, body) = (c.node("X24.HL").unwrap(), c.node("BAT.-").unwrap());
    let at = |s: &OperatingState| {
        let s = c.solve(s, &[], None);
        s.volts[pin] - s.volts[body]
    };
    let (high, low) = (at(&driven), at(&on));
    let average = |s: &OperatingState| c.levels(s, &[], None, pin, body).average;
    let share = |of: f64| of * high + (1.0 - of) * low;
    let duty = |s: &OperatingState| {
        let s = c.solve(s, &[], None);
        software::signal(&c, &s, &[], "seat_heat_left_duty")
    };
    // The file says 0.6 for it.
    assert_eq!((duty(&on), duty(&driven)), (0.0, 60.0));
    assert!((average(&driven) - share(0.6)).abs() < 0.01, "{}", average(&driven));
    for percent in [10.0, 25.0, 90.0] {
        driven.percent = [("seat_heat_left".into(), Amount(percent))].into();
        assert!((average(&driven) - share(percent / 100.0)).abs() < 0.01, "{percent}");
        assert_eq!(duty(&driven), percent);
    }
    // Nothing else hangs on the shunt while the other heater is off but its open-load detection.
    let s = hearing::solve(&c, &driven, &[]);
    let wire = c.vehicle.wires.iter().find(|w| w.from == "X24.HL" || w.to == "X24.HL").unwrap();
    let clamp = s.amps(&c, c.wire_branch[c.wire(&wire.id).unwrap()]).abs();
    let read = software::signal(&c, &s, &s.lost, "a24_amps");
    assert!(clamp > 4.0 && (read - clamp).abs() < 0.01, "{read} {clamp}");
}
