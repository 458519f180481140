//! Twenty situations every electrical technician knows, against values worked out by hand. The
//! page `docs/situations.md` is written from the same list; `CHALKEUS_WRITE=1` writes it anew.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::{bench, resistor};
use circuit::{Circuit, Instrument, Probe, fault};
use serde_json::{Value, json};
use std::fmt::Write;
use std::sync::Arc;
use vehicle::OperatingState;

/// A reading and what it should be.
struct Reading {
    what: &'static str,
    faults: &'static [&'static str],
    state: Value,
    instrument: Instrument,
    red: &'static str,
    black: &'static str,
    /// The arithmetic and its result.
    by_hand: &'static str,
    should: f64,
}

struct Situation {
    title: &'static str,
    why: &'static str,
    circuit: Arc<Circuit>,
    readings: Vec<Reading>,
}

/// A reading in volts with nothing special set.
fn volts(
    what: &'static str,
    faults: &'static [&'static str],
    red: &'static str,
    by_hand: &'static str,
    should: f64,
) -> Reading {
    let (instrument, black, state) = (Instrument::Volts, "G", json!({}));
    Reading { what, faults, state, instrument, red, black, by_hand, should }
}

fn part(id: &str, kind: &str, element: Value) -> Value {
    json!({"id": id, "name": id, "kind": kind, "place": "p", "elements": [element]})
}

fn switch(id: &str) -> Value {
    json!({"id": id, "name": id, "kind": "switch", "place": "p", "positions": ["off", "on"], "elements": [
        {"type": "contact", "a": "1", "b": "2", "contact_ohms": 0.01, "closed_in": ["on"]}]})
}

fn relay(id: &str) -> Value {
    part(
        id,
        "relay",
        json!({"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30",
        "make": "87", "rest": "87a", "coil_ohms": 80, "pull_in_volts": 7, "drop_out_volts": 2,
        "contact_ohms": 0.01}),
    )
}

/// One load of 4 Ohm from IN over MID to OUT.
fn load() -> Arc<Circuit> {
    bench(vec![resistor("R1", 4.0)], &[("IN", "MID"), ("MID", "R1.1"), ("R1.2", "OUT")], json!({}))
}

/// A module with a 5 V pull-up of 2.2 kOhm and an NTC of 2.5 kOhm, hung between pin S and ground.
fn sensor() -> Arc<Circuit> {
    let module = part(
        "A1",
        "module",
        json!({"type": "analog_input", "pin": "S", "ground": "31", "pull_volts": 5, "pull_ohms": 2200}),
    );
    bench(
        vec![
            module,
            part("B1", "sensor", json!({"type": "resistor", "a": "1", "b": "2", "ohms": 2500})),
        ],
        &[("A1.S", "MID"), ("MID", "B1.1"), ("B1.2", "OUT"), ("A1.31", "OUT")],
        json!({}),
    )
}

