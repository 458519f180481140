//! The cheapest way to a proven repair: a lamp is fitted, what work costs here is settled, and the new lamp
//! shows that it was the lamp.

use crate::bench::{House, get, grown, post, program, standin, view};
use serde_json::json;

pub async fn a_lamp_is_fitted_where_that_is_the_cheaper_move(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_standin, [doip, scpi, hands]) = standin(&["--fault", "part:E11:open"]);
    let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
    let addresses = ["--scpi", &scpi, "--hands", hands.trim_start_matches("http://")];
    let (_app, url) = program(&[&serve[..], &addresses[..]].concat());
    let intake = json!({
        "complaint": "Left low beam dark", "output": "low_beam_left", "effect": "none",
        "occurs": "always",
    });
    let opened =
        post(&format!("{url}/api/jobs"), json!({"vehicle": "wren", "intake": intake})).await;
    let job = opened["id"].as_i64().unwrap();
    let b = &house.browser;
    b.go(&format!("{url}/job/{job}/circuit")).await;
    let fit = view(&url, job).await["fit"].clone();
    assert_eq!(fit["part"], "E11", "{fit:#}");
    assert!(fit["cost"].as_f64() < fit["check_cost"].as_f64(), "{fit:#}");
    b.says("Cheaper: fit a new one now").await;

    // A dearer hour is settled for the whole shop; nonsense is refused where it was typed.
    let asked = "[data-rates]";
    b.css(asked).await.click().await.unwrap();
    b.says("What work costs here").await;
    b.fill("[role=dialog] input[inputmode=decimal]", "50000").await;
    b.press_in("*[@role='dialog']", "Settle").await;
    b.says("an hour of work costs between 1 and 10000").await;
    b.fill("[role=dialog] input[inputmode=decimal]", "180").await;
    b.press_in("*[@role='dialog']", "Settle").await;
    b.gone("[role=dialog]").await;
    let kept = get(&format!("{url}/api/workshop")).await;
    assert_eq!(kept["workshop"]["prices"]["labour_per_hour"], 180.0);
    let dearer = view(&url, job).await["fit"].clone();
    assert!(dearer["cost"].as_f64() > fit["cost"].as_f64(), "{dearer:#}");

    // The hands fit it; it shines.
    b.press("Cheaper: fit a new one now").await;
    b.press_in("*[@data-fit]", "Try it").await;
    let v = grown(&url, job, 1).await;
    let last = v["ledger"].as_array().unwrap().last().unwrap().clone();
    assert!(
        last["title"] == "Swapped E11" && last["detail"].as_str().unwrap().ends_with("normal"),
        "{last:#}"
    );
    assert_eq!(v["certain"]["item"], "part:E11", "{:#}", v["suspects"]);
    assert!(v["fit"].is_null(), "it is fitted: {:#}", v["fit"]);
}
