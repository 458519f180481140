//! Every element kind at operating points worked out by hand, and with each of its failures.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::{bench, resistor};
use circuit::{Circuit, Instrument, Probe, fault};
use serde_json::{Value, json};
use std::sync::Arc;
use vehicle::OperatingState;

fn part(id: &str, kind: &str, element: Value) -> Value {
    json!({"id": id, "name": id, "kind": kind, "place": "p", "elements": [element]})
}

/// One part between IN (pin 1) and OUT (pin 2), perhaps behind a resistance.
fn across(kind: &str, element: Value, behind: f64, more: Value) -> Arc<Circuit> {
    let parts = vec![resistor("RS", behind), part("X", kind, element)];
    bench(parts, &[("IN", "RS.1"), ("RS.2", "MID"), ("MID", "X.1"), ("X.2", "OUT")], more)
}

fn set(state: Value) -> OperatingState {
    serde_json::from_value(state).unwrap()
}

fn read(c: &Arc<Circuit>, state: Value, faults: &[&str], red: &str, black: &str) -> f64 {
    let changes: Vec<_> =
        faults.iter().flat_map(|id| fault::by_id(c, id).unwrap().changes).collect();
    let instrument = if black.is_empty() { Instrument::Amps } else { Instrument::Volts };
    let probe = Probe { instrument, red: red.into(), black: black.into() };
    c.measure(&set(state), &changes, &probe).unwrap().value()
}

fn volts(c: &Arc<Circuit>, state: Value, at: &str) -> f64 {
    read(c, state, &[], at, "G")
}

fn near(is: f64, should: f64, share: f64) {
    assert!((is - should).abs() <= share * should.abs().max(0.1), "{is} is not {should}");
}

const CONDUCTOR_OF_X: &str = "w6";

fn stimuli(id: &str, rest: f64) -> Value {
    json!({"stimuli": [{"id": id, "name": id, "unit": "x", "rest": rest}]})
}

#[test]
fn a_fuse_holds_its_rating_and_blows_a_third_above_it() {
    // 0.7 Ohm and 30 mOhm of contacts and battery: 12 / 0.73 = 16.4 A of 20.25 A: holds.
    let c = across(
        "resistor",
        json!({"type": "resistor", "a": "1", "b": "2", "ohms": 0.35}),
        0.35,
        json!({}),
    );
    assert!(read(&c, json!({}), &[], CONDUCTOR_OF_X, "") > 15.0);
    // Half of it: 12 / 0.38 = 31 A: blown, nothing flows.
    let c = across(
        "resistor",
        json!({"type": "resistor", "a": "1", "b": "2", "ohms": 0.175}),
        0.175,
        json!({}),
    );
    near(read(&c, json!({}), &[], CONDUCTOR_OF_X, ""), 0.0, 1e-3);
}

#[test]
fn a_battery_fades_when_discharged_and_a_charger_limits_its_current() {
    let parts = |charge: Value| {
        let mut battery = json!({"type": "battery", "plus": "+", "minus": "-", "open_volts": 12.6, "internal_ohms": 0.01});
        battery["charge"] = charge;
        json!({"id": "B2", "name": "B2", "kind": "battery", "place": "p", "elements": [battery,
            {"type": "charger", "plus": "+", "minus": "-", "set_volts": 14.1, "limit_amps": 25, "internal_ohms": 0.02}]})
    };
    let c = bench(
        vec![parts(json!("soc")), resistor("RL", 0.5)],
        &[("B2.+", "P"), ("P", "RL.1"), ("RL.2", "OUT"), ("B2.-", "OUT")],
        stimuli("soc", 100.0),
    );
    let full = volts(&c, json!({}), "P");
    // 12.6 V x 0.5 / (0.5 + 0.01 + four terminals of 3 mOhm) = 12.07 V across the load.
    near(full, 12.6 * 0.506 / 0.522, 5e-3);
    let low = volts(&c, json!({"stimuli": {"soc": 20.0}}), "P");
    assert!(low < full - 0.3, "{low} {full}");
    // The charger gives 25 A at most: the load takes about 24, the battery hardly gives any more.
    let charging = volts(&c, json!({"charger": true}), "P");
    assert!(charging > full + 0.2 && charging < 14.1, "{charging}");
}