fn situations() -> Vec<Situation> {
    let on = || json!({"switches": {"S1": "on"}});
    let off = || json!({"battery_off": true});
    let mut list = Vec::new();
    let mut add = |title, why, circuit, readings| {
        list.push(Situation { title, why, circuit, readings });
    };

    add(
        "A resistive contact under load",
        "The contact and the load share the battery in the ratio of their resistances.",
        load(),
        vec![
            volts(
                "at the load, sound",
                &[],
                "R1.1",
                "12 V × 4 / 4.02 with contacts and battery",
                11.94,
            ),
            volts(
                "at the load, 1 Ω in its feed",
                &["wire:w5:series:1"],
                "R1.1",
                "12 V × 4 / 5.02",
                9.56,
            ),
            Reading {
                black: "R1.1",
                ..volts(
                    "across the conductor",
                    &["wire:w5:series:1"],
                    "MID",
                    "12 V × 1 / 5.02",
                    2.39,
                )
            },
        ],
    );
    add(
        "The same contact with the load unplugged",
        "Without current nothing drops: ten megohms behind one ohm. The reading is good and tells nothing.",
        bench(
            vec![resistor("R1", 4.0)],
            &[("IN", "MID"), ("MID", "X"), ("R1.1", "OUT"), ("R1.2", "OUT")],
            json!({}),
        ),
        vec![volts(
            "open end, 1 Ω in the feed",
            &["wire:w5:series:1"],
            "X",
            "12 V × 10 M / (10 M + 1)",
            12.0,
        )],
    );
    add(
        "A last strand",
        "Cold it is 0.15 Ω and the ohmmeter is content; current heats the spot, and v = i R (1 + (i / knee)²) eats volts.",
        load(),
        vec![
            Reading {
                state: off(),
                instrument: Instrument::Ohms,
                black: "R1.2",
                ..volts(
                    "ohmmeter over load and contact, battery off",
                    &["terminal:R1.1:constriction:0.7"],
                    "MID",
                    "4 + 0.15",
                    4.15,
                )
            },
            volts(
                "at the load, running",
                &["terminal:R1.1:constriction:0.7"],
                "R1.1:part",
                "12 = 4.02 i + 0.15 i (1 + (i / 0.7)²): i = 2.146 A, 4 × 2.146",
                8.58,
            ),
        ],
    );
    add(
        "An open ground",
        "No current: the whole circuit, the ground side of the load too, stands at battery voltage.",
        load(),
        vec![volts(
            "ground side of the load",
            &["wire:w6:open"],
            "R1.2",
            "12 V less nothing",
            12.0,
        )],
    );
    add(
        "Back-feed through a shared ground",
        "A twin lamp has lost its ground: the tail current (5 W, 28.8 Ω) returns through the brake filament (21 W, 6.857 Ω), the brake line and the other side's brake lamp, so that those glow.",
        bench(
            vec![resistor("TL", 28.8), resistor("BL", 6.857), resistor("BR", 6.857)],
            &[
                ("IN", "TL.1"),
                ("TL.2", "TWIN"),
                ("TWIN", "BL.1"),
                ("BL.2", "LINE"),
                ("LINE", "BR.1"),
                ("BR.2", "OUT"),
                ("TWIN", "G2"),
            ],
            json!({}),
        ),
        vec![
            volts("brake line, sound", &[], "LINE", "everything behind the ground", 0.0),
            volts(
                "twin lamp's ground point, lost",
                &["ground:G2:open"],
                "TWIN",
                "12 V × 13.714 / 42.514",
                3.87,
            ),
            volts(
                "brake line, ground lost",
                &["ground:G2:open"],
                "LINE",
                "12 V × 6.857 / 42.514",
                1.935,
            ),
        ],
    );
    add(
        "A resistive relay contact",
        "The coil clicks as it should; the contact drops what the load should have.",
        bench(
            vec![relay("K1"), resistor("R1", 4.0)],
            &[
                ("IN", "K1.86"),
                ("K1.85", "OUT"),
                ("IN", "K1.30"),
                ("K1.87", "R1.1"),
                ("R1.2", "OUT"),
            ],
            json!({}),
        ),
        vec![
            volts("at the load, sound", &[], "K1.87", "12 V × 4 / 4.04", 11.88),
            Reading {
                black: "K1.87",
                ..volts(
                    "across the contact, 2.2 Ω",
                    &["part:K1:contact_series:2.2"],
                    "K1.30",
                    "12 V × 2.2 / 6.24",
                    4.23,
                )
            },
        ],
    );
    add(
        "A short behind the switch",
        "The fuse holds as long as the switch is off, and is gone for good once it was on.",
        bench(
            vec![switch("S1"), resistor("R1", 4.0)],
            &[("IN", "S1.1"), ("S1.2", "R1.1"), ("R1.2", "OUT")],
            json!({}),
        ),
        vec![
            volts("behind the fuse, off", &["wire:w5:ground:0.05"], "F1.2", "nothing flows", 12.0),
            Reading {
                state: on(),
                ..volts(
                    "behind the fuse, on",
                    &["wire:w5:ground:0.05"],
                    "F1.2",
                    "12 V / 0.1 Ω is far beyond 1.35 × 15 A: open",
                    0.0,
                )
            },
        ],
    );
    add(
        "A sensor with pull-up, sound",
        "5 V over 2.2 kΩ and the sensor's 2.5 kΩ.",
        sensor(),
        vec![volts("signal", &[], "MID", "5 V × 2500 / 4700", 2.66)],
    );
    add(
        "The same sensor open",
        "Nothing pulls down: the signal stands at the pull-up's voltage.",
        sensor(),
        vec![volts("signal", &["wire:w5:open"], "A1.S", "5 V", 5.0)],
    );
    add(
        "The same sensor shorted",
        "Nothing is left to drop volts on.",
        sensor(),
        vec![volts("signal", &["wire:w4:ground:0.05"], "A1.S", "5 V × 0.05 / 2200", 0.0)],
    );
    add(
        "Resistance in a sensor's conductor",
        "One kilohm in series reads like a colder sensor; no code need be set.",
        sensor(),
        vec![volts(
            "signal, 1 kΩ in series",
            &["wire:w5:series:1000"],
            "A1.S",
            "5 V × 3500 / 5700",
            3.07,
        )],
    );
    let reference = || {
        part(
            "A1",
            "module",
            json!({"type": "reference", "pin": "R", "ground": "31", "volts": 5, "limit_amps": 0.05, "ohms": 0.5}),
        )
    };
    let pot = |id: &str| {
        part(
            id,
            "sensor",
            json!({"type": "potentiometer", "low": "1", "high": "2", "wiper": "3", "ohms": 5000, "wiper_ohms": 500, "stimulus": "pedal", "table": [[0, 0.1], [100, 0.9]]}),
        )
    };
    let stimuli =
        || json!({"stimuli": [{"id": "pedal", "name": "Pedal", "unit": "%", "rest": 50}]});
    let two_pots = || {
        bench(
            vec![reference(), pot("B1"), pot("B2")],
            &[
                ("A1.R", "REF"),
                ("REF", "B1.2"),
                ("REF", "B2.2"),
                ("B1.1", "SG"),
                ("B2.1", "SG"),
                ("SG", "OUT"),
                ("A1.31", "OUT"),
            ],
            stimuli(),
        )
    };
    add(
        "A reference dragged down by one sensor",
        "The reference gives 50 mA and no more: with 10 Ω across it, half a volt is left for every sensor on it.",
        two_pots(),
        vec![
            volts("wiper of the other sensor, sound", &[], "B2.3", "5 V × 0.5", 2.5),
            volts(
                "reference, chafed through 5 Ω",
                &["wire:w5:ground:5"],
                "REF",
                "50 mA × 5 Ω",
                0.25,
            ),
            volts("wiper of the other sensor", &["wire:w5:ground:5"], "B2.3", "half of it", 0.125),
        ],
    );
    add(
        "A lost sensor ground",
        "Both sensors hang on the reference alone: every wiper rises to it.",
        two_pots(),
        vec![volts("wiper", &["wire:w9:open"], "B1.3", "no current, 5 V", 5.0)],
    );
    let lin = || {
        bench(
            vec![part(
                "A1",
                "module",
                json!({"type": "lin_transceiver", "pin": "L", "supply": "30", "ground": "31", "pull_ohms": 1000, "driver_ohms": 35, "bus": "lin", "master": true}),
            )],
            &[("IN", "A1.30"), ("A1.31", "OUT"), ("A1.L", "LIN")],
            json!({"buses": [{"id": "lin", "name": "LIN", "kind": "lin", "bit_rate": 19200, "dominant_share": 0.3}]}),
        )
    };
    add(
        "A LIN line held low",
        "The master's 1 kΩ pulls up against the short; the line stays down and nobody hears anything.",
        lin(),
        vec![
            Reading {
                instrument: Instrument::Shunt,
                ..volts(
                    "current into the short, through the meter's shunt",
                    &[],
                    "LIN",
                    "(12 V − 0.75 V in the diode) / 1 kΩ",
                    0.0113,
                )
            },
            volts(
                "line, chafed to ground",
                &["wire:w6:ground:0.05"],
                "LIN",
                "11.3 mA × 0.05 Ω",
                0.0,
            ),
        ],
    );
    let can = || {
        let module = |id: &str| {
            json!({"id": id, "name": id, "kind": "module", "place": "p", "elements": [
            {"type": "can_transceiver", "high": "H", "low": "L", "ground": "31", "bias_volts": 2.5, "input_ohms": 30000, "driver_ohms": 23, "bus": "can"},
            {"type": "resistor", "a": "H", "b": "L", "ohms": 120}]})
        };
        bench(
            vec![module("A1"), module("A2")],
            &[
                ("A1.H", "H"),
                ("A2.H", "H"),
                ("A1.L", "L"),
                ("A2.L", "L"),
                ("A1.31", "OUT"),
                ("A2.31", "OUT"),
            ],
            json!({"buses": [{"id": "can", "name": "CAN", "kind": "can", "bit_rate": 500000, "dominant_share": 0.2}]}),
        )
    };
    let ohms = |what, faults, by_hand, should| Reading {
        state: off(),
        instrument: Instrument::Ohms,
        black: "L",
        ..volts(what, faults, "H", by_hand, should)
    };
    add(
        "CAN with one terminator",
        "Two of 120 Ω in parallel make 60 Ω; with one gone the ohmmeter shows the other.",
        can(),
        vec![
            ohms("H to L, sound", &[], "120 / 2, and the inputs' 30 kΩ beside it", 59.9),
            ohms("H to L, one module's line open", &["wire:w5:open"], "120", 119.5),
        ],
    );
    add(
        "Water between two cavities",
        "A kilohm of water to ground beside a 10 kΩ pull-up: the module sees a switch half pressed.",
        bench(
            vec![
                part(
                    "A1",
                    "module",
                    json!({"type": "input", "pin": "S", "pull_to": "30", "pull_ohms": 10000}),
                ),
                switch("S1"),
            ],
            &[("IN", "A1.30"), ("A1.S", "S1.1"), ("S1.2", "OUT")],
            json!({}),
        ),
        vec![
            volts("input, dry and off", &[], "A1.S", "12 V × 10 M / 10.01 M with the meter", 11.99),
            volts("input, leak of 2 kΩ", &["wire:w5:ground:2000"], "A1.S", "12 V × 2 / 12", 2.0),
            Reading { state: on(), ..volts("input, pressed", &[], "A1.S", "ground", 0.0) },
        ],
    );
    add(
        "A welded relay contact drains the battery",
        "The coil is off and the load runs on: the clamp finds it, and pulling fuses tells which.",
        bench(
            vec![relay("K1"), switch("S1"), resistor("R1", 4.0)],
            &[
                ("IN", "S1.1"),
                ("S1.2", "K1.86"),
                ("K1.85", "OUT"),
                ("IN", "K1.30"),
                ("K1.87", "R1.1"),
                ("R1.2", "OUT"),
            ],
            json!({}),
        ),
        vec![
            Reading {
                instrument: Instrument::Amps,
                black: "",
                ..volts("clamp on the battery conductor, sound", &[], "w0", "off", 0.0)
            },
            Reading {
                instrument: Instrument::Amps,
                black: "",
                ..volts("clamp, contact welded", &["part:K1:welded"], "w0", "12 V / 4.04 Ω", 2.97)
            },
        ],
    );
    add(
        "A weak battery",
        "Open it shows its full voltage; its internal resistance takes half of it as soon as the starter pulls.",
        bench(
            vec![resistor("M1", 0.5), switch("S1")],
            &[("BAT.+", "S1.1"), ("S1.2", "M1.1"), ("M1.2", "BAT.-")],
            json!({}),
        ),
        vec![
            volts("at rest", &["part:BAT:weak:0.6"], "BAT.+", "no current", 12.0),
            Reading {
                state: on(),
                black: "BAT.-",
                ..volts(
                    "loaded",
                    &["part:BAT:weak:0.6"],
                    "BAT.+",
                    "12 V × 0.522 / 1.128 with switch and terminals",
                    5.55,
                )
            },
        ],
    );
    add(
        "A ghost voltage",
        "A leak of 100 kΩ holds up ten megohms but not three kilohms: the low-impedance mode or a test lamp shows that nothing is there.",
        bench(vec![resistor("LK", 1e5)], &[("IN", "LK.1"), ("LK.2", "X")], json!({})),
        vec![
            volts("10 MΩ meter", &[], "X", "12 V × 10 / 10.1", 11.88),
            Reading {
                instrument: Instrument::LowVolts,
                ..volts("low impedance", &[], "X", "12 V × 3 / 103", 0.35)
            },
            Reading {
                instrument: Instrument::Lamp5,
                ..volts("test lamp 5 W", &[], "X", "120 µA: dark", 0.0)
            },
        ],
    );
    add(
        "A lost ground strap",
        "The current finds another way home, and the engine stands volts above the body.",
        bench(
            vec![resistor("R1", 1.0), resistor("BOND", 0.5)],
            &[("IN", "R1.1"), ("R1.2", "ENG"), ("ENG", "G2"), ("ENG", "BOND.1"), ("BOND.2", "OUT")],
            json!({}),
        ),
        vec![
            volts(
                "engine against body, sound",
                &[],
                "ENG",
                "11.6 A × 2 mΩ in two ground points",
                0.023,
            ),
            volts("strap off", &["ground:G2:open"], "ENG", "12 V × 0.507 / 1.534", 3.97),
        ],
    );
    list
}

