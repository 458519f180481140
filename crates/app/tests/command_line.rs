//! The command line: what it prints, and how it refuses.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::{Value, json};
use std::path::Path;
use std::process::{Command, Output};

fn chalkeus(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_chalkeus"))
        .args(arguments)
        .current_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join("../.."))
        .output()
        .unwrap()
}

fn answer(arguments: &[&str]) -> Value {
    let out = chalkeus(arguments);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

fn refusal(arguments: &[&str]) -> (i32, String) {
    let out = chalkeus(arguments);
    (out.status.code().unwrap(), String::from_utf8_lossy(&out.stderr).into_owned())
}

const WREN: &str = "vehicles/wren.json";

#[test]
fn solve_gives_cavities_conductors_modules_and_codes() {
    let v = answer(&["solve", WREN, "--state", "rear_washer", "--json"]);
    assert_eq!(v["converged"], true);
    assert_eq!(v["modules"]["A2"], true);
    assert!(v["cavities"]["M7.1"].as_f64().unwrap() > 11.5);
    let pump = v["conductors"]["62"].as_f64().unwrap();
    assert!((2.8..3.3).contains(&pump), "{pump}");
    let v = answer(&["solve", WREN, "--state", "on", "--fault", "part:K9:coil_open", "--json"]);
    assert_eq!(v["codes"], json!([{"module": "A2", "code": "B1A11", "failure_type": "14"}]));
}

#[test]
fn a_deck_names_every_cavity() {
    let out = chalkeus(&["netlist", WREN, "--state", "on"]);
    let deck = String::from_utf8(out.stdout).unwrap();
    let v = answer(&["solve", WREN, "--state", "on", "--json"]);
    for cavity in v["cavities"].as_object().unwrap().keys() {
        assert!(
            deck.lines().any(|l| l.starts_with("* node ") && l.ends_with(&format!(" {cavity}")))
        );
    }
}

#[test]
fn faults_are_listed_with_item_and_prior() {
    let v = answer(&["faults", WREN, "--json"]);
    let all = v.as_array().unwrap();
    assert!(all.len() > 1500);
    assert!(all.iter().all(|f| f["prior"].as_f64().unwrap() > 0.0));
    assert!(all.iter().any(|f| f["repair_item"] == "terminal:C4.7"));
}

#[test]
fn suspects_follow_the_evidence_file() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("e.json");
    let evidence = json!({"evidence": [
        {"kind": "effect", "state": "rear_washer", "part": "M7", "strength": "weak"},
        {"kind": "reading", "state": "rear_washer", "instrument": "volts",
         "red": "C4.7:cabin", "black": "C4.7:engine", "value": 4.9},
        {"kind": "reading", "state": "rear_washer", "unplugged": ["M7"], "instrument": "volts",
         "red": "M7.1", "black": "BAT.-", "value": 12.4}
    ]});
    std::fs::write(&path, evidence.to_string()).unwrap();
    let v = answer(&["suspects", WREN, "--evidence", path.to_str().unwrap(), "--json"]);
    assert_eq!(v["suspects"][0]["repair_item"], "terminal:C4.7");
    assert!(v["suspects"][0]["probability"].as_f64().unwrap() > 0.5, "{}", v["suspects"]);
    for check in v["next"].as_array().unwrap() {
        assert!(check["minutes"].as_f64().unwrap() > 0.0);
        assert!(check["expected"].is_string());
    }
}

#[test]
fn check_tells_what_is_doubtful_beside_what_is_wrong() {
    let v = answer(&["check", WREN, "--json"]);
    assert_eq!((&v["ok"], &v["doubts"]), (&json!(true), &json!([])));
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("doubtful.json");
    let mut van: Value = serde_json::from_str(
        &std::fs::read_to_string(
            Path::new(env!("CARGO_MANIFEST_DIR")).join("../../vehicles/wren.json"),
        )
        .unwrap(),
    )
    .unwrap();
    // The pump's ground conductor was forgotten.
    van["wires"].as_array_mut().unwrap().retain(|w| w["id"] != "64");
    std::fs::write(&file, van.to_string()).unwrap();
    let name = file.to_str().unwrap();
    let v = answer(&["check", name, "--json"]);
    let doubts = v["doubts"].as_array().unwrap();
    let says = |word: &str| doubts.iter().any(|d| d["what"].as_str().unwrap().contains(word));
    assert!(says("no conductor ends at M7.2") && says("M7 never works"), "{doubts:?}");
    let plain = chalkeus(&["check", name]);
    assert!(plain.status.success());
    let words = String::from_utf8(plain.stdout).unwrap();
    assert!(words.contains("sound in form, but doubtful"), "{words}");
    assert_eq!(words.lines().count(), 1 + doubts.len(), "{words}");
}

