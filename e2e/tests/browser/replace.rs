//! What happens after the cause is known: a procedure on the road, a module replaced by the plan, a write that broke
//! off.

use crate::bench::{House, get, job, post, program, standin, view};
use serde_json::{Value, json};
use std::time::Duration;

/// Learned on the road: once it ends by itself, once it is passed.
pub async fn tooth_errors_are_learned_on_the_road(house: &House) {
    let url = house.demo();
    let id = job(url, "2372").await;
    let b = &house.browser;
    let v = b.scanned(url, id).await;
    assert_eq!(v["suspects"][0]["repair_item"], "part:Z10", "{:#}", v["suspects"]);
    b.go(&format!("{url}/job/{id}/fit")).await;
    let state =
        |stimuli: Value| json!({"state": {"key": "15", "engine": "running", "stimuli": stimuli}});
    let at = |what: &str| format!("{url}/api/jobs/{id}/{what}");
    post(&at("state"), state(json!({"coolant_temperature": 85}))).await;
    b.press_in("*[@data-setting='tooth_errors']", "Follow").await;
    b.says("Foot off, let it roll").await;
    b.press_in("*[@role='dialog']", "Begin").await;
    b.css("[data-follow='tooth_errors'][data-over='false']").await;
    b.says("Drive faster than 45 km/h").await;
    // Whoever floors it ends it, and is told so.
    post(&at("state"), state(json!({"coolant_temperature": 85, "pedal": 95}))).await;
    b.css("[data-over='true']").await;
    b.says("which it must not be").await;
    b.press("Back, and try it again").await;
    post(&at("state"), state(json!({"coolant_temperature": 85}))).await;
    b.press_in("*[@data-setting='tooth_errors']", "Follow").await;
    b.press_in("*[@role='dialog']", "Begin").await;
    b.css("[data-follow='tooth_errors'][data-over='false']").await;
    b.press("Let the hands drive").await;
    b.css("[data-aim='ws_fl_rate']").await;
    for _ in 0..60 {
        if b.has("[data-aim='app1_volts']").await {
            break;
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
    }
    b.picture("follow").await;
    b.says("Passed").await;
    b.press("Back to the job").await;
    b.css("[data-setting='tooth_errors']").await;
    let v = view(url, id).await;
    let rows = v["ledger"].as_array().unwrap();
    let of = |kind: &str| rows.iter().filter(|r| r["kind"] == kind).count();
    assert_eq!((of("not_taught"), of("taught")), (1, 1), "{rows:#?}");
    let kept = get(&at("recordings")).await;
    assert_eq!(kept.as_array().unwrap().len(), 2, "both traces are kept");
    // The code is gone once it was cleared and its monitor ran.
    post(&at("clear"), json!({})).await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    post(&at("scan"), json!({})).await;
    let v = view(url, id).await;
    let left: Vec<&Value> = (v["scan"]["modules"].as_array().unwrap().iter())
        .flat_map(|m| m["codes"].as_array().unwrap())
        .filter(|c| c["failing"] == true)
        .collect();
    assert!(left.is_empty(), "{left:#?}");
}

/// A used trailer module of another build goes out, its successor in.
pub async fn a_used_module_of_another_build_is_replaced_by_the_plan(house: &House) {
    let url = house.demo();
    let id = job(url, "2379").await;
    let b = &house.browser;
    let v = b.scanned(url, id).await;
    let named: Vec<&str> = (v["suspects"].as_array().unwrap().iter())
        .filter_map(|s| s["repair_item"].as_str())
        .take(4)
        .collect();
    assert!(named.contains(&"part:Z25"), "{named:?}");
    b.go(&format!("{url}/job/{id}/fit")).await;
    b.find("part that is replaced", "trailer module").await;
    b.css("[data-choice='PW 10 0 44322']").await;
    b.says("differs from what was built in").await;
    b.css("[data-choice='PW 10 0 44325'] button").await.click().await.unwrap();
    let already = "main label input[type=checkbox]:checked";
    if b.has(already).await {
        b.css(already).await.click().await.unwrap();
    }
    b.fill("input[placeholder='customer, by telephone']", "customer, in the shop").await;
    b.act(url, id, "main", "Plan it").await;
    let press = |step: &str| format!("*[@data-step='{step}']");
    b.act(url, id, &press("supply"), "It is connected").await;
    // All of them answered in the scan that was made already.
    b.css("[data-step='answers'][data-stands='done']").await;
    b.picture("fit").await;
    b.act(url, id, &press("keep"), "Read and keep").await;
    let reason = json!({"module": "A25", "reason": "the wrong variant: its number says so"});
    post(&format!("{url}/api/jobs/{id}/override"), reason).await;
    b.act(url, id, &press("replace"), "It is replaced").await;
    b.css("[data-step='replace'][data-stands='done']").await;
    for step in ["write F190", "write 0601"] {
        b.css(&format!("[data-step='{step}'][data-stands='open']")).await;
        b.press_in(&press(step), "Write").await;
        b.act(url, id, "*[@role='dialog']", "Write it").await;
        b.css(&format!("[data-step='{step}'][data-stands='done']")).await;
    }
    b.act(url, id, &press("key_cycle"), "Off and on").await;
    b.css("[data-step='key_cycle'][data-stands='done']").await;
    b.act(url, id, &press("clear"), "Clear").await;
    b.css("[data-step='clear'][data-stands='done']").await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    b.act(url, id, &press("rescan"), "Scan again").await;
    b.css("[data-step='rescan'][data-stands='done']").await;
    let plan = get(&format!("{url}/api/jobs/{id}/plan")).await;
    let all = plan["steps"].as_array().unwrap();
    assert!(all.iter().all(|s| s["stands"] == "done"), "{all:#?}");
    let v = view(url, id).await;
    let gone = v["compared"].as_array().unwrap().iter().filter(|c| c["fate"] == "gone").count();
    assert!(gone > 0, "{:#}", v["compared"]);
    // The decision is in the report.
    let page = reqwest::get(format!("{url}/api/jobs/{id}/report/technician")).await.unwrap();
    assert!(page.text().await.unwrap().contains("agreed by customer, in the shop"));
}

/// The brake module is replaced while the panel is coded for other tyres: that is read before anything is written,
/// told beside what is written, and set with it.
pub async fn what_has_to_agree_in_another_module_is_set_with_it(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_standin, [doip, scpi, hands]) =
        standin(&["--fault", "part:Z26:panel_tyres_other_tyres@2"]);
    let address = hands.trim_start_matches("http://").to_owned();
    let (_app, url) = program(&[
        "serve", "--port", "0", "--data", &directory, "--doip", &doip, "--scpi", &scpi, "--hands",
        &address,
    ]);
    let intake = json!({"complaint": "Brake module replaced", "vin": "0PMWR22K7NB006630"});
    let opened =
        post(&format!("{url}/api/jobs"), json!({"vehicle": "wren", "intake": intake})).await;
    let id = opened["id"].as_i64().unwrap();
    let b = &house.browser;
    b.scanned(&url, id).await;
    b.go(&format!("{url}/job/{id}/fit")).await;
    b.find("part that is replaced", "brake control module").await;
    b.act(&url, id, "main", "Plan it").await;
    let press = |step: &str| format!("*[@data-step='{step}']");
    b.act(&url, id, &press("supply"), "It is connected").await;
    b.act(&url, id, &press("keep"), "Read and keep").await;
    b.css("[data-step='agree A26'][data-stands='open']").await;
    let reason = json!({"module": "A12", "reason": "the customer wants it"});
    post(&format!("{url}/api/jobs/{id}/override"), reason).await;
    b.act(&url, id, &press("replace"), "It is replaced").await;
    b.says("waits: Read what A26 holds of tyre size").await;
    b.act(&url, id, &press("agree A26"), "Read and keep").await;
    b.says("225/60, and should be 205/65").await;
    for step in ["write F190", "write 0601", "write A26 0601"] {
        b.css(&format!("[data-step='{step}'][data-stands='open']")).await;
        b.press_in(&press(step), "Write").await;
        if step == "write 0601" {
            b.css("[data-agrees='false']").await;
            b.says("225/60 there").await;
            b.picture("agrees").await;
        }
        b.act(&url, id, "*[@role='dialog']", "Write it").await;
        b.css(&format!("[data-step='{step}'][data-stands='done']")).await;
    }
    let unproven = view(&url, id).await["unproven"].to_string();
    assert!(!unproven.contains("does not agree"), "{unproven}");
}