fn measure(c: &Arc<Circuit>, r: &Reading) -> f64 {
    let state: OperatingState = serde_json::from_value(r.state.clone()).unwrap();
    let changes: Vec<_> =
        r.faults.iter().flat_map(|id| fault::by_id(c, id).unwrap().changes).collect();
    let probe =
        Probe { instrument: r.instrument, red: r.red.to_owned(), black: r.black.to_owned() };
    let shown = c.measure(&state, &changes, &probe);
    shown.unwrap_or_else(|e| panic!("{}: {e}", r.what)).value()
}

#[test]
fn twenty_situations_come_out_as_worked_by_hand() {
    let all = situations();
    assert_eq!(all.len(), 20);
    let mut wrong = Vec::new();
    for s in &all {
        for r in &s.readings {
            let is = measure(&s.circuit, r);
            if (is - r.should).abs() > 0.012 * r.should.abs().max(0.5) {
                wrong.push(format!("{}, {}: {is} is not {}", s.title, r.what, r.should));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_relay_that_feeds_its_own_coil_through_its_rest_contact_chatters() {
    let c = bench(
        vec![relay("K1")],
        &[("IN", "K1.30"), ("K1.87a", "K1.86"), ("K1.85", "OUT")],
        json!({}),
    );
    let s = c.solve(&OperatingState::default(), &[], None);
    assert!(!s.converged);
    assert_eq!(s.chattering.iter().copied().collect::<Vec<_>>(), [c.part("K1").unwrap()]);
}

#[test]
fn the_page_says_the_same() {
    let mut page = String::from(
        "# Twenty situations\n\nSmall circuits every technician knows, with what the solver makes of them. Each has a battery of 12 V behind 10 mΩ, a fuse of 15 A, and 3 mΩ in every terminal. `cargo test -p circuit situations::` checks every number against the one worked out by hand; this page is written from the same list.\n",
    );
    for (n, s) in situations().iter().enumerate() {
        let _ = write!(page, "\n## {}. {}\n\n{}\n\n", n + 1, s.title, s.why);
        page.push_str("| reading | fault | by hand | solved |\n|---|---|---|---|\n");
        for r in &s.readings {
            let faults: Vec<String> =
                r.faults.iter().map(|id| fault::by_id(&s.circuit, id).unwrap().text).collect();
            let fault = if faults.is_empty() { "none".to_owned() } else { faults.join("; ") };
            let is = measure(&s.circuit, r);
            let is = if is.abs() < 5e-4 { 0.0 } else { is };
            let digits = if is.abs() < 0.1 && is != 0.0 { 4 } else { 2 };
            let unit = r.instrument.unit();
            let _ = writeln!(
                page,
                "| {} | {fault} | {} = {} {unit} | {is:.digits$} {unit} |",
                r.what, r.by_hand, r.should
            );
        }
    }
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/situations.md");
    if std::env::var("CHALKEUS_WRITE").is_ok() {
        std::fs::write(path, &page).unwrap();
    }
    let kept = std::fs::read_to_string(path).unwrap_or_default();
    assert!(kept == page, "docs/situations.md is out of date: run `cargo xtask generate`");
}