#[test]
fn a_generator_regulates_until_it_can_give_no_more() {
    let generator = part(
        "GEN",
        "generator",
        json!({"type": "generator", "plus": "B", "minus": "D", "set_volts": 14.3, "limit_amps": 50, "internal_ohms": 0.01}),
    );
    let c = |ohms: f64| {
        bench(
            vec![generator.clone(), resistor("RL", ohms)],
            &[("GEN.B", "P"), ("GEN.D", "OUT"), ("P", "RL.1"), ("RL.2", "OUT")],
            json!({}),
        )
    };
    let running = || json!({"key": "15", "engine": "running"});
    // 14.3 V x 1.006 / 1.022 over one ohm.
    near(volts(&c(1.0), running(), "P"), 14.08, 3e-3);
    // 50 A into 0.1 Ohm and two terminals: 5.3 V, far below its set-point.
    near(volts(&c(0.1), running(), "P"), 50.0 * 0.106, 5e-3);
    near(volts(&c(1.0), json!({"key": "15"}), "P"), 0.0, 1e-2);
}

#[test]
fn loads_draw_what_their_ratings_say() {
    let lamp = json!({"type": "lamp", "plus": "1", "minus": "2", "rated_volts": 12, "rated_watts": 21, "effect": "e"});
    near(
        read(&across("lamp", lamp, 0.001, json!({})), json!({}), &[], CONDUCTOR_OF_X, ""),
        1.75,
        5e-3,
    );
    // A winding of 0.8 Ohm at 12 V and 4 A: back-EMF; blocked it draws 12 / 0.83 = 14.4 A.
    let motor = json!({"type": "motor", "plus": "1", "minus": "2", "winding_ohms": 0.8, "rated_volts": 12, "rated_amps": 4, "breakaway_amps": 0.7, "effect": "e"});
    let c = across("motor", motor, 0.001, json!({}));
    near(read(&c, json!({}), &[], CONDUCTOR_OF_X, ""), 3.98, 1e-2);
    let blocked = fault::all(&c).into_iter().find(|f| f.id.mode == "blocked").unwrap();
    near(read(&c, json!({}), &[&blocked.id.to_string()], CONDUCTOR_OF_X, ""), 12.0 / 0.829, 2e-2);
    // With a dry bearing it draws 2.5 times its rating: 10 A at 12 V, and 0.03 Ohm on the way takes little.
    near(read(&c, json!({}), &["part:X:drags:2.5"], CONDUCTOR_OF_X, ""), 9.97, 2e-2);
    // An LED chain of 3 V behind 450 Ohm: (12 - 3) / 450 = 20 mA.
    let led = json!({"type": "led_lamp", "plus": "1", "minus": "2", "forward_volts": 3, "ohms": 450, "rated_amps": 0.02, "effect": "e"});
    near(
        read(&across("lamp", led, 0.001, json!({})), json!({}), &[], CONDUCTOR_OF_X, ""),
        0.02,
        2e-3,
    );
    // A heater of 1.5 Ohm that doubles at 6 A: 1.53 i + 1.5 i^3 / 36 = 12. At 4.8 A 7.34 + 4.61 =
    // 11.95, at 4.82 A 7.37 + 4.67 = 12.04.
    let heater = json!({"type": "heater", "plus": "1", "minus": "2", "ohms": 1.5, "knee_amps": 6, "effect": "e"});
    near(
        read(&across("heater", heater, 0.001, json!({})), json!({}), &[], CONDUCTOR_OF_X, ""),
        4.81,
        5e-3,
    );
    // A solenoid is its resistance, and pulls from 7 V on: behind 12 Ohm it is left 6 V.
    let solenoid = json!({"type": "solenoid", "plus": "1", "minus": "2", "ohms": 12, "pull_in_volts": 7, "effect": "e"});
    for (behind, pulls) in [(0.01, 1.0), (12.0, 0.0)] {
        let c = across("solenoid", solenoid.clone(), behind, json!({}));
        let s = c.solve(&OperatingState::default(), &[], None);
        assert_eq!(s.effect(&c, c.part("X").unwrap()), Some(pulls));
    }
}

