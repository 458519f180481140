//! Reading vehicle files, good and broken, and typed readings.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use proptest::prelude::*;
use serde_json::{Value, json};
use vehicle::{LoadError, Quantity, Vehicle, parse_quantity};

fn wren() -> Value {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn refusal(v: &Value) -> String {
    Vehicle::from_json(&v.to_string()).unwrap_err().to_string()
}

#[test]
fn the_wren_is_sound_and_big_enough() {
    let v = Vehicle::from_json(&wren().to_string()).unwrap();
    assert!(v.wires.len() >= 350 && v.connectors.len() >= 60 && v.grounds.len() >= 20);
    let kind = |kind| v.parts.iter().filter(|p| p.kind == kind).count();
    assert!(kind(vehicle::PartKind::Module) >= 30);
    assert!(kind(vehicle::PartKind::Fuse) + kind(vehicle::PartKind::Relay) >= 40);
    assert_eq!(v.buses.len(), 8);
    assert_eq!(v.parts.iter().filter(|p| p.module.is_some()).count(), 25);
    assert_eq!(vehicle::vin::trouble("0PMWR22K8NB004417"), None);
}

#[test]
fn a_van_without_some_equipment_holds_together() {
    let v = Vehicle::from_json(&wren().to_string()).unwrap();
    let all: Vec<String> = v.options.iter().map(|o| o.id.clone()).collect();
    assert!(all.len() >= 4);
    // Every choice of what is missing.
    for choice in [0u32, 0b1, 0b10, 0b101, 0b1111] {
        let missing =
            all.iter().enumerate().filter(|(k, _)| choice & (1 << k) != 0).map(|(_, o)| o.clone());
        let without = v.without_equipment(&missing.collect());
        let text = serde_json::to_string(&without).unwrap();
        let again = Vehicle::from_json(&text).unwrap_or_else(|e| panic!("{choice:b}: {e}"));
        assert_eq!(again, without);
        let gone = v.parts.len() - without.parts.len();
        assert_eq!(gone > 0, choice != 0);
        for o in v.options.iter().filter(|o| !without.options.contains(o)) {
            assert!(o.parts.iter().all(|p| without.parts.iter().all(|x| x.id != *p)));
        }
    }
}

#[test]
fn equipment_that_others_need_is_refused() {
    let mut v = wren();
    // The seat heating module would drive a heater that is not there.
    v["options"][0]["parts"] = json!(["R21"]);
    let text = refusal(&v);
    assert!(text.contains("options[trailer]") && text.contains("without it"), "{text}");
    v["options"][0]["parts"] = json!(["A25", "X9O"]);
    assert!(refusal(&v).contains("there is no part “X9O”"));
}

#[test]
fn a_wrong_name_is_located_and_guessed() {
    let mut v = wren();
    v["wires"][3]["to"] = json!("G111");
    let text = refusal(&v);
    assert!(text.contains("wires[3].to"), "{text}");
    assert!(text.contains("did you mean “G11”"), "{text}");
}

#[test]
fn every_kind_of_mistake_is_named() {
    let cases: [(&str, Value, &str); 9] = [
        ("/wires/0/area_mm2", json!(0.0), "area_mm2"),
        ("/wires/0/colour", json!("XX"), "IEC 60757"),
        ("/wires/0/id", json!("2"), "used twice"),
        ("/wires/0/to", json!("BAT.+"), "same point"),
        ("/monitors/0/code", json!("Z9999"), "is no trouble code"),
        ("/connectors/0/cavity_count", json!(1), "more cavities in use"),
        ("/parts/0/elements/0/open_volts", json!(-12.0), "not possible"),
        ("/states/0/state", json!({"outputs": ["nothing"]}), "no output"),
        ("/outputs/0/load", json!("M99"), "no part “M99”"),
    ];
    for (pointer, value, words) in cases {
        let mut v = wren();
        *v.pointer_mut(pointer).unwrap() = value;
        let text = refusal(&v);
        assert!(text.contains(words), "{pointer}: {text}");
    }
}

#[test]
fn values_that_could_not_travel_are_named() {
    let mut v = wren();
    v["identifiers"]["supply"]["coding"]["bytes"] = 5.into();
    v["identifiers"]["freeze_frame"]["odometer"]["did"] = 56_576.into();
    v["identifiers"]["counters"]["cycles_since_last"] = 1.into();
    v["signals"][3]["coding"] = serde_json::json!({"bytes": 1, "per_bit": 0.0});
    let told = refusal(&v);
    for path in [
        "identifiers.supply.coding: no value can travel",
        "identifiers.freeze_frame.odometer.did: DD00 is freeze_frame.time already",
        "identifiers.counters: two counters share",
        "signals[3].coding: no value can travel",
    ] {
        assert!(told.contains(path), "{path} in\n{told}");
    }
}

#[test]
fn a_broken_shape_names_the_line_and_a_strange_format_its_number() {
    assert!(matches!(
        Vehicle::from_json("{\n\"format\": }"),
        Err(LoadError::Shape { line: 2, .. })
    ));
    let mut v = wren();
    v["format"] = json!(99);
    assert!(matches!(Vehicle::from_json(&v.to_string()), Err(LoadError::Format(99))));
    v["format"] = json!(1);
    v["colour"] = json!("red");
    assert!(refusal(&v).contains("unknown field"));
}

#[test]
fn readings_as_typed() {
    for (text, unit, value) in [
        ("11.8", "V", 11.8),
        ("11,8 V", "V", 11.8),
        ("0.2k", "Ω", 200.0),
        ("3k3", "Ω", 3300.0),
        ("1M", "Ω", 1e6),
        ("-40m", "V", -0.04),
        ("−0.5", "V", -0.5),
        ("250mA", "A", 0.25),
        (" 4 7 ohm", "Ω", 47.0),
    ] {
        match parse_quantity(text, unit) {
            Ok(Quantity::Value(v)) => assert!((v - value).abs() < 1e-9, "{text}: {v}"),
            other => panic!("{text}: {other:?}"),
        }
    }
    for ol in ["OL", "ol", "O.L", "0L"] {
        assert_eq!(parse_quantity(ol, "Ω"), Ok(Quantity::OverLimit));
    }
    for (text, unit) in [
        ("", "V"),
        ("abc", "V"),
        ("12..4", "V"),
        ("12 A", "V"),
        ("1200", "V"),
        ("NaN", "V"),
        ("inf", "V"),
        ("-5", "Ω"),
        ("3k3k", "Ω"),
    ] {
        assert!(parse_quantity(text, unit).is_err(), "{text}");
    }
}

proptest! {
    #[test]
    fn what_is_shown_can_be_typed(v in -59.0..59.0f64) {
        let typed = format!("{v:.3}");
        let Ok(Quantity::Value(back)) = parse_quantity(&typed, "V") else { panic!("{typed}") };
        prop_assert!((back - v).abs() < 0.0006);
        let Ok(Quantity::Value(milli)) = parse_quantity(&format!("{:.0}m", v * 1000.0), "V") else { panic!() };
        prop_assert!((milli - v).abs() < 0.0006);
    }

    #[test]
    fn nothing_typed_panics(text in "\\PC*", unit in prop::sample::select(vec!["V", "Ω", "A"])) {
        let _ = parse_quantity(&text, unit);
    }

}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn a_file_survives_reading_and_writing(wire in 0..51usize, length in 0.01..100.0f64, area in 0.1..50.0f64, name in "[a-z ]{0,20}") {
        let mut v = Vehicle::from_json(&wren().to_string()).unwrap();
        let at = vehicle::WireIx::from(wire);
        v.wires[at].length_m = length;
        v.wires[at].area_mm2 = area;
        v.notes = name;
        let again = Vehicle::from_json(&serde_json::to_string(&v).unwrap()).unwrap();
        prop_assert!(v == again, "wire {wire} changed");
    }

    #[test]
    fn damaged_files_are_refused_without_panic(at in 0..1_000_000usize, byte: u8) {
        let mut bytes = wren().to_string().into_bytes();
        let at = at % bytes.len();
        bytes[at] = byte;
        let _ = Vehicle::from_json(&String::from_utf8_lossy(&bytes));
    }
}

