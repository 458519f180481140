//! What live values stand for, and how they stand to what a sound vehicle would show.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::common::{MODEL, state};
use circuit::fault;
use circuit::hearing;
use circuit::software;
use diagnosis::live::{self, Meaning, Stands};
use diagnosis::{Evidence, Finding, words};
use std::collections::BTreeMap;
use std::sync::Arc;
use vehicle::{Amount, OperatingState, SignalIx};

fn number(id: &str) -> SignalIx {
    MODEL.circuit.vehicle.signals.position(|s| s.id == id).unwrap()
}

/// What every module says exactly, with faults.
fn said(state: &OperatingState, faults: &[&str]) -> BTreeMap<String, f64> {
    let c = &MODEL.circuit;
    let changes: Vec<_> =
        faults.iter().flat_map(|id| fault::by_id(c, id).unwrap().changes).collect();
    let solution = c.solve(state, &changes, None);
    let lost = hearing::unheard(&Arc::clone(c), state, &changes).lost;
    let all = c.vehicle.signals.iter();
    all.map(|s| (s.id.to_string(), software::signal(c, &solution, &lost, &s.id))).collect()
}

/// How every signal stands that does not as expected, or depends.
fn odd(state: &OperatingState, faults: &[&str]) -> BTreeMap<String, Stands> {
    let expected = live::expected(&MODEL, state);
    said(state, faults)
        .into_iter()
        .map(|(id, raw)| {
            let k = number(&id);
            (id, live::stands(&MODEL, k, expected[k], raw))
        })
        .filter(|(_, s)| !matches!(s, Stands::AsExpected | Stands::Depends))
        .collect()
}

fn meaning(id: &str, raw: f64) -> Meaning {
    MODEL.charts().meaning(&MODEL, number(id), raw)
}

#[test]
fn a_sound_vehicle_shows_what_is_expected_of_it() {
    for name in ["on", "running", "low_beam", "brake"] {
        assert_eq!(odd(&state(name), &[]), BTreeMap::new(), "{name}");
    }
}

#[test]
fn what_a_state_says_of_the_temperature_is_expected_of_its_sensor() {
    let mut warm = state("running");
    warm.stimuli.insert("coolant_temperature".into(), Amount(90.0));
    assert!(live::expected(&MODEL, &state("running"))[number("cts_volts")].depends);
    let expected = live::expected(&MODEL, &warm)[number("cts_volts")];
    assert!(!expected.depends);
    let felt = meaning("cts_volts", expected.value);
    assert!((felt.value.unwrap() - 90.0).abs() < 1.0 && felt.unit == "°C", "{felt:?}");
    assert_eq!(odd(&warm, &[]), BTreeMap::new());
    // A cold sensor on a warm engine differs; the other one behind the same conductors does not.
    let cold = said(&state("running"), &[])["cts_volts"];
    assert_eq!(live::stands(&MODEL, number("cts_volts"), expected, cold), Stands::Differs);
}

#[test]
fn an_open_sensor_is_not_believed_and_what_the_module_takes_instead_is_not_real() {
    let on = state("on");
    let open = "part:B6:open";
    assert_eq!(odd(&on, &[open]).get("cts_volts"), Some(&Stands::NotBelieved));
    let raw = said(&on, &[open])["cts_volts"];
    assert_eq!(
        meaning("cts_volts", raw),
        Meaning { value: Some(90.0), name: None, unit: "°C".into(), real: false }
    );
}

#[test]
fn a_shorted_switch_input_has_the_name_of_what_it_feigns() {
    let on = state("on");
    // The conductor from the fuel flap switch to the sliding door module.
    let short = "wire:490:ground:2";
    let raw = said(&on, &[short])["flap_switch"];
    assert_eq!(meaning("flap_switch", raw).name.as_deref(), Some("open"), "{short}");
    assert_eq!(odd(&on, &[short]).get("flap_switch"), Some(&Stands::Differs));
    assert_eq!(meaning("flap_switch", said(&on, &[])["flap_switch"]).name.as_deref(), Some("shut"));
}

#[test]
fn what_does_not_arrive_is_put_in_its_place_by_the_receiver() {
    // The engine module is dead: the climate module goes on with a value of its own.
    let on = state("on");
    let dead = MODEL.circuit.vehicle.parts.iter().find(|p| p.id == "A10").unwrap();
    assert!(dead.module.is_some());
    let without = on.without("X10");
    let said = said(&without, &[]);
    assert_eq!(
        meaning("a23_hears_engine_2", said["a23_hears_engine_2"]).name.as_deref(),
        Some("missing")
    );
    let put = meaning("a23_rx_cts_volts", said["a23_rx_cts_volts"]);
    assert!(!put.real && put.unit == "°C", "{put:?}");
    // 2.5 V of 5 V behind 2200 Ω is a sensor of 2200 Ω: 25 °C by its law.
    assert!((put.value.unwrap() - 25.0).abs() < 1.0, "{put:?}");
}

#[test]
fn what_a_value_stands_for_is_said_in_the_ledger_too() {
    let said = |signal: &str, value: f64| {
        let finding = Finding::Signal { signal: signal.into(), value };
        words::evidence(&MODEL, &Evidence::new(state("on"), finding))
    };
    assert!(
        said("flap_switch", 0.01).ends_with("in A22: 0.01 V, open"),
        "{}",
        said("flap_switch", 0.01)
    );
    assert!(said("cts_volts", 4.98).ends_with("4.98 V, 90.0 °C in its place"));
    assert!(said("gw_supply", 12.3).ends_with("in A1: 12.30 V"));
    // 2.5 V behind 2200 Ω of 5 V: 2200 Ω, which is 25 °C by the sensor's law.
    assert!(said("cts_volts", 2.5).ends_with("2.50 V, 25.0 °C"), "{}", said("cts_volts", 2.5));
}

#[test]
fn a_state_without_a_name_is_told_by_the_names_of_what_is_on() {
    let mut odd = state("on");
    odd.outputs.insert("low_beam_left".into());
    odd.switches.insert("S26".into(), "pressed".into());
    odd.stimuli.insert("coolant_temperature".into(), Amount(90.0));
    assert_eq!(
        words::state(&MODEL, &odd),
        "Key 15, Low beam left on, Windscreen heater button pressed, Coolant temperature 90 °C"
    );
    assert_eq!(words::state(&MODEL, &state("warm")), "Running, warm");
}