#[test]
fn junctions_pass_one_way() {
    // 0.8 V at 1 A, 50 mOhm of it ohmic; behind 10 Ohm about 1.12 A.
    let diode = |a: &str, k: &str| json!({"type": "diode", "anode": a, "cathode": k, "forward_volts": 0.8, "rated_amps": 1, "ohms": 0.05});
    near(volts(&across("diode", diode("1", "2"), 10.0, json!({})), json!({}), "MID"), 0.81, 2e-2);
    near(volts(&across("diode", diode("2", "1"), 10.0, json!({})), json!({}), "MID"), 12.0, 1e-3);
    // A 5.6 V zener with 5 Ohm behind 100: 5.6 + 5 x (12 - 5.6) / 105 = 5.90 V and a knee of some tenths.
    let zener =
        json!({"type": "zener", "anode": "2", "cathode": "1", "zener_volts": 5.6, "ohms": 5});
    near(volts(&across("diode", zener, 100.0, json!({})), json!({}), "MID"), 5.9, 6e-2);
}

#[test]
fn a_relay_pulls_in_at_its_voltage() {
    let relay = part(
        "K1",
        "relay",
        json!({"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30", "make": "87", "rest": "87a", "coil_ohms": 80, "pull_in_volts": 7, "drop_out_volts": 2, "contact_ohms": 0.01, "suppression_ohms": 1000}),
    );
    let c = |behind: f64| {
        bench(
            vec![resistor("RS", behind), relay.clone(), resistor("RL", 10.0), resistor("RR", 10.0)],
            &[
                ("IN", "RS.1"),
                ("RS.2", "K1.86"),
                ("K1.85", "OUT"),
                ("IN", "K1.30"),
                ("K1.87", "RL.1"),
                ("RL.2", "OUT"),
                ("K1.87a", "RR.1"),
                ("RR.2", "OUT"),
            ],
            json!({}),
        )
    };
    // 80 Ohm beside 1 kOhm are 74.1: behind 60 Ohm 12 x 74.1 / 134.1 = 6.63 V: rest.
    let off = c(60.0);
    near(volts(&off, json!({}), "K1.87"), 0.0, 1e-3);
    assert!(volts(&off, json!({}), "K1.87a") > 11.0);
    // Behind 45 Ohm 7.46 V: pulled in.
    let on = c(45.0);
    near(volts(&on, json!({}), "K1.86"), 7.46, 5e-3);
    assert!(volts(&on, json!({}), "K1.87") > 11.0);
    near(volts(&on, json!({}), "K1.87a"), 0.0, 1e-3);
    // Its failures: coil open rests, contact welded feeds both ways.
    assert!(read(&on, json!({}), &["part:K1:coil_open"], "K1.87a", "G") > 11.0);
    assert!(read(&off, json!({}), &["part:K1:welded"], "K1.87", "G") > 11.0);
    near(read(&on, json!({}), &["part:K1:contact_open"], "K1.87", "G"), 0.0, 1e-3);
}

#[test]
fn switches_follow_the_state() {
    let coded = json!({"id": "X", "name": "X", "kind": "switch", "place": "p", "positions": ["off", "park", "low"],
        "elements": [{"type": "coded_switch", "a": "1", "b": "2", "ohms_in": {"off": 4700, "park": 1500, "low": 470}}]});
    let c = bench(
        vec![resistor("RS", 1000.0), coded],
        &[("IN", "RS.1"), ("RS.2", "MID"), ("MID", "X.1"), ("X.2", "OUT")],
        json!({}),
    );
    // 12 x 4.7 / 5.7, 12 x 1.5 / 2.5, 12 x 0.47 / 1.47.
    near(volts(&c, json!({}), "MID"), 9.895, 2e-3);
    near(volts(&c, json!({"switches": {"X": "park"}}), "MID"), 7.2, 2e-3);
    near(volts(&c, json!({"switches": {"X": "low"}}), "MID"), 3.837, 2e-3);
}