#[test]
fn a_wrong_shape_is_named_by_its_path() {
    let mut v = wren();
    v["wires"][3]["area_mm2"] = "thick".into();
    let error = Vehicle::from_json(&v.to_string()).unwrap_err().to_string();
    assert!(error.starts_with("wires[3].area_mm2 (line 1, column "), "{error}");
    let twice = format!("{} {{}}", wren());
    let error = Vehicle::from_json(&twice).unwrap_err().to_string();
    assert!(error.contains("something follows"), "{error}");
}

#[test]
fn however_much_is_wrong_it_is_said_in_a_page() {
    let mut v = wren();
    for wire in v["wires"].as_array_mut().unwrap() {
        wire["area_mm2"] = serde_json::json!(1e308);
        wire["from"] = "x".repeat(5000).into();
    }
    let error = Vehicle::from_json(&v.to_string()).unwrap_err().to_string();
    assert_eq!(error.lines().count(), 51, "{}", error.lines().count());
    assert!(error.len() < 40_000, "{} bytes", error.len());
    let last = error.lines().last().unwrap();
    assert!(last.starts_with("and ") && last.contains(" more"), "{last}");
}

#[test]
fn work_and_prices_below_nothing_are_refused_where_they_stand() {
    let mut v = wren();
    v["parts"][0]["price"] = json!(-1);
    v["connectors"][0]["minutes"]["reach"] = json!(-0.5);
    v["states"][0]["minutes"] = json!(1e9);
    let (part, connector) = (v["parts"][0]["id"].clone(), v["connectors"][0]["id"].clone());
    let error = refusal(&v);
    for path in [
        format!("parts[{}].price", part.as_str().unwrap()),
        format!("connectors[{}].minutes.reach", connector.as_str().unwrap()),
        format!("states[{}].minutes", v["states"][0]["id"].as_str().unwrap()),
    ] {
        assert!(error.lines().any(|line| line.starts_with(&path)), "{path}: {error}");
    }
}