/// The program dies while it writes: on the next start the write is there to be settled.
pub async fn a_write_that_broke_off_is_put_back(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_standin, [doip, scpi, hands]) = standin(&["--fault", "part:Z20:blank"]);
    let address = hands.trim_start_matches("http://").to_owned();
    let start = || {
        let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
        program(&[&serve[..], &["--scpi", &scpi, "--hands", &address]].concat())
    };
    let (app, url) = start();
    let intake = json!({"complaint": "No one-touch", "vin": "0PMWR22K7NB006630"});
    let opened =
        post(&format!("{url}/api/jobs"), json!({"vehicle": "wren", "intake": intake})).await;
    let id = opened["id"].as_i64().unwrap();
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    // Slow enough that it dies within: session, seed, key, write, read back take half a second each.
    let hands = |body: Value| {
        let to = format!("http://{address}/manners");
        async move { reqwest::Client::new().post(to).json(&body).send().await.unwrap() }
    };
    hands(json!({"latency_ms": 500})).await;
    let body = json!({"module": "A20", "did": 0x0601});
    let to = format!("{url}/api/jobs/{id}/write");
    let write =
        tokio::spawn(
            async move { reqwest::Client::new().post(to).json(&body).send().await.is_ok() },
        );
    for _ in 0..100 {
        let v = view(&url, id).await;
        if v["ledger"].as_array().unwrap().iter().any(|e| e["kind"] == "writing") {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    drop(app);
    assert!(!write.await.unwrap(), "it was answered before the program died");
    hands(json!({})).await;
    let (_app, url) = start();
    let b = &house.browser;
    b.go(&format!("{url}/job/{id}/fit")).await;
    b.says("Broke off").await;
    b.says("not coded → fitted").await;
    b.act(&url, id, "*[@data-half-done]", "Put back what was there").await;
    b.gone("[data-half-done]").await;
    let read =
        post(&format!("{url}/api/jobs/{id}/values"), json!({"signals": ["one_touch_coded"]})).await;
    assert_eq!(read["values"][0]["meaning"]["name"], "not coded", "{read:#}");
}
