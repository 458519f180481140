//! From the seat: live values found and watched, a sensor's chart, and a wish followed to the condition
//! that blocks it and back to its conductor.

use crate::bench::{CARD, House, get, job, post, program, standin, view};
use serde_json::json;

pub async fn the_condition_that_blocks_a_door_is_found_from_the_seat(house: &House) {
    let url = house.demo();
    let id = job(url, "2318").await;
    let b = &house.browser;
    let states = get(&format!("{url}/api/jobs/{id}/lists")).await;
    let slide = states["states"].as_array().unwrap().iter().find(|s| s["id"] == "slide").unwrap();
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": slide["state"]})).await;
    b.go(&format!("{url}/job/{id}/outputs")).await;
    b.find("what the driver asks for", "sliding door open").await;
    // The button is seen, and one condition blocks.
    b.css("[data-step='seen']").await;
    b.says("1 blocking").await;
    b.says("a sound vehicle says shut").await;
    b.picture("wish").await;
    b.act(url, id, "section[@aria-label='From wish to effect']", "Keep as evidence").await;
    b.idle().await;
    let v = view(url, id).await;
    let all = v["suspects"].as_array().unwrap();
    let told: f64 = all
        .iter()
        .filter(|s| ["wire:490", "part:S24"].contains(&s["repair_item"].as_str().unwrap()))
        .map(|s| s["probability"].as_f64().unwrap())
        .sum();
    assert!(told > 0.5, "{all:#?}");
    // The way back leads to the conductor's own sheet.
    b.css("[data-step='permitted'] a").await.click().await.unwrap();
    b.says("490").await;
}

pub async fn one_of_forty_conditions_is_a_value_put_in_its_place(house: &House) {
    let url = house.demo();
    let id = job(url, "2364").await;
    let b = &house.browser;
    let states = get(&format!("{url}/api/jobs/{id}/lists")).await;
    let all = states["states"].as_array().unwrap();
    let cold = all.iter().find(|s| s["id"] == "windscreen_heating").unwrap();
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": cold["state"]})).await;
    b.go(&format!("{url}/job/{id}/outputs")).await;
    b.find("what the driver asks for", "windscreen heater").await;
    b.says("1 blocking, 0 not known, 39 permitting").await;
    b.says("°C in its place").await;
    b.says("a sound vehicle says -5.0 °C").await;
    b.picture("permits").await;
    b.act(url, id, "section[@aria-label='From wish to effect']", "Keep as evidence").await;
    b.idle().await;
    let v = view(url, id).await;
    let sensor = ["wire:520", "part:B32"];
    let all = v["suspects"].as_array().unwrap();
    let leads = |s: &&serde_json::Value| {
        let item = s["repair_item"].as_str().unwrap();
        sensor.contains(&item) || item.starts_with("terminal:") || item.starts_with("connector:")
    };
    let told: f64 = all.iter().filter(leads).map(|s| s["probability"].as_f64().unwrap()).sum();
    assert!(told > 0.5, "{all:#?}");
    // Its conductor is one press away.
    b.css("[data-step='permitted'] a[href*='wire%3A520']").await.click().await.unwrap();
    b.says("520").await;
}

pub async fn values_that_tell_most_are_proposed_read_and_kept(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (_standin, [doip, scpi, hands]) = standin(&["--fault", "wire:520:open"]);
    let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
    let addresses = ["--scpi", &scpi, "--hands", hands.trim_start_matches("http://")];
    let (_app, url) = program(&[&serve[..], &addresses[..]].concat());
    let intake = json!({
        "complaint": "Heated windscreen refuses", "output": "windscreen_heater", "effect": "none",
    });
    let opened =
        post(&format!("{url}/api/jobs"), json!({"vehicle": "wren", "intake": intake})).await;
    let id = opened["id"].as_i64().unwrap();
    let b = &house.browser;
    b.go(&format!("{url}/job/{id}/circuit")).await;
    let v = view(&url, id).await;
    let check = &v["next"][0];
    assert_eq!(check["quantity"], "values", "{}", v["next"]);
    b.css(&format!("[data-check=\"{}\"]", check["id"].as_str().unwrap())).await;
    let expected = check["setup"][0]["text"].as_str().unwrap();
    b.says(expected).await;
    b.picture("values").await;
    let v = b.act(&url, id, CARD, "Read and keep").await;
    let kept = v["ledger"].as_array().unwrap().iter().filter(|e| e["kind"] == "live").count();
    assert_eq!(kept, check["signals"].as_array().unwrap().len(), "{:#}", v["ledger"]);
    // What was read is not asked for again; followed further, the seat leads to the sensor's circuit.
    assert_ne!(v["next"][0]["id"], check["id"]);
    let sensor = |v: &serde_json::Value| {
        let first = v["suspects"][0]["repair_item"].as_str().unwrap();
        ["part:B32", "wire:520", "wire:521", "wire:522"].contains(&first)
            && v["suspects"][0]["probability"].as_f64().unwrap() > 0.5
    };
    b.follow(&url, id, 6, sensor).await;
}

