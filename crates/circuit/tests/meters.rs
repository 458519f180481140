//! What each tool does to a circuit and what it shows, against values worked out by hand.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::resistor;
use circuit::{Circuit, Instrument, Probe, Shown, Sweep, fault};
use serde_json::{Value, json};
use std::sync::Arc;
use vehicle::OperatingState;

fn bench(parts: Vec<Value>, joined: &[(&str, &str)]) -> Arc<Circuit> {
    crate::bench::bench(parts, joined, json!({}))
}

/// Two equal resistors from IN to MID to OUT.
fn divider(ohms: f64) -> Arc<Circuit> {
    bench(
        vec![resistor("R1", ohms), resistor("R2", ohms)],
        &[("IN", "R1.1"), ("R1.2", "MID"), ("MID", "R2.1"), ("R2.2", "OUT")],
    )
}

fn read(c: &std::sync::Arc<Circuit>, instrument: Instrument, red: &str, black: &str) -> f64 {
    let probe = Probe { instrument, red: red.into(), black: black.into() };
    c.measure(&OperatingState::default(), &[], &probe).unwrap().value()
}

fn near(is: f64, should: f64, within: f64) {
    assert!((is - should).abs() <= within, "{is} is not {should}");
}

#[test]
fn a_low_impedance_meter_loads_a_divider() {
    // Two of 10 kOhm: 5 kOhm as the meter sees them, 6 V open.
    let c = divider(10e3);
    // 10 MOhm: 6 x 10000 / 10005 = 5.9970 V.
    near(read(&c, Instrument::Volts, "MID", "G"), 5.9970, 5e-4);
    // 3 kOhm: 6 x 3 / 8 = 2.25 V.
    near(read(&c, Instrument::LowVolts, "MID", "G"), 2.25, 2e-3);
}

#[test]
fn a_lamp_tells_a_stiff_supply_from_a_resistive_one() {
    // 21 W at 12 V, straight on the battery: 1.75 A drop 18 mV in the battery and a few in leads
    // and fuse, so the light is (11.97 / 12)^3.4 = 99 %.
    let c = divider(1e6);
    near(read(&c, Instrument::Lamp21, "IN", "G"), 99.0, 0.7);
    // Behind 10 Ohm: 12 = v + 10 i with i = 1.75 (v / 12)^0.55 for a hot filament.
    // v = 2.6: i = 1.75 x 0.2167^0.55 = 0.7543, v + 7.54 = 10.14; v = 3.4: i = 0.8742, sum 12.14;
    // v = 3.34: i = 0.8657, sum 12.00. Light (3.34 / 12)^3.4 = 1.3 %: dark, though a 10 MOhm meter
    // shows the full 12 V there.
    let c = bench(
        vec![resistor("R1", 10.0), resistor("R2", 1e6)],
        &[("IN", "R1.1"), ("R1.2", "MID"), ("MID", "R2.1"), ("R2.2", "OUT")],
    );
    near(read(&c, Instrument::Volts, "MID", "G"), 12.0, 0.01);
    near(read(&c, Instrument::Lamp21, "MID", "G"), 1.3, 0.1);
    // The 5 W lamp: i = 0.4167 (v / 12)^0.55. v = 8.5: i = 0.3447, sum 11.95; v = 8.55: 12.01.
    // Light (8.54 / 12)^3.4 = 31 %: dim.
    near(read(&c, Instrument::Lamp5, "MID", "G"), 31.5, 1.0);
}

#[test]
fn an_led_tester_lights_one_way_round_and_hardly_loads() {
    let c = divider(1000.0);
    // 6 V behind 500 Ohm and the tester's 470 Ohm: the LED, 2 V at 20 mA, takes 0.0466 V x ln(20/4.2)
    // = 0.07 V less at 4.2 mA: (6 - 1.93) / 970 = 4.2 mA, 21 % of 20 mA.
    near(read(&c, Instrument::Led, "MID", "G"), 21.0, 0.3);
    assert_eq!(read(&c, Instrument::Led, "G", "MID"), 0.0);
    // Behind a megohm it stays dark: 6 uA.
    assert!(read(&divider(1e6), Instrument::Led, "MID", "G") < 0.1);
}