#[test]
fn bad_input_is_refused_with_its_place() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("broken.json");
    let name = file.to_str().unwrap();
    let text = std::fs::read_to_string(
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../../vehicles/wren.json"),
    )
    .unwrap();
    std::fs::write(&file, text.replace("\"to\": \"G6\"", "\"to\": \"G66\"")).unwrap();
    let (code, words) = refusal(&["check", name]);
    assert_eq!(code, 1);
    assert!(words.contains("wires[") && words.contains("did you mean “G"), "{words}");
    for (arguments, expected) in [
        (vec!["check", "nowhere.json"], "nowhere.json"),
        (vec!["solve", WREN, "--state", "flying"], "this vehicle has off, on"),
        (vec!["solve", WREN, "--state", "on", "--fault", "wire:999:open"], "no fault"),
        (vec!["serve", "--data", "/proc/nothing"], "--data"),
        (vec!["serve", "--vehicles", "nowhere"], "--vehicles"),
    ] {
        let (code, words) = refusal(&arguments);
        assert_eq!(code, 1, "{arguments:?}");
        assert!(words.contains(expected), "{arguments:?}: {words}");
    }
    assert_eq!(refusal(&["solve", WREN]).0, 2);
}

#[test]
fn a_port_in_use_is_named() {
    let taken = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = taken.local_addr().unwrap().port().to_string();
    let dir = tempfile::tempdir().unwrap();
    let (code, words) =
        refusal(&["serve", "--port", &port, "--data", dir.path().to_str().unwrap()]);
    assert_eq!(code, 1);
    assert!(words.contains(&port) && words.contains("--port"), "{words}");
}

#[test]
fn every_piece_of_wrong_evidence_is_named_with_its_path() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("evidence.json");
    let piece = |k: usize| match k {
        0 => serde_json::json!({"kind": "reading", "state": "on", "quantity": "volts", "red": 5}),
        1 => {
            serde_json::json!({"kind": "effect", "state": "nowhere", "part": "M7", "strength": "weak"})
        }
        2 => {
            serde_json::json!({"kind": "effect", "state": "on", "part": "M777", "strength": "weak"})
        }
        _ => serde_json::json!(17),
    };
    let all: Vec<_> = (0..70).map(piece).collect();
    std::fs::write(&file, serde_json::json!({"evidence": all}).to_string()).unwrap();
    let path = file.to_string_lossy().into_owned();
    let out = chalkeus(&["suspects", WREN, "--evidence", &path]);
    assert_eq!(out.status.code(), Some(1));
    let words = String::from_utf8(out.stderr).unwrap();
    for part in [
        "evidence[0]",
        "evidence[1].state: ",
        "evidence[2]: there is no part “M777”",
        "evidence[3]: must be",
        "and 20 more",
    ] {
        assert!(words.contains(part), "{part} is not in {words}");
    }
    assert!(words.lines().all(|l| l.contains("evidence.json")), "{words}");
}

/// A capture of a bus on which one sender drives half and one is heard by nobody.
fn weak_bus() -> bus::Trace {
    use bus::can::wave::{Rates, Sent, Shape, draw};
    let rates = Rates::classic(250e3);
    let mut at = 80e-6;
    let mut sent = Vec::new();
    for n in 0..9u16 {
        let id = [0x100, 0x200, 0x300][usize::from(n % 3)];
        let frame = bus::Frame::classic(bus::Id::Standard(id), &[n as u8, 0xA5]);
        let dominant = if id == 0x200 { [3.0, 2.0] } else { [3.5, 1.5] };
        let bits = bus::can::bits::bits(&frame, id != 0x300);
        let one = Sent { bits, at, shape: Shape { dominant, ..Shape::default() }, clock: 0.0 };
        at = one.end(&rates) + 100e-6;
        sent.push(one);
    }
    draw(&sent, &rates, &Shape::default(), 200e-9, at)
}

