//! A fault that comes and goes: not there when the van comes in, caught by a meter left on while the
//! harness is moved.

use crate::bench::{CARD, House, button, post, program, standin, view};
use serde_json::json;

pub async fn a_pump_that_works_now_and_then_is_traced_with_a_recording_meter(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_standin, [doip, scpi, hands]) = standin(&["--fault", "terminal:C4.7:open", "--flexes"]);
    let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
    let addresses = ["--scpi", &scpi, "--hands", hands.trim_start_matches("http://")];
    let (_app, url) = program(&[&serve[..], &addresses[..]].concat());
    let intake = json!({
        "complaint": "Rear washer only now and then", "output": "rear_washer", "effect": "none",
        "occurs": "sometimes",
    });
    let opened =
        post(&format!("{url}/api/jobs"), json!({"vehicle": "wren", "intake": intake})).await;
    let job = opened["id"].as_i64().unwrap();
    post(&format!("{url}/api/jobs/{job}/symptom"), json!({"present": "no"})).await;
    let b = &house.browser;
    b.go(&format!("{url}/job/{job}/circuit")).await;
    // Everything works as long as nobody moves it: what is measured now would clear the wrong things.
    let is_recorded = |v: &serde_json::Value| v["next"][0]["quantity"] == "recorded";
    for _ in 0..8 {
        let v = view(&url, job).await;
        if is_recorded(&v) {
            break;
        }
        let quantity = v["next"][0]["quantity"].as_str().unwrap();
        b.css(&format!("[data-check=\"{}\"]", v["next"][0]["id"].as_str().unwrap())).await;
        b.act(&url, job, CARD, button(quantity)).await;
    }
    let v = view(&url, job).await;
    assert!(is_recorded(&v), "{:#}", v["next"]);
    b.says("while you move, warm, load or drive it").await;
    b.picture("recorded").await;
    // Typed the wrong way round it is refused at the field and nothing is kept.
    b.fill("input[aria-label^='lowest']", "12.1").await;
    b.fill("input[aria-label^='highest']", "0.2").await;
    b.press_in(CARD, "Take").await;
    b.says("the lowest value is above the highest").await;
    b.fill("input[aria-label^='lowest']", "").await;
    b.fill("input[aria-label^='highest']", "").await;
    let found = |v: &serde_json::Value| v["suspects"][0]["repair_item"] == "terminal:C4.7";
    let checks = b.follow(&url, job, 16, |v| found(v) && v["certain"].is_object()).await;
    let v = view(&url, job).await;
    assert!(checks <= 14, "{checks}: {:#}", v["suspects"]);
    let ledger = v["ledger"].as_array().unwrap();
    let recorded = ledger.iter().filter(|e| e["kind"] == "recorded");
    let swings: Vec<f64> = recorded
        .map(|e| {
            let words: Vec<&str> = e["detail"].as_str().unwrap().split_whitespace().collect();
            // "0.35 V to 12.39 V"
            words[3].parse::<f64>().unwrap() - words[0].parse::<f64>().unwrap()
        })
        .collect();
    assert!(swings.iter().any(|s| *s > 5.0), "never caught: {swings:?}");
}