pub async fn values_are_watched_charted_marked_and_survive_a_lost_link(house: &House) {
    let url = house.demo();
    let id = job(url, "2318").await;
    let b = &house.browser;
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.go(&format!("{url}/job/{id}/live")).await;
    b.says("Nothing is watched yet").await;
    b.press("Everything a sensor feels").await;
    b.says("values a second").await;
    let field = b.css("#find-signal").await;
    field.send_keys("flap switch").await.unwrap();
    b.css("[aria-label='signals found'] button").await.click().await.unwrap();
    b.css("[data-signal='flap_switch'] [data-value]").await;
    b.says("open").await;
    // What hangs on the temperature is in range, and its chart says what it should be.
    b.css("[data-signal='cts_volts'] button").await.click().await.unwrap();
    b.says("worked out from its law and its circuit").await;
    b.css("[aria-label='large graph of Coolant temperature signal']").await.click().await.unwrap();
    b.css("[aria-label^='Coolant temperature signal, °C, the last']").await;
    b.press("Mark").await;
    b.picture("live").await;
    // Thermometers that stood through a night, and the two tracks of one pedal, should agree.
    b.css("[data-group='After a night outside']").await;
    let v = b
        .act(url, id, "section[@aria-label='Should agree']", "It stood overnight: let them count")
        .await;
    let last = v["ledger"].as_array().unwrap().last().unwrap();
    assert!(last["detail"].as_str().unwrap().starts_with("read together: "), "{last}");
    // All signals there are: still read, many a second.
    let field = b.css("#find-signal").await;
    field.send_keys("module").await.unwrap();
    b.css("[aria-label='signals found'] li:last-child button").await.click().await.unwrap();
    b.says("watched").await;
    // The key off: every module sleeps, and each value says why it cannot be read.
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {}})).await;
    b.says("its module is silent").await;
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.says("at the pin").await;
}

pub async fn four_wheels_on_a_road_test_name_the_ring_that_lost_teeth(house: &House) {
    let url = house.demo();
    let id = job(url, "2361").await;
    let b = &house.browser;
    // Another list may have been kept for this vehicle.
    b.go(&format!("{url}/job/{id}")).await;
    b.forget().await;
    b.go(&format!("{url}/job/{id}/live")).await;
    b.says("Nothing is watched yet").await;
    b.press("Everything that is counted").await;
    b.css("[data-signal='ws_rl_rate'] [data-value]").await;
    b.press("Begin").await;
    b.css("[data-course='road_test']").await;
    for side in ["left", "right"] {
        let graph = format!("[aria-label='large graph of Wheel speed, rear {side}']");
        b.css(&graph).await.click().await.unwrap();
    }
    // At a steady speed the four should agree.
    let began = std::time::Instant::now();
    while began.elapsed().as_secs() < 21 {
        tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    }
    b.css("[data-group='Road speed']").await;
    b.picture("road-test").await;
    let v = b.act(url, id, "section[@aria-label='Should agree']", "Let them count together").await;
    let detail = v["ledger"].as_array().unwrap().last().unwrap()["detail"].clone();
    assert!(detail.as_str().unwrap().starts_with("read together: "), "{detail}");
    b.idle().await;
    let v = view(url, id).await;
    assert_eq!(v["suspects"][0]["repair_item"], "part:R62", "{:#}", v["suspects"]);
    b.says("Tone ring, rear left").await;
    // One press ends it, and the wheels stand.
    b.press("Stop").await;
    b.css("[data-course='']").await;
    b.says("0.00 km/h").await;
}