#[test]
fn a_capture_is_decoded_with_what_is_wrong_in_it() {
    let dir = tempfile::tempdir().unwrap();
    let path = |name: &str| dir.path().join(name).to_str().unwrap().to_owned();
    let volts = path("volts.csv");
    std::fs::write(&volts, bus::format::csv::write(&weak_bus())).unwrap();
    let v = answer(&["decode", &volts, "--bus", "can", "--json"]);
    assert_eq!((&v["bus"], &v["bit_rate"]), (&json!("can"), &json!(250_000.0)));
    let frames = v["frames"].as_array().unwrap();
    assert_eq!(frames.len(), 9);
    assert_eq!((&frames[4]["id"], &frames[4]["data"]), (&json!("200"), &json!("04A5")));
    assert_eq!((&frames[4]["ok"], &frames[4]["extended"]), (&json!(true), &json!(false)));
    assert_eq!(frames[2]["error"], "acknowledged by nobody");
    let kinds: Vec<&Value> = v["findings"].as_array().unwrap().iter().map(|f| &f["kind"]).collect();
    assert_eq!(kinds, [&json!("amplitude"), &json!("acknowledge")]);
    assert!(v["findings"][0]["text"].as_str().unwrap().contains("200"));
    // A log of frames, and in words.
    let log = path("log.txt");
    std::fs::write(&log, "(1.000000) can0 123#0102\n(1.100000) can0 18DAF110#03\n").unwrap();
    let v = answer(&["decode", &log, "--bus", "can", "--json"]);
    assert_eq!(
        (&v["frames"][1]["id"], &v["frames"][1]["extended"]),
        (&json!("18DAF110"), &json!(true))
    );
    let said = String::from_utf8(chalkeus(&["decode", &log, "--bus", "can"]).stdout).unwrap();
    assert!(said.contains("18DAF110  03") && said.contains("2 frames"), "{said}");
    // A LIN line, one slave of which is silent.
    let slot = |id, answer| bus::lin::wave::Slot { id, answer };
    let answered = Some((vec![1, 2], bus::lin::frame::Sum::Enhanced));
    let slots = [slot(0x10, answered), slot(0x11, None)];
    let line = bus::lin::wave::draw(&slots, 19_200.0, 10e-3, &Default::default(), 4e-6);
    let lin = path("lin.csv");
    std::fs::write(&lin, bus::format::csv::write(&line)).unwrap();
    let v = answer(&["decode", &lin, "--bus", "lin", "--json"]);
    assert!((v["bit_rate"].as_f64().unwrap() - 19_200.0).abs() < 100.0);
    assert_eq!(
        (&v["frames"][0]["data"], &v["frames"][1]["error"]),
        (&json!("0102"), &json!("nobody answers"))
    );
    assert_eq!(v["findings"][0]["kind"], "no_answer");
}

#[test]
fn a_capture_that_cannot_be_read_is_refused_with_its_place() {
    let dir = tempfile::tempdir().unwrap();
    let refused = |name: &str, text: &str, more: &[&str]| {
        let path = dir.path().join(name);
        std::fs::write(&path, text).unwrap();
        let path = path.to_str().unwrap();
        let (code, said) = refusal(&[&["decode", path, "--bus", "can"][..], more].concat());
        assert_eq!(code, 1, "{said}");
        assert!(said.contains(name), "{said}");
        said
    };
    assert!(refused("broken.csv", "Time (s),H\n0,2.5\n1e-6,what\n", &[]).contains("line 3"));
    assert!(refused("bare.csv", "2.5\n2.5\n", &[]).contains("no time column"));
    assert!(
        refused("flat.csv", &"2.5\n".repeat(100), &["--sample-rate", "1e6"]).contains("silent")
    );
    assert!(refused("log.txt", "(1.0) can0 12#00\n", &[]).contains("line 1"));
    assert!(refused("bad.pcapng", "\n\r\r\nrubbish", &[]).contains("no pcapng"));
    let (code, said) = refusal(&["decode", "nowhere.csv", "--bus", "can"]);
    assert!(code == 1 && said.contains("nowhere.csv"), "{said}");
}
