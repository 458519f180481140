//! Jobs 2 and 3 from the first scan to the signed report: codes that echo one another, a reading
//! that misleads and is doubted later, a conductor broken where it flexes.

use crate::bench::{Browser, House, entries, grown, view};
use serde_json::Value;
use std::time::Duration;

/// Proven, or beyond what any check in reach could refute.
fn proven(v: &Value) -> bool {
    v["certain"]["proven"] == true || v["certain"]["exhausted"] == true
}

/// Repairs what is proven and shows that it is right again, up to the signature.
async fn repair(b: &Browser, url: &str, job: i64, done: &str) {
    b.press("Repair and prove it").await;
    b.fill("input[placeholder*='crimped']", done).await;
    b.act(url, job, "main", "It is repaired").await;
    if !view(url, job).await["state"]["unplugged"].is_null() {
        b.act(url, job, "main", "Plugged in again").await;
        tokio::time::sleep(Duration::from_millis(2500)).await;
    }
    b.prove(url, job).await;
    b.act(url, job, "main", "Sign off").await;
    b.says("Signed off").await;
}

pub async fn three_codes_one_dragged_reference_and_a_misleading_reading(house: &House) {
    let url = house.demo();
    let b = &house.browser;
    let job = 2;
    let v = b.scanned(url, job).await;
    assert!(v["symptoms"].as_array().unwrap().len() >= 3, "{:#}", v["symptoms"]);
    // What the codes share: sensors that could drag the reference, and not its broken conductor.
    b.css("[data-shared='part:B2']").await;
    b.says("ruled out").await;
    b.picture("shared").await;

    // The probe slips: the reference looks sound.
    b.press("Circuit").await;
    b.press("Read").await;
    b.fill("input[aria-label='red']", "X10.REF1").await;
    b.css("#free-value").await;
    b.press("What if?").await;
    b.says("What it would tell").await;
    b.says("if nothing is wrong").await;
    b.picture("what-if").await;
    b.fill("#free-value", "5.0").await;
    b.client.active_element().await.unwrap().send_keys("\u{e007}").await.unwrap();
    let v = grown(url, job, entries(&v)).await;
    let wrong = v["ledger"].as_array().unwrap().last().unwrap()["number"].as_u64().unwrap();
    assert_ne!(v["suspects"][0]["repair_item"], "part:B2", "the reading misleads");

    // Going on, it is the reading that stops to fit; it is named, and doubted.
    b.follow(url, job, 14, |v| v["odd"]["number"].as_u64() == Some(wrong)).await;
    b.says(&format!("Entry {wrong} does not fit")).await;
    b.picture("odd-one-out").await;
    let v = b.act(url, job, "aside", &format!("Doubt entry {wrong}")).await;
    assert_eq!(v["odd"], Value::Null);
    b.follow(url, job, 12, proven).await;
    let v = view(url, job).await;
    assert_eq!(v["certain"]["item"], "part:B2");
    repair(b, url, job, "sensor replaced, connector dry").await;
    b.press("Report").await;
    b.press("For the next technician").await;
    b.says("doubted").await;
    let v = view(url, job).await;
    assert!(v["repair"]["probability"].as_f64().unwrap() > 0.95);
    assert_eq!(v["signed_off"], true);
}

pub async fn a_dead_tailgate_and_the_ground_in_its_hinge(house: &House) {
    let url = house.demo();
    let b = &house.browser;
    let job = 3;
    let v = b.scanned(url, job).await;
    let silent = |v: &Value| {
        let list = v["scan"]["modules"].as_array().unwrap();
        list.iter().any(|m| m["id"] == "A3" && m["answered"] == false)
    };
    assert!(silent(&v), "the rear module has lost its ground");
    // It is silent, and yet it must not be named: its supplies and grounds are still open.
    let gate: Value =
        reqwest::get(format!("{url}/api/jobs/{job}/gate/A3")).await.unwrap().json().await.unwrap();
    assert!(gate["open"].as_u64().unwrap() >= 3, "{gate:#}");
    let client = reqwest::Client::new();
    let named = client
        .post(format!("{url}/api/jobs/{job}/repair"))
        .json(&serde_json::json!({"item": "part:A3", "text": "module replaced"}))
        .send()
        .await
        .unwrap();
    assert_eq!(named.status(), 409);
    assert!(named.text().await.unwrap().contains("still open before it may be named"));
    b.follow(url, job, 14, proven).await;
    let v = view(url, job).await;
    assert_eq!(v["certain"]["item"], "wire:25", "{:#}", v["suspects"]);
    b.picture("proven").await;
    repair(b, url, job, "conductor renewed in the hinge boot").await;
    assert_eq!(view(url, job).await["signed_off"], true);
}
