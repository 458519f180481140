//! Who misses whom: messages that no longer arrive, and the codes that tell of it.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::software::{self, Verdict};
use circuit::{Change, Circuit, fault, hearing};
use std::collections::BTreeSet;
use std::sync::{Arc, LazyLock};
use vehicle::{OperatingState, Vehicle};

const FILE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");

fn file() -> String {
    std::fs::read_to_string(FILE).unwrap()
}

static WREN: LazyLock<Arc<Circuit>> =
    LazyLock::new(|| Arc::new(Circuit::new(Vehicle::from_json(&file()).unwrap()).unwrap()));

fn on() -> OperatingState {
    WREN.vehicle.states.iter().find(|s| s.id == "on").unwrap().state.clone()
}

fn of(id: &str) -> Vec<Change> {
    fault::by_id(&WREN, id).unwrap().changes
}

/// Lost-communication codes that fail, as `module code`.
fn missed(changes: &[Change]) -> BTreeSet<String> {
    let lost = hearing::unheard(&WREN, &on(), changes).lost;
    let solution = WREN.solve(&on(), changes, None);
    software::monitors(&WREN, &solution, &lost)
        .into_iter()
        .zip(&WREN.vehicle.monitors)
        .filter(|(v, m)| *v == Verdict::Failed && m.failure_type == "87")
        .map(|(_, m)| format!("{} {}", m.module, m.code))
        .collect()
}

/// Whoever takes a message of a part, as `module code`.
fn listeners(sender: &str) -> BTreeSet<String> {
    let v = &WREN.vehicle;
    let sent: Vec<&str> =
        v.messages.iter().filter(|m| m.sender == sender).map(|m| m.id.as_str()).collect();
    let arrives = |id: &str| {
        v.signals.iter().find(|s| s.id == id).is_some_and(
            |s| matches!(&s.from, vehicle::SignalSource::Arrives(m) if sent.contains(&m.as_str())),
        )
    };
    v.monitors
        .iter()
        .filter(|m| m.fails.signals().into_iter().any(arrives))
        .map(|m| format!("{} {}", m.module, m.code))
        .collect()
}

fn wire_to(part: &str, pin: &str) -> vehicle::WireId {
    let connector = WREN.vehicle.connectors.iter().find(|c| c.part.as_deref() == Some(part));
    let end = format!("{}.{pin}", connector.unwrap().id);
    WREN.vehicle.wires.iter().find(|w| w.from == end || w.to == end).unwrap().id.clone()
}

#[test]
fn nobody_misses_anybody_on_a_sound_vehicle() {
    assert_eq!(missed(&[]), BTreeSet::new());
}

#[test]
fn a_module_without_ground_is_missed_by_all_its_listeners_and_by_nobody_else() {
    let ground = wire_to("A3", "31");
    let missed = missed(&of(&format!("wire:{ground}:open")));
    assert!(!missed.is_empty());
    assert_eq!(missed, listeners("A3"));
}

#[test]
fn a_module_with_an_open_bus_stub_is_missed_and_misses_all() {
    // It works, so its own monitors run: it misses everybody it listens to. A tester cannot read
    // that now, and will once the stub is mended.
    let stub = wire_to("A25", "H");
    let found = missed(&of(&format!("wire:{stub}:open")));
    let own = |m: &vehicle::Monitor| m.module == "A25" && m.failure_type == "87";
    let mut expected = listeners("A25");
    expected
        .extend(WREN.vehicle.monitors.iter().filter(|m| own(m)).map(|m| format!("A25 {}", m.code)));
    assert_eq!(found, expected);
}

#[test]
fn a_slave_that_holds_its_line_low_takes_the_others_with_it() {
    let all: BTreeSet<String> =
        ["A50", "A51", "A52", "A53"].into_iter().flat_map(listeners).collect();
    assert_eq!(all.len(), 4);
    assert_eq!(missed(&of("part:A50:stuck_dominant")), all);
    assert_eq!(missed(&of("part:A50:silent")), listeners("A50"));
}

#[test]
fn without_its_gateway_a_bus_goes_on_and_nothing_crosses() {
    let ground = wire_to("A1", "31");
    let missed = missed(&of(&format!("wire:{ground}:open")));
    assert!(missed.is_superset(&listeners("A1")), "{missed:?}");
    // The gearbox hears the engine on their own bus.
    assert!(!missed.contains("A11 U0100"), "{missed:?}");
    // The climate module sits on another one than the engine.
    assert!(missed.contains("A23 U0100"), "{missed:?}");
}

#[test]
fn what_arrives_is_the_senders_value_and_else_a_substitute() {
    let state = on();
    let value = |changes: &[Change], id: &str| {
        let lost = hearing::unheard(&WREN, &state, changes).lost;
        software::signal(&WREN, &WREN.solve(&state, changes, None), &lost, id)
    };
    let sent = value(&[], "eop_volts");
    assert!((value(&[], "a26_rx_eop_volts") - sent).abs() < 1e-9);
    let dead = of(&format!("wire:{}:open", wire_to("A10", "31")));
    assert!((value(&dead, "a26_rx_eop_volts") - 1.0).abs() < 1e-9, "as the file says");
}

#[test]
fn a_file_that_sends_what_is_not_there_is_refused_with_the_way_out() {
    for (was, now, says) in [
        ("\"sender\": \"A13\"", "\"sender\": \"A130\"", "there is no part “A130”"),
        (
            "\"sender\": \"A13\", \"bus\": \"drive\"",
            "\"sender\": \"A13\", \"bus\": \"body\"",
            "no member of bus",
        ),
        ("\"arrives\": \"steering\"", "\"arrives\": \"stering\"", "did you mean “steering”?"),
        ("[\"gearbox_oil_volts\", ", "[\"cts_volts\", ", "no value that A11 works out itself"),
        ("\"gateway\": \"A1\"", "\"gateway\": \"A111\"", "there is no part “A111”"),
    ] {
        let text = file();
        assert!(text.contains(was), "{was}");
        let refused = Vehicle::from_json(&text.replacen(was, now, 1)).unwrap_err().to_string();
        assert!(refused.contains(says), "{refused}");
    }
}