#[test]
fn sensors_follow_their_stimulus() {
    // NTC of 10 kOhm, beta 3950, at 80 degC: exp(3950 (1/353.15 - 1/298.15)) = exp(-2.0633) = 0.1270.
    let ntc = json!({"type": "thermistor", "a": "1", "b": "2", "ohms_at_25": 10000, "beta": 3950, "stimulus": "t"});
    let c = across("sensor", ntc, 1270.0, stimuli("t", 80.0));
    near(volts(&c, json!({}), "MID"), 6.0, 5e-3);
    near(volts(&c, json!({"stimuli": {"t": 25.0}}), "MID"), 12.0 * 10.0 / 11.27, 3e-3);
    // Grown old it has 1.7 times its resistance at any temperature: 12 x 1270 / (1270 + 1.7 x 1270) = 4.444,
    // and cold 12 x 17000 / 18270 = 11.166 V across it.
    let old = ["part:X:drifted:1.7"];
    near(read(&c, json!({}), &old, "MID", "G"), 12.0 - 12.0 / 2.7, 5e-3);
    near(read(&c, json!({"stimuli": {"t": 25.0}}), &old, "MID", "G"), 11.166, 3e-3);
    // A table between 50 (130 Ohm) and 100 (20 Ohm): 75 gives 75 Ohm.
    let level = json!({"type": "table_sensor", "a": "1", "b": "2", "stimulus": "l", "table": [[0, 280], [50, 130], [100, 20]]});
    near(volts(&across("sensor", level, 75.0, stimuli("l", 75.0)), json!({}), "MID"), 6.0, 5e-3);
    // A two-wire sensor draws 7 or 14 mA: over 100 Ohm 0.7 or 1.4 V.
    let wheel = json!({"type": "current_sensor", "plus": "1", "minus": "2", "low_amps": 0.007, "high_amps": 0.014, "min_volts": 4, "threshold": 0.5, "stimulus": "w"});
    let c = across("sensor", wheel, 100.0, stimuli("w", 0.0));
    near(volts(&c, json!({}), "MID"), 11.3, 2e-3);
    near(volts(&c, json!({"stimuli": {"w": 1.0}}), "MID"), 10.6, 2e-3);
}

#[test]
fn three_wire_sensors_put_out_their_share_or_pull_low() {
    let three = |element: Value, more: Value| {
        bench(
            vec![part("X", "sensor", element), resistor("RP", 10_000.0)],
            &[("IN", "X.1"), ("X.2", "OUT"), ("X.3", "S"), ("RP.1", "S"), ("RP.2", "IN")],
            more,
        )
    };
    // Half way between 10 and 90 per cent of 12 V, 470 Ohm out, pulled up by 10 kOhm:
    // 6 + 6 x 470 / 10470 = 6.27 V.
    let pressure = json!({"type": "ratiometric", "supply": "1", "ground": "2", "output": "3", "draw_amps": 0.006, "output_ohms": 470, "stimulus": "p", "table": [[0, 0.1], [100, 0.9]]});
    let c = three(pressure, stimuli("p", 50.0));
    near(volts(&c, json!({}), "S"), 6.27, 5e-3);
    // With 0.6 of its slope 10 + 0.6 x 40 = 34 per cent: 4.08 + 7.92 x 0.0449 = 4.44 V.
    near(read(&c, json!({}), &["part:X:slope_low"], "S", "G"), 4.44, 5e-3);
    // A Hall switch pulls low through 25 Ohm: 12 x 25 / 10025 = 30 mV.
    let hall = json!({"type": "hall_switch", "supply": "1", "ground": "2", "output": "3", "draw_amps": 0.012, "on_ohms": 25, "min_volts": 4.5, "threshold": 0.5, "stimulus": "c"});
    let c = three(hall, stimuli("c", 0.0));
    near(volts(&c, json!({}), "S"), 12.0, 5e-3);
    near(volts(&c, json!({"stimuli": {"c": 1.0}}), "S"), 0.03, 5e-2);
    assert!(read(&c, json!({"stimuli": {"c": 1.0}}), &["part:X:stuck_high"], "S", "G") > 11.0);
    assert!(read(&c, json!({}), &["part:X:stuck_low"], "S", "G") < 0.1);
}

