//! Time passes: a road test gone through by the hands, what is expected moves with it, and what was read is
//! kept in the state it was read in.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

mod common;
#[path = "common/program.rs"]
mod program;

use program::Program;
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

fn values(program: &Program, job: i64, signals: &[&str]) -> Value {
    let answer = program.post(&format!("/api/jobs/{job}/values"), &json!({"signals": signals}));
    answer.json().unwrap()
}

#[test]
fn a_road_test_moves_what_is_read_and_what_is_expected_and_names_the_ring() {
    let runtime = Runtime::new().unwrap();
    let standin = runtime.block_on(common::standin(Some("part:R62:teeth:0.9")));
    let data = tempfile::tempdir().unwrap();
    let at = [standin.doip.to_string(), standin.hands.to_string()];
    let (program, job) = serve(&data, &["--doip", &at[0], "--hands", &at[1]]);
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
        seen.push(read["values"][0]["raw"].as_f64().unwrap());
        // 50 km/h from second 20 to 28.
        if course["since_s"].as_f64().unwrap() > 22.0 {
            break read;
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
fn without_hands_nobody_goes_through_anything() {
    let data = tempfile::tempdir().unwrap();
    let (program, job) = serve(&data, &[]);
    let refused =
        program.refused(&format!("/api/jobs/{job}/course"), &json!({"course": "warm_up"}));
    assert!(refused["detail"].as_str().unwrap().len() > 10, "{refused}");
    assert_eq!(program.json(&format!("/api/jobs/{job}"))["ledger"].as_array().unwrap().len(), 1);
}