/// Lists with the fields in which their entries name something else.
const NAMES: [(&str, &[&str]); 9] = [
    ("wires", &["from", "to"]),
    ("connectors", &["part", "place"]),
    ("parts", &["place"]),
    ("splices", &["place"]),
    ("grounds", &["place"]),
    ("outputs", &["module", "load"]),
    ("functions", &["output"]),
    ("monitors", &["module"]),
    ("messages", &["sender", "bus"]),
];

/// Puts something anywhere into a document.
fn put(v: &mut Value, way: &[prop::sample::Index], new: &Value) {
    let Some((first, rest)) = way.split_first() else {
        *v = new.clone();
        return;
    };
    match v {
        Value::Object(map) if !map.is_empty() => {
            let key = map.keys().nth(first.index(map.len())).unwrap().clone();
            put(&mut map[&key], rest, new);
        }
        Value::Array(list) if !list.is_empty() => {
            let at = first.index(list.len());
            put(&mut list[at], rest, new);
        }
        other => *other = new.clone(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn a_name_that_nothing_has_is_told_wherever_it_stands(
        list in any::<prop::sample::Index>(), entry in any::<prop::sample::Index>(), field in any::<prop::sample::Index>(),
    ) {
        let (list, fields) = NAMES[list.index(NAMES.len())];
        let field = fields[field.index(fields.len())];
        let mut v = wren();
        let entries = v[list].as_array_mut().unwrap();
        let at = entry.index(entries.len());
        prop_assume!(entries[at].get(field).is_some_and(Value::is_string));
        entries[at][field] = json!("Zq-9");
        let text = refusal(&v);
        prop_assert!(text.contains("“Zq-9”") && text.contains(list), "{list}[{at}].{field}: {text}");
    }

    #[test]
    fn whatever_stands_anywhere_is_taken_or_refused_in_words(
        way in prop::collection::vec(any::<prop::sample::Index>(), 1..6),
        new in prop_oneof![
            Just(Value::Null), Just(json!(-1)), Just(json!(1e300)), Just(json!("")), Just(json!([])), Just(json!({})), Just(json!("é:.+")),
        ],
    ) {
        let mut v = wren();
        put(&mut v, &way, &new);
        if let Err(e) = Vehicle::from_json(&v.to_string()) {
            prop_assert!(e.to_string().len() > 20, "{e}");
        }
    }
}
