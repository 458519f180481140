//! Each rule of the vehicle file broken once, on the shipped van: where it is, what is wrong and what to do
//! are told, and nothing else is complained of.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::{Value, json};
use vehicle::Vehicle;

fn wren() -> Value {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

/// What is told of a van that was changed; empty where it is taken.
fn told(change: impl FnOnce(&mut Value)) -> String {
    let mut v = wren();
    change(&mut v);
    Vehicle::from_json(&v.to_string()).err().map_or_else(String::new, |e| e.to_string())
}

/// Index of the first thing of a list for which something holds.
fn first(v: &Value, list: &str, holds: impl Fn(&Value) -> bool) -> usize {
    v[list].as_array().unwrap().iter().position(holds).expect("the van has one")
}

/// The whole of it is one complaint with these words.
fn only(told: &str, words: &[&str]) {
    for word in words {
        assert!(told.contains(word), "“{word}” in: {told}");
    }
    // Each complaint stands on a line of its own, below the first one.
    let complaints = told.lines().filter(|l| !l.trim().is_empty()).count();
    assert!(complaints <= 2, "{told}");
}

#[test]
fn names_that_could_not_be_written_in_a_reference_are_no_names() {
    for id in ["", "two words", "A.1", "a:b"] {
        let told = told(|v| v["stimuli"][0]["id"] = json!(id));
        assert!(told.contains("stimuli[0].id") && told.contains("is not a usable id"), "{told}");
        assert!(told.contains("use letters, digits, _ and - only"), "{told}");
    }
}

#[test]
fn shares_lie_where_shares_can_lie() {
    only(
        &told(|v| v["buses"][0]["dominant_share"] = json!(0.95)),
        &["buses[drive].dominant_share", "0.95 is not possible", "0 to 0.9"],
    );
    for duty in [0.0, 1.0, -0.2] {
        let told = told(|v| v["outputs"][0]["duty"] = json!(duty));
        only(&told, &[".duty", "is not possible", "between 0 and 1"]);
    }
}

#[test]
fn conductors_have_a_length_a_cross_section_and_a_way_through_places() {
    for (field, value) in [("length_m", 0.0), ("length_m", -1.0), ("area_mm2", 0.0)] {
        let told = told(|v| v["wires"][4][field] = json!(value));
        only(&told, &[&format!("wires[4].{field}"), "give a number above zero"]);
    }
    only(
        &told(|v| v["wires"][4]["route"] = json!(["nowhere_at_all"])),
        &["wires[4].route", "there is no place “nowhere_at_all”"],
    );
    only(
        &told(|v| v["places"][0]["beside"] = json!([["1", "no_such"]])),
        &[".beside", "there is no conductor “no_such”"],
    );
}

#[test]
fn a_connector_is_of_a_part_or_between_two_looms() {
    let own = |v: &Value| first(v, "connectors", |c| c["part"].is_string());
    let both = told(|v| {
        let k = own(v);
        v["connectors"][k]["sides"] = json!(["cabin", "engine"]);
    });
    assert!(both.contains("must have either a part or two sides"), "{both}");
    let twice = told(|v| {
        let many = |c: &Value| c["cavities"].as_array().unwrap().len() > 1;
        let k = first(v, "connectors", many);
        v["connectors"][k]["cavity_count"] = json!(200);
        let no = v["connectors"][k]["cavities"][0]["no"].clone();
        v["connectors"][k]["cavities"].as_array_mut().unwrap().push(json!({"no": no}));
    });
    assert!(twice.contains("is listed twice") && twice.contains("remove one of them"), "{twice}");
}

#[test]
fn messages_come_from_members_of_their_bus_and_carry_what_these_work_out() {
    only(&told(|v| v["gateway"] = json!("A99")), &["gateway", "there is no part “A99”"]);
    let stranger = told(|v| v["messages"][0]["sender"] = json!("A50"));
    assert!(stranger.contains("A50 is no member of bus “drive”"), "{stranger}");
    let nowhere = told(|v| v["messages"][0]["bus"] = json!("drvie"));
    assert!(nowhere.contains("did you mean “drive”?"), "{nowhere}");
    let borrowed = told(|v| {
        let sender = v["messages"][0]["sender"].clone();
        let k = first(v, "signals", |s| s["module"] != sender);
        v["messages"][0]["signals"] = json!([v["signals"][k]["id"]]);
    });
    assert!(borrowed.contains("works out itself"), "{borrowed}");
    let empty = told(|v| {
        let k = first(v, "signals", |s| s["from"]["received"].is_object());
        let message = v["signals"][k]["from"]["received"]["message"].clone();
        let m = first(v, "messages", |m| m["id"] == message);
        v["messages"][m]["signals"] = json!([]);
    });
    assert!(empty.contains("does not carry"), "{empty}");
    assert!(empty.contains("add it to the message's signals, or name another"), "{empty}");
}

#[test]
fn signals_functions_and_monitors_speak_of_what_there_is() {
    let pin = told(|v| {
        let k = first(v, "signals", |s| s["from"]["pin_volts"].is_object());
        v["signals"][k]["from"]["pin_volts"]["pin"] = json!("no_pin");
    });
    only(&pin, &["there is no pin “no_pin”"]);
    only(
        &told(|v| v["functions"][0]["output"] = json!("no_output")),
        &["functions[", "].output", "there is no output “no_output”"],
    );
    only(
        &told(|v| v["monitors"][2]["module"] = json!("A99")),
        &["monitors[2].module", "there is no part “A99”"],
    );
    only(
        &told(|v| v["monitors"][2]["fails"] = json!({"above": ["no_signal", 1.0]})),
        &["monitors[2].fails", "there is no signal “no_signal”"],
    );
    only(
        &told(|v| v["monitors"][2]["snapshot"] = json!(["no_signal"])),
        &["monitors[2].snapshot", "there is no signal “no_signal”"],
    );
}

#[test]
fn what_is_counted_has_teeth_and_what_is_worked_out_comes_from_the_same_module() {
    let signal = |v: &mut Value, id: &str, from: Value| {
        let k = first(v, "signals", |s| s["id"] == id);
        v["signals"][k]["from"] = from;
    };
    let rate =
        |ring: &str| json!({"rate": {"pin": "RL-", "against": "31", "over": 1.0, "ring": ring}});
    only(&told(|v| signal(v, "ws_rl_rate", rate("R99"))), &["ring", "there is no part “R99”"]);
    only(&told(|v| signal(v, "ws_rl_rate", rate("M9"))), &["“M9” has no teeth", "tone_ring"]);
    let of = |id: &str| json!({"formula": {"sum": [{"signal": id}, {"number": 1}]}});
    only(&told(|v| signal(v, "ws_rl_share", of("nothing"))), &["there is no signal “nothing”"]);
    let strange = told(|v| signal(v, "ws_rl_share", of("torque_volts")));
    only(&strange, &["“torque_volts” is no value that A12 works out itself"]);
    let itself = told(|v| signal(v, "ws_rl_share", of("ws_rl_share")));
    only(&itself, &["signals[ws_rl_share].from.formula", "worked out of itself"]);
    // Also over another one.
    let round = told(|v| {
        signal(v, "ws_rl_share", of("ws_rr_share"));
        signal(v, "ws_rr_share", of("ws_rl_share"));
    });
    assert_eq!(round.matches("worked out of itself").count(), 2, "{round}");
}

#[test]
fn time_goes_on_and_two_ways_name_each_other() {
    let course = |points: Value| told(move |v| v["profiles"][0]["courses"]["pedal"] = points);
    let back = course(json!([[2.0, 0.0], [1.0, 5.0]]));
    only(&back, &["profiles[road_test].courses.pedal", "no course of time"]);
    only(&course(json!([])), &["no course of time"]);
    only(&course(json!([[0.0, 0.0], [4000.0, 1.0]])), &["an hour at most"]);
    only(
        &told(|v| v["profiles"][0]["courses"]["weather"] = json!([[0.0, 1.0]])),
        &["there is no stimulus “weather”"],
    );
    only(
        &told(|v| v["profiles"][0]["begins"]["outputs"] = json!(["nothing"])),
        &["profiles[road_test].begins", "there is no output “nothing”"],
    );
    let lone = told(|v| {
        let k = first(v, "outputs", |o| o["id"] == "slide_open");
        v["outputs"][k].as_object_mut().unwrap().remove("other_way");
    });
    only(&lone, &["outputs[slide_close].other_way", "does not name “slide_close”"]);
    let needs = told(|v| {
        let k = first(v, "outputs", |o| o["id"] == "slide_open");
        v["outputs"][k]["needs"][0]["holds"] = json!({"below": ["nothing", 1.0]});
    });
    only(&needs, &["outputs[slide_open].needs", "there is no signal “nothing”"]);
}

#[test]
fn modules_have_addresses_of_their_own_and_data_under_hexadecimal_numbers() {
    let same = told(|v| {
        let k = first(v, "parts", |p| p["module"].is_object());
        let address = v["parts"][k]["module"]["address"].clone();
        let has = |p: &Value| p["module"].is_object() && p["module"]["address"] != address;
        let other = first(v, "parts", has);
        v["parts"][other]["module"]["address"] = address;
    });
    only(&same, &["].module.address", "is used twice", "give each module its own"]);
    let module = |v: &Value| first(v, "parts", |p| p["module"].is_object());
    let did = told(|v| {
        let k = module(v);
        v["parts"][k]["module"]["identification"] = json!({"F1": "x"});
    });
    assert!(did.contains("“F1” is no data identifier"), "{did}");
    for value in ["0", "zz", ""] {
        let told = told(|v| {
            let k = module(v);
            let setting = json!({"name": "Coding", "value": value});
            v["parts"][k]["module"]["configuration"] = json!({"0600": setting});
        });
        assert!(told.contains("two hexadecimal digits a byte"), "“{value}”: {told}");
    }
}

#[test]
fn states_set_only_what_the_vehicle_has() {
    for (state, words) in [
        (json!({"unplugged": ["X99"]}), "there is no connector “X99” to unplug"),
        (json!({"stimuli": {"moonlight": 1.0}}), "there is no stimulus “moonlight”"),
        (json!({"switches": {"S99": "1"}}), "there is no switch “S99”"),
        (json!({"outputs": ["no_output"]}), "there is no output “no_output”"),
    ] {
        only(&told(|v| v["states"][1]["state"] = state.clone()), &["states[", words]);
    }
    let position = told(|v| {
        let k = first(v, "parts", |p| p["positions"].as_array().is_some_and(|p| p.len() > 1));
        let id = v["parts"][k]["id"].as_str().unwrap().to_owned();
        v["states"][1]["state"] = json!({"switches": {id: "sideways"}});
    });
    only(&position, &["has no position “sideways”; it has"]);
}

#[test]
fn settings_stand_where_their_modules_hold_them() {
    let setting = |v: &mut Value, change: &dyn Fn(&mut Value)| {
        let k = first(v, "parts", |p| p["id"] == "Z20");
        change(&mut v["parts"][k]["elements"][0]);
    };
    let of = |change: &dyn Fn(&mut Value)| told(|v| setting(v, change));
    only(
        &of(&|s| s["held"]["record"]["bit"] = json!(1)),
        &["settings[one_touch_coded].held.record", "holds"],
    );
    only(&of(&|s| s["held"]["record"]["bit"] = json!(900)), &["has no such bits"]);
    only(&of(&|s| s["after"] = json!(["M99"])), &["settings[one_touch_coded].after", "M99"]);
    only(&of(&|s| s["wrong"] = json!([])), &["it cannot be wrong"]);
    let same = json!([{"mode": "same", "value": 1, "text": "as it should be"}]);
    only(&of(&|s| s["wrong"] = same.clone()), &["a wrong value is the sound one"]);
    let large = json!([{"mode": "large", "value": 4, "text": "too large for two bits"}]);
    only(&of(&|s| s["wrong"] = large.clone()), &["does not go into its bits"]);
    // Of another module than the others in its part, and told by one that does not hold it.
    let other = of(&|s| s["module"] = json!("A21"));
    assert!(other.contains("settings of more than one module") && other.contains("does not hold"));
    let mixed = told(|v| {
        let k = first(v, "parts", |p| p["id"] == "Z20");
        v["parts"][k]["kind"] = json!("other");
    });
    only(&mixed, &["settings and things are mixed"]);
    let unknown = told(|v| {
        let k = first(v, "signals", |s| s["id"] == "one_touch_coded");
        v["signals"][k]["from"] = json!({"setting": "nothing"});
    });
    only(&unknown, &["signals[one_touch_coded].from.setting", "nothing"]);
}

#[test]
fn what_is_not_changed_is_taken() {
    assert_eq!(told(|_| {}), "");
}

#[test]
fn procedures_teach_something_with_bands_and_times_that_can_be() {
    let stage = |v: &mut Value| v["procedures"][0]["stages"][1].take();
    let told_of = |change: &dyn Fn(&mut Value)| told(|v| change(&mut v["procedures"][0]));
    only(&told_of(&|p| p["teaches"] = json!("nothing")), &["procedures[tooth_errors].teaches"]);
    only(&told_of(&|p| p["profile"] = json!("to_the_moon")), &["there is no profile"]);
    let band =
        |p: &mut Value| p["throughout"][0] = json!({"signal": "app1_volts", "least": 9, "most": 3});
    only(&told_of(&band), &["the band of app1_volts cannot hold"]);
    let late = |p: &mut Value| p["stages"][1]["within_s"] = json!(1);
    only(&told_of(&late), &["stages[1]", "its times are not possible"]);
    only(&told_of(&|p| p["stages"] = json!([])), &["it has no stage"]);
    only(&told_of(&|p| p["stages"][0]["targets"] = json!([])), &["nothing must hold in it"]);
    assert!(!told(|v| _ = stage(v)).is_empty(), "a stage that is none is refused");
}

#[test]
fn what_goes_in_and_who_keeps_a_copy_are_told_apart() {
    let a25 = first(&wren(), "parts", |p| p["id"] == "A25");
    let twice = told(|v| v["parts"][a25]["variants"][1]["number"] = json!("PW 10 0 44320"));
    only(&twice, &["parts[A25].variants", "there twice"]);
    only(
        &told(|v| v["parts"][a25]["variants"][1]["price"] = json!(-1)),
        &["a price that cannot be"],
    );
    only(&told(|v| v["record_copies"][0]["did"] = json!(9)), &["has no record 0009"]);
    only(&told(|v| v["record_copies"][0]["kept_by"] = json!("E11")), &["“E11” is no module"]);
    only(&told(|v| v["record_copies"][0]["kept_did"] = json!(0x0601)), &["of its own"]);
    let z3 = first(&wren(), "parts", |p| p["id"] == "Z3");
    let nothing = told(|v| v["parts"][z3]["elements"][1]["without"] = json!({"wings": 0}));
    assert!(nothing.contains("there is no equipment “wings”"), "{nothing}");
}

#[test]
fn what_has_to_agree_stands_in_records_of_different_modules_and_does_on_a_sound_vehicle() {
    let with = |settings: Value| told(|v| v["agreements"][1]["settings"] = settings);
    only(&with(json!(["tyre_size", "nobodys"])), &["no setting “nobodys”", "different modules"]);
    only(
        &with(json!(["tyre_size", "a26_own"])),
        &["“a26_own” stands in no record", "different modules"],
    );
    only(
        &with(json!(["panel_units", "panel_tyres"])),
        &["different modules", "do not hold the same"],
    );
    only(
        &with(json!(["tyre_size", "gear_ratio"])),
        &["they do not hold the same on a sound vehicle"],
    );
    let apart = |v: &mut Value| {
        // The rear module's third bit is 1 with a trailer and 0 without; the panel's lowest of three is 1 always.
        v["agreements"][1]["settings"] = json!(["rear_trailer", "panel_units"]);
    };
    only(&told(apart), &["do not hold the same on a sound vehicle without “trailer”"]);
    // Where one of two goes with its module, nothing is left to agree.
    let v = Vehicle::from_json(&wren().to_string()).unwrap();
    assert_eq!(v.agreements.len(), 2);
    let mut fewer = v.clone();
    fewer.options[0].parts.push("A26".into());
    let fewer = fewer.without_equipment(&["trailer".to_owned()].into());
    assert_eq!(
        fewer.agreements.iter().map(|a| a.name.as_str()).collect::<Vec<_>>(),
        ["Axle ratio"]
    );
}

#[test]
fn codes_that_must_be_gone_are_codes_of_the_module_itself() {
    let z10 = first(&wren(), "parts", |p| p["id"] == "Z10");
    let gone = |codes: Value| {
        told(|v| {
            let all = v["parts"][z10]["elements"].as_array_mut().unwrap();
            let stop = all.iter_mut().find(|e| e["id"] == "throttle_stop").unwrap();
            stop["held"]["learned"]["codes_gone"] = codes;
        })
    };
    assert!(gone(json!(["P0122", "P0201"])).is_empty());
    only(&gone(json!(["B1D10"])), &["A10 sets no code B1D10"]);
}

#[test]
fn a_vehicle_without_some_equipment_is_set_and_ended_otherwise() {
    let v = Vehicle::from_json(&wren().to_string()).unwrap();
    let without = v.without_equipment(&["trailer".to_owned()].into());
    let of = |v: &Vehicle, id: &str| v.settings().find(|s| s.id == id).map(|s| s.sound);
    assert_eq!((of(&v, "rear_trailer"), of(&without, "rear_trailer")), (Some(1.0), Some(0.0)));
    let record = |v: &Vehicle| {
        let a3 = v.parts.iter().find(|p| p.id == "A3").unwrap();
        a3.module.as_ref().unwrap().configuration["0601"].value.clone()
    };
    // The third bit of the first byte: 0110 0000 with a trailer, 0100 0000 without.
    assert_eq!((record(&v), record(&without)), ("6000".to_owned(), "4000".to_owned()));
    // The bus ends at the trailer module, or else in the rear module.
    let ends = |v: &Vehicle, id: &str| {
        let part = v.parts.iter().find(|p| p.id == id);
        let all = part.map_or(0, |p| {
            p.elements.iter().filter(|e| matches!(e, vehicle::Element::Resistor(_))).count()
        });
        all > 0
    };
    assert_eq!((ends(&v, "A3"), ends(&v, "A25")), (false, true));
    assert_eq!((ends(&without, "A3"), ends(&without, "A25")), (true, false));
    // What is taught to a module that is not there is no procedure.
    let no_radar = v.without_equipment(&["radar".to_owned()].into());
    let aligns = |v: &Vehicle| v.procedures.iter().any(|p| p.id == "radar_axis");
    assert!(aligns(&v) && !aligns(&no_radar) && no_radar.procedures.len() > 3);
    assert!(without.record_copies.iter().all(|c| c.module != "A25"));
}