#[test]
fn a_shunt_carries_what_the_circuit_gives_until_its_fuse_opens() {
    // 12 Ohm through the meter's 30 mOhm, 10 mOhm in the battery, 5 in the fuse, 6 terminals of 3
    // and 1 in the ground point: 12 / 12.064 = 0.9947 A.
    let c = bench(vec![resistor("R1", 12.0)], &[("MID", "R1.1"), ("R1.2", "OUT")]);
    near(read(&c, Instrument::Shunt, "IN", "MID"), 0.9947, 5e-4);
    // Across the battery 12 / 0.055 = 218 A: the meter's fuse goes, the vehicle's does not.
    let c = divider(1000.0);
    let probe = Probe { instrument: Instrument::Shunt, red: "IN".into(), black: "G".into() };
    assert_eq!(c.measure(&OperatingState::default(), &[], &probe).unwrap(), Shown::OverLimit);
    let leads = probe.leads(&c).unwrap();
    let s = c.solve(&OperatingState::default(), &[], leads.extra());
    assert!(s.tool_blew);
    near(s.volts[c.node("IN").unwrap()], 12.0, 0.01);
}

#[test]
fn a_jumper_feeds_a_load_and_opens_on_a_short() {
    // A lamp of 21 W fed by the jumper shines as if wired: 1.75 A.
    let lamp = json!({"id": "E1", "name": "Lamp", "kind": "lamp", "place": "p", "elements": [
        {"type": "lamp", "plus": "1", "minus": "2", "rated_volts": 12, "rated_watts": 21, "effect": "shines"}]});
    let c = bench(vec![lamp], &[("MID", "E1.1"), ("E1.2", "OUT")]);
    near(read(&c, Instrument::Jumper, "IN", "MID"), 1.75, 0.01);
    // With MID chafed to ground through 50 mOhm it opens.
    let f = fault::by_id(&c, "wire:w4:ground:0.05").unwrap();
    let probe = Probe { instrument: Instrument::Jumper, red: "IN".into(), black: "MID".into() };
    let shown = c.measure(&OperatingState::default(), &f.changes, &probe).unwrap();
    assert_eq!(shown, Shown::OverLimit);
}

#[test]
fn an_ohmmeter_on_a_live_circuit_shows_nonsense() {
    // Dead: two of 1 kOhm in series, fuse out of the way by pulling the battery.
    let c = divider(1000.0);
    let off = OperatingState { battery_off: true, ..OperatingState::default() };
    let probe = Probe { instrument: Instrument::Ohms, red: "IN".into(), black: "G".into() };
    near(c.measure(&off, &[], &probe).unwrap().value(), 2000.0, 5.0);
    // Live with red positive the circuit drives the meter backwards: OL.
    let live = OperatingState::default();
    assert_eq!(c.measure(&live, &[], &probe).unwrap(), Shown::OverLimit);
    // Live with red on the negative side: 1 + 6 V drive 7 / 1.5 kOhm = 4.667 mA, the meter's own
    // terminals see 1 - 4.667 = -3.667 V: a negative resistance, -786 Ohm.
    let probe = Probe { instrument: Instrument::Ohms, red: "G".into(), black: "MID".into() };
    near(c.measure(&live, &[], &probe).unwrap().value(), -786.0, 3.0);
}

#[test]
fn sweeps_and_solutions_show_the_same_for_every_tool() {
    let lamp = json!({"id": "E1", "name": "Lamp", "kind": "lamp", "place": "p", "elements": [
        {"type": "lamp", "plus": "1", "minus": "2", "rated_volts": 12, "rated_watts": 21, "effect": "shines"}]});
    let c = bench(
        vec![resistor("R1", 47.0), lamp, resistor("R2", 3.3)],
        &[("IN", "R1.1"), ("R1.2", "MID"), ("MID", "E1.1"), ("E1.2", "R2.1"), ("R2.2", "OUT")],
    );
    let state = OperatingState::default();
    let mut sweep = Sweep::new(&c, &state, &[]);
    let mut compared = 0;
    for f in fault::all(&c) {
        for instrument in Instrument::ALL {
            let (red, black) =
                if instrument == Instrument::Amps { ("w4", "") } else { ("MID", "OUT") };
            let probe = Probe { instrument, red: red.into(), black: black.into() };
            let leads = probe.leads(&c).unwrap();
            let changes: Vec<_> = f.changes.iter().copied().chain(leads.change()).collect();
            let quick = leads.shown_at(&sweep.solve_at(&changes, &leads.nodes(&c))).value();
            let slow = leads.shown(&c, &c.solve(&state, &f.changes, leads.extra())).value();
            let same = quick == slow || (quick - slow).abs() < 2e-3 * (1.0 + slow.abs());
            assert!(same, "{} {instrument:?}: {quick} in the sweep, {slow} from rest", f.id);
            compared += 1;
        }
    }
    assert!(compared > 1000, "{compared}");
}
