//! The vehicle's side: a roll call with a fault that shows only while the harness is moved, a cable
//! pulled in mid-scan and put back, codes pasted where there is no link at all.

use crate::bench::{House, post, program, standin, view};
use serde_json::{Value, json};
use std::time::Duration;

pub async fn a_roll_call_finds_the_line_that_chafes_while_it_is_moved(house: &House) {
    let url = house.demo();
    let jobs: Value = reqwest::get(format!("{url}/api/jobs")).await.unwrap().json().await.unwrap();
    let job =
        jobs["jobs"].as_array().unwrap().iter().find(|j| j["reference"] == "Order 2340").unwrap();
    let job = job["id"].as_i64().unwrap();
    let b = &house.browser;
    b.go(&format!("{url}/job/{job}/network")).await;
    b.press("Set key 15").await;
    b.says("Key 15").await;
    b.press("Start the roll call").await;
    b.says("always there").await;
    // Another window on the same job sees the same roll call.
    let other = house.driver.browser().await;
    other.go(&format!("{url}/job/{job}/network")).await;
    other.says("Pause").await;
    // Where nothing is wrong, and where something is: moved again and again, as one would. A dropout shorter than a
    // round tells of some modules only, and one that falls between two questions is missed.
    let moved = async |place: &str| {
        b.find("moved at", place).await;
        let v = b.act(url, job, "main", "Move it").await;
        v["ledger"].as_array().unwrap().last().unwrap()["detail"].clone()
    };
    assert_eq!(moved("door hinge boot, left").await, "no change");
    let mut changed = 0;
    for _ in 0..8 {
        changed += usize::from(moved("tow bar").await == "it changed");
        if changed == 3 {
            break;
        }
    }
    assert_eq!(changed, 3, "moving the tow bar shows it");
    b.says("dropout").await;
    other.says("dropout").await;
    b.picture("network").await;
    b.press("Pause").await;
    let v = b.act(url, job, "main", "Keep as evidence").await;
    let first = v["suspects"][0]["repair_item"].as_str().unwrap();
    // The high line of the trailer's stub, or a pair that it would rub through with: its low line, or the
    // supply beside it, which takes the line out of what receivers bear.
    let stub = ["wire:562", "wire:564", "pair:562+564", "pair:560+562"];
    assert!(stub.contains(&first), "{:#}", v["suspects"]);
    let halo = |item: &str| v["halos"][item].as_f64().unwrap_or(0.0);
    let on_it: f64 = ["wire:562", "pair:562+564", "pair:560+562"].map(halo).iter().sum();
    assert!(on_it > 0.3, "{:#}", v["halos"]);
    b.says("Kept in the ledger").await;
    other.client.close().await.unwrap();
}

pub async fn a_cable_pulled_in_mid_scan_leaves_what_was_gathered_and_the_rest_is_asked_later(
    house: &House,
) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_standin, [doip, _, hands]) = standin(&["--fault", "part:K9:coil_open"]);
    let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
    let (_app, url) = program(&serve);
    post(&format!("{hands}/state"), json!({"key": "15"})).await;
    // The cable is pulled while the last modules are asked.
    let pulled = json!({"latency_ms": 150, "cut_after": 20});
    post(&format!("{hands}/manners"), pulled).await;
    let opened = post(&format!("{url}/api/jobs"), json!({"vehicle": "wren"})).await;
    let job = opened["id"].as_i64().unwrap();
    post(&format!("{url}/api/jobs/{job}/state"), json!({"state": {"key": "15"}})).await;
    let b = &house.browser;
    b.go(&format!("{url}/job/{job}/codes")).await;
    tokio::time::sleep(Duration::from_millis(1500)).await;
    b.press("Scan all modules").await;
    b.says("were not asked").await;
    let v = view(&url, job).await;
    let of = |v: &Value, what: &str| {
        let modules = v["scan"]["modules"].as_array().unwrap();
        modules.iter().filter(|m| m[what] == true).count()
    };
    let (asked, answered) = (of(&v, "asked"), of(&v, "answered"));
    assert!(answered > 0 && answered < 25 && asked == answered, "{answered} of {asked}");
    // What could not be asked is no evidence: nobody is suspected for a silence.
    assert!(
        v["symptoms"]
            .as_array()
            .unwrap()
            .iter()
            .all(|s| { !s["text"].as_str().unwrap_or("").contains("silent") })
    );
    post(&format!("{hands}/manners"), json!({})).await;
    let v = b.act(&url, job, "main", "Ask the rest").await;
    assert_eq!(of(&v, "answered"), 25, "{:#}", v["scan"]);
    b.says("B1A11-14").await;
}

pub async fn codes_are_pasted_where_there_is_no_link(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_app, url) = program(&["serve", "--port", "0", "--data", &directory]);
    let opened = post(&format!("{url}/api/jobs"), json!({"vehicle": "wren"})).await;
    let job = opened["id"].as_i64().unwrap();
    post(&format!("{url}/api/jobs/{job}/state"), json!({"state": {"key": "15"}})).await;
    let b = &house.browser;
    b.go(&format!("{url}/job/{job}/codes")).await;
    b.press("Scan all modules").await;
    b.says("no link is set up").await;
    b.css("summary").await.click().await.unwrap();
    let report = "Body module\nB1A11-14 rear washer, active\nU3006-16 stored\n";
    b.fill("textarea", report).await;
    b.press("Read it").await;
    b.says("failing now").await;
    b.picture("pasted").await;
    let v = b.act(&url, job, "main", "Keep 2 codes").await;
    // It is weighed as if a scan had brought it; the old entry says nothing about now.
    let symptoms = v["symptoms"].as_array().unwrap();
    assert_eq!(symptoms.len(), 1, "{symptoms:#?}");
    assert!(symptoms[0]["text"].as_str().unwrap().contains("B1A11-14"));
    assert!(v["suspects"][0].to_string().contains("B1A11"), "{:#}", v["suspects"]);
    b.says("B1A11-14").await;
}
