//! Bus levels come out of the circuit.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;
use circuit::fault;
use common::{state, wren};

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
