//! A door module was replaced: what it holds is read, written with the way back kept, refused once, taught, and
//! the window goes up by one touch again.

use crate::bench::{House, get, job, post, view};
use serde_json::json;

pub async fn a_door_module_that_was_replaced_is_set_up(house: &House) {
    let url = house.demo();
    let id = job(url, "2368").await;
    let b = &house.browser;
    b.go(&format!("{url}/job/{id}/fit")).await;
    b.press("Set key 15").await;
    // The engine names it from the complaint and the work alone.
    b.idle().await;
    let v = view(url, id).await;
    assert_eq!(v["suspects"][0]["repair_item"], "part:Z20", "{:#}", v["suspects"]);
    // What would change is said before anything is written.
    b.press_in("*[@data-setting='one_touch_coded']", "Write").await;
    b.css("[data-changes='1']").await;
    b.says("fitted").await;
    let v = b.act(url, id, "*[@role='dialog']", "Write it").await;
    let kinds: Vec<_> = v["ledger"].as_array().unwrap().iter().map(|e| e["kind"].clone()).collect();
    assert!(kinds.ends_with(&[json!("writing"), json!("written")]), "{kinds:?}");
    b.press_in("*[@data-setting='a20_own']", "Write").await;
    b.css("[data-changes='1']").await;
    b.act(url, id, "*[@role='dialog']", "Write it").await;
    // With the switch panel unplugged it is silent: refused in words, and kept.
    let unplugged = json!({"state": {"key": "15", "unplugged": ["X54"]}});
    post(&format!("{url}/api/jobs/{id}/state"), unplugged).await;
    let before = view(url, id).await["ledger"].as_array().unwrap().len();
    b.act(url, id, "*[@data-setting='window_stop_left']", "Teach").await;
    b.says("Window switch panel answers does not hold").await;
    let v = view(url, id).await;
    let refused = &v["ledger"][before];
    assert!(refused["title"].as_str().unwrap().starts_with("Not taught"), "{refused}");
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.act(url, id, "*[@data-setting='window_stop_left']", "Teach").await;
    b.css("[data-setting='window_stop_left']").await;
    b.says("taught").await;
    // What it was about works again.
    let lists = get(&format!("{url}/api/jobs/{id}/lists")).await;
    let all = lists["states"].as_array().unwrap();
    let touched = all.iter().find(|s| s["id"] == "one_touch").unwrap()["state"].clone();
    post(&format!("{url}/api/jobs/{id}/look"), json!({"part": "M21", "state": touched})).await;
    let v = view(url, id).await;
    let seen = v["ledger"].as_array().unwrap().last().unwrap().clone();
    assert!(seen.to_string().contains("normal"), "{seen}");
}