/// A module with its supply, a driver of output `o` at pin P and a load from there.
fn driver(element: Value, load_to: &str, ohms: f64) -> Arc<Circuit> {
    let supply = json!({"type": "supply", "plus": "30", "minus": "31", "awake_amps": 0.3, "asleep_amps": 0.003, "min_volts": 6.5, "max_volts": 16.5});
    let module = json!({"id": "A1", "name": "A1", "kind": "module", "place": "p", "elements": [supply, element]});
    bench(
        vec![module, resistor("RS", 0.01), resistor("RL", ohms)],
        &[("IN", "RS.1"), ("RS.2", "A1.30"), ("A1.31", "OUT"), ("A1.P", "RL.1"), ("RL.2", load_to)],
        json!({"outputs": [{"id": "o", "name": "o", "module": "A1", "load": "RL", "did": 1, "limit_s": 10}]}),
    )
}

#[test]
fn drivers_switch_sense_and_protect_themselves() {
    let on = || json!({"outputs": ["o"]});
    let low = |ohms| {
        driver(
            json!({"type": "low_side", "pin": "P", "ground": "31", "output": "o", "on_ohms": 0.1, "limit_amps": 5, "sense_ohms": 100_000}),
            "IN",
            ohms,
        )
    };
    // On: 12 x 0.1 / 12.1 plus a few terminals; off: the sense resistor pulls a little: 12 V.
    near(volts(&low(12.0), on(), "A1.P"), 0.106, 5e-2);
    near(volts(&low(12.0), json!({}), "A1.P"), 12.0, 1e-3);
    // 1 Ohm would take 11 A: it latches off instead, and so it does into a short.
    near(volts(&low(1.0), on(), "A1.P"), 12.0, 1e-3);
    // With the load gone the sense resistor shows an open load: nothing holds the pin up.
    near(read(&low(12.0), json!({}), &["wire:w7:open"], "A1.P", "G"), 0.0, 1e-2);
    let high = |ohms| {
        driver(
            json!({"type": "high_side", "supply": "30", "pin": "P", "ground": "31", "output": "o", "on_ohms": 0.1, "limit_amps": 5, "sense_ohms": 47_000}),
            "OUT",
            ohms,
        )
    };
    assert!(volts(&high(12.0), on(), "A1.P") > 11.7);
    near(volts(&high(12.0), json!({}), "A1.P"), 0.0, 1e-1);
    near(volts(&high(1.0), on(), "A1.P"), 0.0, 1e-1);
    // Its own failures: an output that does not switch off, and one that does not switch on.
    let all = fault::all(&high(12.0));
    let own = |mode: &str| all.iter().find(|f| f.id.mode.contains(mode)).unwrap().id.to_string();
    assert!(read(&high(12.0), json!({}), &[&own("driver_shorted")], "A1.P", "G") > 11.0);
    near(read(&high(12.0), on(), &[&own("driver_open")], "A1.P", "G"), 0.0, 1e-1);
}

#[test]
fn a_module_lives_only_within_its_supply_range() {
    let c = driver(
        json!({"type": "high_side", "supply": "30", "pin": "P", "ground": "31", "output": "o", "on_ohms": 0.1, "limit_amps": 5, "sense_ohms": 47_000}),
        "OUT",
        12.0,
    );
    let at = c.part("A1").unwrap();
    let alive = |faults: &[&str]| {
        let changes: Vec<_> =
            faults.iter().flat_map(|id| fault::by_id(&c, id).unwrap().changes).collect();
        c.solve(&set(json!({"outputs": ["o"]})), &changes, None).alive_parts(&c)[at]
    };
    assert!(alive(&[]));
    // 10 Ohm in its supply: it would start with 12 - 3 = 9 V, and with the load drops to
    // 12 - 10 x 1.3 A: below 6.5 V. 2.2 Ohm leave 9.5 V.
    assert!(alive(&["wire:w5:series:2.2"]));
    assert!(!alive(&["wire:w5:series:100"]));
    assert!(!alive(&["wire:w5:open"]) && !alive(&["wire:w6:open"]));
}

