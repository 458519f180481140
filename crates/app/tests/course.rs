//! Time passes: a road test gone through by the hands, what is expected moves with it, and what was read is
//! kept in the state it was read in.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::program::Program;
use serde_json::{Value, json};
use std::process::Command;
use std::time::{Duration, Instant};
use tokio::runtime::Runtime;

const WHEELS: [&str; 4] = ["ws_fl_rate", "ws_fr_rate", "ws_rl_rate", "ws_rr_rate"];

fn serve(data: &tempfile::TempDir, more: &[&str]) -> (Program, i64) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_chalkeus"));
    command.args(["serve", "--port", "0", "--data"]).arg(data.path());
    command.args(["--vehicles", concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles")]);
    command.args(more);
    let program = Program::of(command);
    let new = json!({"vehicle": "wren", "intake": {"complaint": "steering heavy"}});
    let job = program.kept("/api/jobs", &new)["id"].as_i64().unwrap();
    (program, job)
}

/// A program at a stand-in with hands.
struct Seated {
    runtime: Runtime,
    standin: standin::Standin,
    data: tempfile::TempDir,
    program: Program,
    job: i64,
}

fn seated(fault: Option<&str>) -> Seated {
    let runtime = Runtime::new().unwrap();
    let standin = runtime.block_on(crate::common::standin(fault));
    let data = tempfile::tempdir().unwrap();
    let at = [standin.doip.to_string(), standin.hands.to_string()];
    let (program, job) = serve(&data, &["--doip", &at[0], "--hands", &at[1]]);
    Seated { runtime, standin, data, program, job }
}

fn values(program: &Program, job: i64, signals: &[&str]) -> Value {
    let answer = program.post(&format!("/api/jobs/{job}/values"), &json!({"signals": signals}));
    answer.json().unwrap()
}

#[test]
fn a_road_test_moves_what_is_read_and_what_is_expected_and_names_the_ring() {
    let Seated { runtime: _runtime, standin: _standin, data: _data, program, job } =
        seated(Some("part:R62:teeth:0.9"));
    let path = format!("/api/jobs/{job}/course");
    let unknown = program.refused(&path, &json!({"course": "race"}));
    assert!(unknown["detail"].as_str().unwrap().contains("race"), "{unknown}");
    program.kept(&path, &json!({"course": "road_test"}));
    let began = Instant::now();
    let mut seen = Vec::new();
    let read = loop {
        let read = values(&program, job, &[&WHEELS[..], &["app1_volts", "cts_volts"]].concat());
        let course = &read["course"];
        assert_eq!(course["id"], "road_test", "{read}");
        // A round that a module had no time for is a gap.
        if read["values"].as_array().unwrap().iter().all(|v| v["raw"].is_number()) {
            seen.push(read["values"][0]["raw"].as_f64().unwrap());
            // 50 km/h from second 20 to 28.
            if course["since_s"].as_f64().unwrap() > 22.0 {
                break read;
            }
        }
        assert!(began.elapsed() < Duration::from_secs(90), "{course}");
        std::thread::sleep(Duration::from_millis(300));
    };
    // It stood, it rolled, and it grew faster all the way.
    assert!(seen[0] < 1.0 && seen.windows(2).all(|w| w[1] >= w[0] - 0.11), "{seen:?}");
    let raw = |k: usize| read["values"][k]["raw"].as_f64().unwrap();
    // 50 km/h at 6.667 Hz each, tyres apart: 333 Hz; nine teeth of ten are left on one.
    let fastest = raw(0).max(raw(1)).max(raw(3));
    assert!((fastest - 333.0).abs() < 8.0, "{read}");
    assert!((raw(2) / fastest - 0.9).abs() < 0.02, "{read}");
    // What is said of the engine stands beside what is expected at this moment: 90 °C all along.
    assert_eq!(read["values"][5]["stands"], "as_expected", "{}", read["values"][5]);
    assert_eq!(read["values"][4]["stands"], "as_expected", "{}", read["values"][4]);
    // The state to keep it in says how fast, and nothing of the pedal that moves.
    let state = &read["state"];
    assert_eq!(state["stimuli"]["road_speed"], 50.0, "{state}");
    assert!(state["stimuli"]["pedal"].is_null() && state["stimuli"]["coolant_temperature"] == 90.0);
    let four: Vec<Value> = (0..4).map(|k| json!({"signal": WHEELS[k], "value": raw(k)})).collect();
    let found = json!({"kind": "together", "values": four, "apart": 0.0, "state": state});
    program.kept(&format!("/api/jobs/{job}/found"), &found);
    let view = program.fresh(job);
    assert_eq!(view["suspects"][0]["repair_item"], "part:R62", "{:#}", view["suspects"]);
    // Any other state ends it.
    program.kept(&format!("/api/jobs/{job}/state"), &json!({"state": {"key": "15"}}));
    let after = values(&program, job, &WHEELS);
    assert!(after["course"].is_null() && after["values"][0]["raw"] == 0.0, "{after}");
}

#[test]
fn what_was_read_is_kept_with_the_job_and_what_cannot_be_read_is_refused() {
    let data = tempfile::tempdir().unwrap();
    let (program, job) = serve(&data, &[]);
    let path = format!("/api/jobs/{job}/recordings");
    let text = "Time (s),ws_fl_rate [km/h],Mark\n0.000,0,\n1.500,12.5,road\n";
    let send = |name: &str, text: &str| {
        let url = format!("{}{path}?name={name}", program.url);
        let request =
            program.http.post(url).header("idempotency-key", format!("{name}{}", text.len()));
        request.header("content-type", "text/csv").body(text.to_owned()).send().unwrap()
    };
    assert!(send("drive", text).status().is_success());
    let list = program.json(&path);
    assert_eq!((&list[0]["name"], &list[0]["values"]), (&json!("drive"), &json!(1)), "{list}");
    assert_eq!(list[0]["seconds"], 1.5);
    let number = list[0]["number"].as_u64().unwrap();
    assert_eq!(program.get(&format!("{path}/{number}")).text().unwrap(), text);
    let ledger = program.json(&format!("/api/jobs/{job}"))["ledger"].clone();
    assert_eq!(ledger.as_array().unwrap().last().unwrap()["kind"], "live_kept", "{ledger}");
    let refused = send("broken", "Time (s),a,Mark\n0,much,\n");
    assert_eq!(refused.status().as_u16() / 100, 4);
    assert!(refused.text().unwrap().contains("line 2"));
    assert_eq!(program.json(&path).as_array().unwrap().len(), 1);
    assert_eq!(program.get(&format!("{path}/9")).status(), 404);
}

#[test]
fn an_output_is_not_driven_while_what_must_hold_does_not() {
    let Seated { runtime: _runtime, standin: _standin, data: _data, program, job } = seated(None);
    let state = format!("/api/jobs/{job}/state");
    let drive = format!("/api/jobs/{job}/drive");
    let rolling = json!({"key": "15", "engine": "running", "stimuli": {"road_speed": 20.0}});
    program.kept(&state, &json!({"state": rolling}));
    let refused = program.refused(&drive, &json!({"output": "slide_open", "on": true}));
    let words = refused["detail"].as_str().unwrap();
    assert!(words.contains("Vehicle stands"), "{refused}");
    // 20 km/h at 6.667 Hz each: 133 Hz; the tyres of one van differ a little from those of the next.
    let said = words.split(|c: char| !(c.is_ascii_digit() || c == '.'));
    let rate = said.filter_map(|n| n.parse::<f64>().ok()).find(|n| *n > 20.0).unwrap();
    assert!((rate - 133.3).abs() < 4.0, "{refused}");
    assert_eq!(refused["status"], 409);
    let driven = || program.json(&format!("/api/jobs/{job}"))["state"]["outputs"].clone();
    assert!(driven().is_null(), "{}", driven());
    // Standing it is, and the other way takes its place: never both.
    program.kept(&state, &json!({"state": {"key": "15"}}));
    program.kept(&drive, &json!({"output": "slide_open", "on": true}));
    program.kept(&drive, &json!({"output": "slide_close", "on": true}));
    assert_eq!(driven(), json!(["slide_close"]));
}

#[test]
fn an_output_is_given_back_when_what_must_hold_for_it_holds_no_longer() {
    let Seated { runtime, standin, data: _data, program, job } = seated(None);
    program.kept(&format!("/api/jobs/{job}/state"), &json!({"state": {"key": "15"}}));
    program
        .kept(&format!("/api/jobs/{job}/drive"), &json!({"output": "slide_release", "on": true}));
    let view = || program.json(&format!("/api/jobs/{job}"));
    assert_eq!(view()["state"]["outputs"], json!(["slide_release"]));
    // Somebody pushes the van: nobody told the program.
    let rolling = json!({"key": "15", "stimuli": {"road_speed": 20.0}});
    runtime.block_on(crate::common::hands(&standin, "/state", rolling));
    let until = Instant::now() + Duration::from_secs(7);
    while !view()["state"]["outputs"].is_null() {
        assert!(Instant::now() < until, "it is still driven: {}", view()["state"]);
        std::thread::sleep(Duration::from_millis(200));
    }
    let ledger = view()["ledger"].clone();
    let told = ledger.as_array().unwrap().iter().any(|e| e.to_string().contains("Vehicle stands"));
    assert!(told, "{ledger}");
}

#[test]
fn a_share_of_the_time_is_set_within_its_range_and_the_current_is_read() {
    let Seated { runtime: _runtime, standin: _standin, data: _data, program, job } = seated(None);
    program.kept(&format!("/api/jobs/{job}/state"), &json!({"state": {"key": "15"}}));
    let drive = format!("/api/jobs/{job}/drive");
    let heater = |percent: f64| json!({"output": "seat_heat_left", "on": true, "percent": percent});
    let refused = program.refused(&drive, &heater(5.0));
    assert!(refused["detail"].as_str().unwrap().contains("10 to 100 %"), "{refused}");
    let plain = json!({"output": "slide_release", "on": true, "percent": 50.0});
    assert!(program.refused(&drive, &plain)["detail"].as_str().unwrap().contains("percent"));
    program.kept(&drive, &heater(40.0));
    let state = program.json(&format!("/api/jobs/{job}"))["state"].clone();
    assert_eq!(state["percent"], json!({"seat_heat_left": 40.0}), "{state}");
    // What the module reads while it is on: 12.3 V over 2.2 ohms and some 0.3 ohms on the way are 4.9 A.
    let read = values(&program, job, &["a24_amps"]);
    let amps = read["values"][0]["raw"].as_f64().unwrap();
    assert!((4.3..5.5).contains(&amps), "{read}");
    assert_eq!(read["values"][0]["stands"], "as_expected", "{read}");
    program.kept(&drive, &json!({"output": "seat_heat_left", "on": false}));
    let state = program.json(&format!("/api/jobs/{job}"))["state"].clone();
    assert!(state["percent"].is_null() && state["outputs"].is_null(), "{state}");
}

#[test]
fn what_knows_steps_only_is_driven_by_their_number() {
    let Seated { runtime: _runtime, standin: _standin, data: _data, program, job } = seated(None);
    program.kept(&format!("/api/jobs/{job}/state"), &json!({"state": {"key": "15"}}));
    let drive = format!("/api/jobs/{job}/drive");
    let blower = |percent: f64| json!({"output": "blower", "on": true, "percent": percent});
    let refused = program.refused(&drive, &blower(40.0));
    assert!(refused["detail"].as_str().unwrap().contains("30 %, 50 %, 70 %, 100 %"), "{refused}");
    // What its module was told, as it says itself.
    for percent in [30.0, 100.0] {
        program.kept(&drive, &blower(percent));
        let state = program.json(&format!("/api/jobs/{job}"))["state"].clone();
        assert_eq!(state["percent"], json!({"blower": percent}), "{state}");
        let read = values(&program, job, &["blower_duty"]);
        let said = read["values"][0]["raw"].as_f64().unwrap();
        assert!((said - percent).abs() < 1.0, "{read}");
        assert_eq!(read["values"][0]["stands"], "as_expected", "{read}");
    }
    program.kept(&drive, &json!({"output": "blower", "on": false}));
}

#[test]
fn without_hands_nobody_goes_through_anything() {
    let data = tempfile::tempdir().unwrap();
    let (program, job) = serve(&data, &[]);
    let refused =
        program.refused(&format!("/api/jobs/{job}/course"), &json!({"course": "warm_up"}));
    assert!(refused["detail"].as_str().unwrap().len() > 10, "{refused}");
    assert_eq!(program.json(&format!("/api/jobs/{job}"))["ledger"].as_array().unwrap().len(), 1);
}
