//! Codes in job 2: scanned, sorted, cleared, followed until their tests have run, compared; those of
//! one's own unplugging labelled; the modules' identification kept.

use crate::bench::{House, get, post, program, standin, view};
use serde_json::json;
use std::time::Duration;

pub async fn scan_sort_clear_follow_and_compare(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_app, url) = program(&["demo", "--port", "0", "--data", &directory]);
    let b = &house.browser;
    let job = 2;
    b.scanned(&url, job).await;

    // The reference leads; its sensors and what others make of them echo it.
    b.css("li[data-code='A10 P0642-16'][data-role='cause']").await;
    b.press_in("section[@aria-label='In order']", "Show 5 echoes").await;
    b.css("[data-echo='A10 P0522-16']").await;
    b.css("[data-echo='A26 U0401-81']").await;
    b.picture("codes-sorted").await;

    // Cleared only after the scan was kept; then each test is followed until it has run.
    b.press("Clear codes").await;
    b.says("is kept as entry").await;
    b.act(&url, job, "main", "Clear them").await;
    b.css("[data-run='came back']").await;
    b.says("6 of 6 tests have run").await;
    b.picture("since-clearing").await;
    let v = b.act(&url, job, "main", "Scan again").await;
    assert_eq!(v["watched"].as_array().unwrap().len(), 0);
    b.says("Two scans compared").await;
    b.says("returned").await;
    let fates = v["compared"].as_array().unwrap();
    assert!(fates.len() == 6 && fates.iter().all(|c| c["fate"] == "returned"), "{fates:#?}");

    // What one does oneself is foretold, labelled, and suspects nobody.
    let state = json!({"state": {"key": "15", "unplugged": ["X23"]}});
    let r = reqwest::Client::new().post(format!("{url}/api/jobs/{job}/state")).json(&state);
    assert!(r.send().await.unwrap().status().is_success());
    b.css("details[data-own]").await;
    tokio::time::sleep(Duration::from_millis(2500)).await;
    let v = b.act(&url, job, "main", "Scan again").await;
    b.press_in("section[@aria-label='In order']", "Show 2 more").await;
    b.css("li[data-code='A23'][data-role='own']").await;
    b.css("li[data-code='A24 U0164-87'][data-role='own']").await;
    let about_climate = |s: &serde_json::Value| {
        let text = s["text"].as_str().unwrap();
        text.contains("U0164") || text.contains("A23")
    };
    assert!(!v["symptoms"].as_array().unwrap().iter().any(about_climate), "{:#}", v["symptoms"]);

    // Who the modules say they are, as a table to take along.
    b.press("Network").await;
    b.act(&url, job, "main", "Read identification").await;
    b.css("[data-identity='A10']").await;
    let table = reqwest::get(format!("{url}/api/jobs/{job}/identification.csv")).await.unwrap();
    assert!(table.headers()["content-type"].to_str().unwrap().starts_with("text/csv"));
    let table = table.text().await.unwrap();
    assert!(table.starts_with("module,name,answered,part,"), "{table}");
    assert_eq!(table.lines().count(), 26);
    assert!(table.lines().any(|l| l.starts_with("A23,Climate module,no,")), "{table}");
    let vin = view(&url, job).await["intake"]["vin"].as_str().unwrap().to_owned();
    assert!(table.lines().any(|l| l.starts_with("A10,") && l.contains(&vin)), "{table}");
}

pub async fn what_is_not_fitted_is_not_missed_and_told_of_when_it_answers(_house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    // A van whose trailer module has lost its ground, and whose seat heating works.
    let (_standin, [doip, _, hands]) = standin(&["--fault", "wire:556:open"]);
    post(&format!("{hands}/state"), json!({"key": "15"})).await;
    let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
    let (_app, url) = program(&serve);
    let job = post(&format!("{url}/api/jobs"), json!({"vehicle": "wren"})).await["id"].clone();
    let at = |what: &str| format!("{url}/api/jobs/{job}/{what}");
    post(&at("state"), json!({"state": {"key": "15"}})).await;
    tokio::time::sleep(Duration::from_millis(2500)).await;
    let silent = |v: &serde_json::Value, id: &str| {
        let modules = v["scan"]["modules"].as_array().unwrap();
        modules.iter().find(|m| m["id"] == id).map(|m| m["answered"] == false)
    };
    let now = async || view(&url, job.as_i64().unwrap()).await;
    post(&at("scan"), json!({})).await;
    let v = now().await;
    assert_eq!(silent(&v, "A25"), Some(true));
    let suspects = v["suspects"].to_string();
    assert!(suspects.contains("A25") || suspects.contains("556"), "{suspects}");
    // It has no tow bar at all: nobody is missing. It should have no seat heating either, and has.
    let mut intake = v["intake"].clone();
    intake["not_fitted"] = json!(["trailer", "seat_heating"]);
    post(&at("intake"), intake.clone()).await;
    let lists = get(&at("lists")).await;
    assert_eq!(lists["modules"].as_array().unwrap().len(), 23);
    assert_eq!(lists["equipment"].as_array().unwrap().len(), 4, "to be ticked again");
    post(&at("scan"), json!({})).await;
    let v = now().await;
    assert_eq!(silent(&v, "A25"), None);
    let seat = v["scan"]["modules"].as_array().unwrap().iter().find(|m| m["id"] == "A24").unwrap();
    assert_eq!(seat["unexpected"], true, "{seat}");
    assert!(!v["suspects"].to_string().contains("A25"), "{:#}", v["suspects"]);
    // What does not exist is refused, and what was kept stays.
    intake["not_fitted"] = json!(["wings"]);
    let refused = reqwest::Client::new().post(at("intake")).json(&intake).send().await.unwrap();
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("no equipment “wings”"));
}
