//! Errors of copying, each made in the shipped van: what makes one doubt the file must name it.
#![allow(missing_docs, clippy::unwrap_used)]

use circuit::{Circuit, doubts};
use serde_json::{Value, json};
use vehicle::{Problem, Vehicle};

fn wren() -> Value {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

/// The place of what has an id in one of the lists of the file.
fn at(v: &Value, list: &str, id: &str) -> usize {
    v[list].as_array().unwrap().iter().position(|x| x["id"] == id).unwrap()
}

fn of(v: &Value) -> Vec<Problem> {
    let vehicle = Vehicle::from_json(&v.to_string()).unwrap();
    doubts(&Circuit::new(vehicle).unwrap())
}

fn without_wire(id: &str) -> Value {
    let mut v = wren();
    v["wires"].as_array_mut().unwrap().retain(|w| w["id"] != id);
    v
}

/// Whether a doubt stands at a path and speaks of something.
fn says(doubts: &[Problem], path: &str, what: &str) {
    let found = doubts.iter().any(|d| d.path == path && d.what.contains(what));
    let all: Vec<String> = doubts.iter().map(ToString::to_string).collect();
    assert!(found, "{path}: {what} is not among\n{}", all.join("\n"));
}

#[test]
fn the_shipped_van_is_beyond_doubt() {
    let all: Vec<String> = of(&wren()).iter().map(ToString::to_string).collect();
    assert!(all.is_empty(), "{}", all.join("\n"));
}

#[test]
fn a_battery_without_its_ground_is_said_once_and_not_with_every_load() {
    let v = without_wire("2");
    let found = of(&v);
    says(
        &found,
        &format!("parts[{}].elements[0].minus", at(&v, "parts", "BAT")),
        "nothing can work",
    );
    assert!(found.iter().all(|d| !d.what.contains("never")), "{found:?}");
}

#[test]
fn a_load_without_its_ground_conductor_never_works() {
    let v = without_wire("64");
    let path = format!("parts[{}]", at(&v, "parts", "M7"));
    let found = of(&v);
    says(&found, &path, "no conductor ends at M7.2");
    says(&found, &path, "nothing takes it to ground");
}

#[test]
fn a_fuse_without_its_feed_leaves_what_it_feeds_without_supply() {
    let mut v = wren();
    let feeds = |w: &Value| w["from"] == "F9.1" || w["to"] == "F9.1";
    let before = v["wires"].as_array().unwrap().len();
    v["wires"].as_array_mut().unwrap().retain(|w| !feeds(w));
    assert!(v["wires"].as_array().unwrap().len() < before);
    let found = of(&v);
    says(&found, &format!("parts[{}]", at(&v, "parts", "F9")), "no conductor ends at F9.1");
    says(&found, &format!("parts[{}]", at(&v, "parts", "E11")), "no supply ever arrives at E11.1");
}

#[test]
fn a_conductor_on_the_wrong_side_of_an_in_line_pair_is_seen() {
    let mut v = wren();
    let w = at(&v, "wires", "61");
    v["wires"][w]["to"] = json!("C4.7:engine");
    let c = at(&v, "connectors", "C4");
    let cavities = v["connectors"][c]["cavities"].as_array().unwrap();
    let k = cavities.iter().position(|x| x["no"] == "7").unwrap();
    says(&of(&v), &format!("connectors[{c}].cavities[{k}]"), "all end at C4.7 on the engine side");
}

#[test]
fn an_empty_cavity_is_seen() {
    let mut v = wren();
    let c = at(&v, "connectors", "C4");
    v["connectors"][c]["cavities"].as_array_mut().unwrap().push(json!({"no": "64"}));
    let k = v["connectors"][c]["cavities"].as_array().unwrap().len() - 1;
    says(&of(&v), &format!("connectors[{c}].cavities[{k}]"), "no conductor ends at C4.64");
}

#[test]
fn exchanged_coil_and_contact_are_found_by_exchanging_them_again() {
    let mut v = wren();
    let p = at(&v, "parts", "K8");
    let relay = v["parts"][p]["elements"][0].as_object_mut().unwrap();
    for (pin, other) in
        [("coil_plus", "30"), ("coil_minus", "87"), ("common", "86"), ("make", "85")]
    {
        relay.insert(pin.to_owned(), json!(other));
    }
    says(
        &of(&v),
        &format!("parts[{p}].elements[0]"),
        "with coil and contact of relay Front washer relay K8 exchanged",
    );
}

#[test]
fn a_fuse_that_is_too_small_would_blow() {
    let mut v = wren();
    let p = at(&v, "parts", "F9");
    // A lamp of 55 W takes 4.6 A at 12 V.
    v["parts"][p]["elements"][0]["rating_amps"] = json!(2);
    says(&of(&v), &format!("parts[{p}].elements[0].rating_amps"), "would blow in “");
}

#[test]
fn a_load_of_the_wrong_rating_is_weak() {
    let mut v = wren();
    let p = at(&v, "parts", "E11");
    v["parts"][p]["elements"][0]["rated_volts"] = json!(24);
    says(&of(&v), &format!("parts[{p}]"), "works weakly at best");
}

#[test]
fn two_conductors_with_the_same_ends_do_the_same() {
    let mut v = wren();
    let mut twin = v["wires"][at(&v, "wires", "62")].clone();
    twin["id"] = json!("62a");
    let ends = [twin["from"].clone(), twin["to"].clone()];
    (twin["from"], twin["to"]) = (ends[1].clone(), ends[0].clone());
    v["wires"].as_array_mut().unwrap().push(twin);
    let last = v["wires"].as_array().unwrap().len() - 1;
    says(&of(&v), &format!("wires[{last}]"), "conductors 62 and 62a both join");
}

#[test]
fn a_module_without_supply_never_wakes() {
    let mut v = wren();
    let p = at(&v, "parts", "A3");
    // Its supply conductor ends at a splice that leads nowhere.
    v["splices"]
        .as_array_mut()
        .unwrap()
        .push(json!({"id": "J999", "name": "lost", "place": "tailgate"}));
    let wires = v["wires"].as_array_mut().unwrap();
    let supply = wires.iter_mut().find(|w| w["from"] == "X3.30" || w["to"] == "X3.30").unwrap();
    let end = if supply["from"] == "X3.30" { "from" } else { "to" };
    supply[end] = json!("J999");
    says(&of(&v), &format!("splices[{}]", at(&v, "splices", "J999")), "goes no further");
    says(&of(&v), &format!("parts[{p}]"), "never wakes: no supply ever arrives");
}

#[test]
fn an_output_that_nothing_drives_is_seen() {
    let mut v = wren();
    let p = at(&v, "parts", "A3");
    let elements = v["parts"][p]["elements"].as_array_mut().unwrap();
    let driver = elements.iter_mut().find(|e| e["output"] == "rear_wiper").unwrap();
    driver["output"] = json!("rear_washer");
    let o = at(&v, "outputs", "rear_wiper");
    says(&of(&v), &format!("outputs[{o}]"), "no element drives “rear_wiper”");
}

#[test]
fn a_key_switch_whose_positions_are_named_otherwise_moves_nothing() {
    let mut v = wren();
    let is_key =
        |p: &Value| p["positions"].as_array().is_some_and(|all| all.contains(&json!("15")));
    let p = v["parts"].as_array().unwrap().iter().position(is_key).unwrap();
    let renamed = |list: &mut Value| {
        let text = list.to_string().replace("\"15\"", "\"run\"").replace("\"50\"", "\"start\"");
        *list = serde_json::from_str(&text).unwrap();
    };
    renamed(&mut v["parts"][p]["positions"]);
    for contact in v["parts"][p]["elements"].as_array_mut().unwrap() {
        renamed(&mut contact["closed_in"]);
    }
    says(&of(&v), &format!("parts[{p}].positions"), "no switch has that position");
}

#[test]
fn a_limit_that_a_healthy_vehicle_crosses_is_seen() {
    let mut v = wren();
    let is_supply = |m: &Value| m["module"] == "A2" && m["code"] == "U3006";
    let list = v["monitors"].as_array_mut().unwrap();
    let k = list.iter().position(is_supply).unwrap();
    list[k]["fails"] = json!({"below": ["body_supply", 13.0]});
    says(&of(&v), &format!("monitors[{k}].fails"), "is set in “");
}