pub async fn what_a_test_proves_is_told_before_a_module_tests_itself(house: &House) {
    let url = house.demo();
    let id = job(url, "2364").await;
    let b = &house.browser;
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.go(&format!("{url}/job/{id}/outputs")).await;
    b.fill("input[aria-label='find an output']", "body module").await;
    b.press_in("*[@data-self-test='A2']", "what a pass proves").await;
    b.css("[data-self-test='A2'] [data-proves]:not([data-proves='0'])").await;
    b.says("monitors run in this state").await;
    b.picture("self-test").await;
    let v = b.act(url, id, "*[@data-self-test='A2']", "Test itself").await;
    let kinds: Vec<_> = v["ledger"].as_array().unwrap().iter().map(|e| e["kind"].clone()).collect();
    assert!(kinds.ends_with(&[json!("self_tested"), json!("scan")]), "{kinds:?}");
    // Run again it stands beside the one before.
    b.act(url, id, "*[@data-self-test='A2']", "Test itself").await;
    b.css("[data-self-test='A2'] [data-last]").await;
    b.says("against entry").await;
    // An output's test proves its whole way.
    b.fill("input[aria-label='find an output']", "rear washer").await;
    b.press_in("*[@data-output='rear_washer']", "what a pass proves").await;
    b.css("[data-output='rear_washer'] [data-proves]:not([data-proves='0'])").await;
    // The same painted on its sheet, and the sheet as it was.
    b.css("[data-output='rear_washer'] a[href*='test=']").await.click().await.unwrap();
    b.css("[data-painted]:not([data-painted='0'])").await;
    b.says("not touched").await;
    b.picture("painted").await;
    b.press("back to suspicion").await;
    b.gone("[data-painted]").await;
}

pub async fn an_output_is_driven_by_percent_and_given_back_when_the_link_is_lost(house: &House) {
    let data = tempfile::tempdir().unwrap();
    let directory = data.path().to_string_lossy().into_owned();
    let (standin, [doip, _, hands]) = standin(&[]);
    let serve = ["serve", "--port", "0", "--data", &directory, "--doip", &doip];
    let addresses = ["--hands", hands.trim_start_matches("http://")];
    let (_app, url) = program(&[&serve[..], &addresses[..]].concat());
    let intake = json!({"complaint": "Seat cold", "output": "seat_heat_left", "effect": "none"});
    let opened =
        post(&format!("{url}/api/jobs"), json!({"vehicle": "wren", "intake": intake})).await;
    let id = opened["id"].as_i64().unwrap();
    let b = &house.browser;
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.go(&format!("{url}/job/{id}/outputs")).await;
    b.act(&url, id, "*[@data-output='seat_heat_left']", "Drive it only").await;
    b.css("[data-feedback='a24_amps'] .num").await;
    b.says("It takes while it is on").await;
    let v = b.act(&url, id, "*[@data-output='seat_heat_left']", "25 %").await;
    assert_eq!(v["state"]["percent"], json!({"seat_heat_left": 25.0}));
    drop(standin);
    given_back(&url, id, 15).await;
    b.gone("[aria-label='driven now']").await;
    let v = view(&url, id).await;
    assert!(v["state"]["percent"].is_null(), "{}", v["state"]);
}

/// Waits so long at most, seconds, until nothing is driven any more.
async fn given_back(url: &str, job: i64, most: u64) {
    let began = std::time::Instant::now();
    while began.elapsed().as_secs() < most {
        if view(url, job).await["state"]["outputs"].is_null() {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    panic!("still driven after {most} s: {}", view(url, job).await["state"]);
}

pub async fn nothing_stays_driven_when_its_window_closes(house: &House) {
    let url = house.demo();
    let id = job(url, "2364").await;
    let b = &house.browser;
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.go(&format!("{url}/job/{id}/outputs")).await;
    b.act(url, id, "*[@data-output='low_beam_left']", "Drive it only").await;
    assert_eq!(view(url, id).await["state"]["outputs"], json!(["low_beam_left"]));
    // While the window is there it stays on; with nobody there it is given back, and the ledger says so.
    tokio::time::sleep(std::time::Duration::from_secs(4)).await;
    assert_eq!(view(url, id).await["state"]["outputs"], json!(["low_beam_left"]));
    // A closed window says so, and another one that looks on does not keep it driven.
    b.go("about:blank").await;
    given_back(url, id, 10).await;
    let v = view(url, id).await;
    assert_eq!(v["ledger"].as_array().unwrap().last().unwrap()["kind"], "state");
}
