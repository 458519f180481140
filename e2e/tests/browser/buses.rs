//! Buses to the wire: a LIN line held low found by unplugging in the planned order, a missing terminator
//! seen by the meter and by the scope, a wet leg of a star coupler, a pass-through that drops out.

use crate::bench::{House, job, post, view};
use serde_json::{Value, json};

fn first(v: &Value) -> &str {
    v["suspects"][0]["repair_item"].as_str().unwrap_or_default()
}

/// How sure it is of one of some items.
fn sure(v: &Value, items: &[&str]) -> f64 {
    let all = v["suspects"].as_array().unwrap().iter();
    let of = all.filter(|s| items.contains(&s["repair_item"].as_str().unwrap()));
    of.map(|s| s["probability"].as_f64().unwrap()).sum()
}

pub async fn a_lin_line_held_low_is_parted_until_the_flap_is_found(house: &House) {
    let url = house.demo();
    let id = job(url, "2333").await;
    let b = &house.browser;
    let mut v = b.scanned(url, id).await;
    b.go(&format!("{url}/job/{id}/network")).await;
    let bus = "section[@data-bus='lin_climate']";
    b.css("[data-bus='lin_climate'] [role='tab']:last-child").await.click().await.unwrap();
    for _ in 0..6 {
        if first(&v) == "part:A50" && sure(&v, &["part:A50"]) > 0.9 {
            break;
        }
        b.css("[data-bus='lin_climate'] [data-move]").await;
        v = b.act(url, id, &format!("{bus}//*[@data-move]"), "Keep, clear, run, scan").await;
        b.idle().await;
    }
    assert_eq!(first(&v), "part:A50", "{:#}", v["suspects"]);
    b.says("Apart now").await;
    let v = b.act(url, id, bus, "All is plugged in again").await;
    assert!(v["state"]["unplugged"].as_array().is_none_or(Vec::is_empty));
}

pub async fn a_missing_terminator_is_seen_by_the_meter_and_by_the_scope(house: &House) {
    let url = house.demo();
    let id = job(url, "2347").await;
    let b = &house.browser;
    b.go(&format!("{url}/job/{id}/network")).await;
    let tab = |n: u32| format!("[data-bus='drive'] [role='tab']:nth-child({n})");
    let drive = "section[@data-bus='drive']";
    b.css(&tab(1)).await.click().await.unwrap();
    b.says("Together these say").await;
    // The first reading that is not there yet is open by itself: the next one follows.
    for _ in 0..3 {
        b.act(url, id, &format!("{drive}//li[@data-reading]"), "From meter").await;
    }
    b.says("not as expected").await;
    b.says("By 3 readings alone").await;
    b.picture("bus-by-meter").await;
    let v = view(url, id).await;
    assert!(sure(&v, &["part:A10", "part:A1"]) > 0.5, "{:#}", v["suspects"]);
    post(&format!("{url}/api/jobs/{id}/state"), json!({"state": {"key": "15"}})).await;
    b.says("Key 15").await;
    b.css(&tab(2)).await.click().await.unwrap();
    b.act(url, id, drive, "Take a capture").await;
    b.css("[data-capture] button").await.click().await.unwrap();
    b.says("a terminator is missing").await;
    // It knows where it was tapped: predictions stand beside what was measured.
    b.says("Back to rest in").await;
    // The same place again and again, beside the roll call; one sweep of it is kept and laid over.
    b.press_in(drive, "Watch it beside the roll call").await;
    b.says("frames not right").await;
    b.act(url, id, "section[@aria-label='scope beside the roll call']", "Keep this sweep").await;
    b.press("Take it away").await;
    b.press("Pause").await;
    b.find("over them", "round").await;
    b.says("laid by the first frame both have").await;
    // Where the finding is, both begin; the cursor names the bit.
    b.css("[data-finding] button").await.click().await.unwrap();
    b.css("canvas[role='img']").await.send_keys("..").await.unwrap();
    b.says("bit ").await;
    b.picture("scope").await;
}

pub async fn a_bus_is_led_past_a_module_and_over_a_spare_leg(house: &House) {
    let url = house.demo();
    // Moisture on the camera's leg: the spare one shows that the coupler is sound.
    let id = job(url, "2352").await;
    let b = &house.browser;
    b.scanned(url, id).await;
    b.go(&format!("{url}/job/{id}/network")).await;
    b.css("[data-bus='assist'] [role='tab']:last-child").await.click().await.unwrap();
    b.css("[data-bus='assist'] [data-move]").await;
    b.picture("bus-parted").await;
    b.press_in("section[@data-bus='assist']", "Move XSC.2H").await;
    b.css("[data-move='spare:XSC.2H']").await;
    let before = view(url, id).await;
    let v = b.act(url, id, "section[@data-bus='assist']", "Done. Ask who answers").await;
    assert!(sure(&v, &["part:SC1"]) < 0.3 * sure(&before, &["part:SC1"]), "{:#}", v["suspects"]);
    assert!(v["state"]["rerouted"][0] == "spare:XSC.2H");
    // The seat heating module drops out under its own load: led past it, the rear is there again.
    let id = job(url, "2358").await;
    b.scanned(url, id).await;
    let mut heating = json!({"key": "15", "outputs": ["seat_heat_left", "seat_heat_right"]});
    let ask = format!("{url}/api/jobs/{id}/who-answers");
    post(&ask, json!({"state": heating})).await;
    heating["rerouted"] = json!(["bridge:A24"]);
    post(&ask, json!({"state": heating})).await;
    let v = view(url, id).await;
    let last = &v["ledger"].as_array().unwrap().last().unwrap()["detail"];
    assert!(!last.as_str().unwrap().contains("silent"), "{last}");
    // It is the module, what feeds it, or a supply that sags: not the conductors behind it.
    assert!(sure(&v, &["connector:C10", "wire:343", "wire:345", "part:A3"]) < 0.05);
    b.go(&format!("{url}/job/{id}/network")).await;
    let fed = ["terminal:X24.30", "wire:532", "terminal:F5.2", "part:F5"];
    b.follow(url, id, 14, |v| sure(v, &fed) > 0.8).await;
}