#[test]
fn an_h_bridge_turns_both_ways() {
    let supply = json!({"type": "supply", "plus": "30", "minus": "31", "awake_amps": 0.1, "asleep_amps": 0.003, "min_volts": 6.5, "max_volts": 16.5});
    let bridge = json!({"type": "h_bridge", "supply": "30", "ground": "31", "a": "A", "b": "B", "on_ohms": 0.05, "limit_amps": 8, "sense_ohms": 22000, "forward": "f", "backward": "r"});
    let module = json!({"id": "A1", "name": "A1", "kind": "module", "place": "p", "elements": [supply, bridge]});
    let output = |id: &str, did: u16| json!({"id": id, "name": id, "module": "A1", "load": "RL", "did": did, "limit_s": 10});
    let c = bench(
        vec![module, resistor("RL", 6.0)],
        &[("IN", "A1.30"), ("A1.31", "OUT"), ("A1.A", "RL.1"), ("A1.B", "RL.2")],
        json!({"outputs": [output("f", 1), output("r", 2)]}),
    );
    // 12 x 6 / 6.13 either way.
    let across = |state| read(&c, state, &[], "RL.1", "RL.2");
    near(across(json!({"outputs": ["f"]})), 11.74, 5e-3);
    near(across(json!({"outputs": ["r"]})), -11.74, 5e-3);
    near(across(json!({})), 0.0, 1e-2);
}

#[test]
fn every_failure_of_every_part_has_an_answer() {
    // All kinds on one bench; each failure settles or is known to chatter, and none is a panic.
    let kinds = [
        (
            "lamp",
            json!({"type": "lamp", "plus": "1", "minus": "2", "rated_volts": 12, "rated_watts": 21, "effect": "e"}),
        ),
        (
            "motor",
            json!({"type": "motor", "plus": "1", "minus": "2", "winding_ohms": 0.8, "rated_volts": 12, "rated_amps": 4, "breakaway_amps": 0.7, "effect": "e"}),
        ),
        (
            "lamp",
            json!({"type": "led_lamp", "plus": "1", "minus": "2", "forward_volts": 3, "ohms": 450, "rated_amps": 0.02, "effect": "e"}),
        ),
        (
            "heater",
            json!({"type": "heater", "plus": "1", "minus": "2", "ohms": 1.5, "knee_amps": 6, "effect": "e"}),
        ),
        (
            "solenoid",
            json!({"type": "solenoid", "plus": "1", "minus": "2", "ohms": 12, "pull_in_volts": 7, "effect": "e"}),
        ),
        (
            "diode",
            json!({"type": "diode", "anode": "1", "cathode": "2", "forward_volts": 0.8, "rated_amps": 1, "ohms": 0.05}),
        ),
        (
            "sensor",
            json!({"type": "thermistor", "a": "1", "b": "2", "ohms_at_25": 10000, "beta": 3950, "stimulus": "s"}),
        ),
        ("fuse", json!({"type": "fuse", "a": "1", "b": "2", "rating_amps": 5})),
    ];
    let mut solved = 0;
    for (kind, element) in kinds {
        for behind in [0.001, 1.0, 1e6] {
            let c = across(kind, element.clone(), behind, stimuli("s", 20.0));
            for f in fault::all(&c) {
                let s = c.solve(&OperatingState::default(), &f.changes, None);
                assert!(s.converged || !s.chattering.is_empty(), "{kind} {} {behind}", f.id);
                assert!(s.volts.iter().all(|v| v.is_finite() && v.abs() < 15.0), "{}", f.id);
                solved += 1;
            }
        }
    }
    assert!(solved > 3000, "{solved}");
}
