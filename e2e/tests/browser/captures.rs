//! Captures of a bus: one that cannot be read, one with a weak sender, looked at and found again.

use crate::bench::{House, entries, get, grown, job, post, view};
use bus::can::wave::{Rates, Sent, Shape, draw};
use serde_json::json;
use std::path::Path;

/// Five senders by turns, of which that of 220 drives half.
fn voltages() -> String {
    let rates = Rates::classic(500e3);
    let mut at = 80e-6;
    let mut sent = Vec::new();
    for n in 0..60u16 {
        let id = 0x200 + 0x10 * (n % 5);
        let frame = bus::Frame::classic(bus::Id::Standard(id), &[n as u8, 0xA5, 0x3C]);
        let dominant = if id == 0x220 { [3.0, 2.0] } else { [3.5, 1.5] };
        let shape = Shape { dominant, ..Shape::default() };
        let one = Sent { bits: bus::can::bits::bits(&frame, true), at, shape, clock: 0.0 };
        at = one.end(&rates) + 70e-6;
        sent.push(one);
    }
    bus::format::csv::write(&draw(&sent, &rates, &Shape::default(), 200e-9, at))
}

async fn take_in(house: &House, path: &Path) {
    let field = house.browser.css("input[type='file'][aria-label='capture file']").await;
    field.send_keys(path.to_str().unwrap()).await.unwrap();
}

pub async fn a_capture_is_taken_in_and_shows_who_drives_too_little(house: &House) {
    let url = house.demo();
    let job = job(url, "2326").await;
    let b = &house.browser;
    let files = tempfile::tempdir().unwrap();
    let broken = files.path().join("broken.csv");
    std::fs::write(&broken, "Time (s),CAN H,CAN L\n0,2.5,2.5\n1e-6,2.5,oops\n").unwrap();
    let whole = files.path().join("drive-bus.csv");
    std::fs::write(&whole, voltages()).unwrap();
    b.go(&format!("{url}/job/{job}/network")).await;
    let before = entries(&view(url, job).await);
    // What cannot be read is said with its line, and nothing of it is kept.
    take_in(house, &broken).await;
    b.says("line 3: “oops” is no number").await;
    assert_eq!(entries(&view(url, job).await), before);
    take_in(house, &whole).await;
    b.says("500 kbit/s · 60 frames").await;
    b.says("1 of 5 senders (220) drive less than 1.2 V").await;
    let v = view(url, job).await;
    assert_eq!(entries(&v), before + 1);
    assert_eq!(v["ledger"].as_array().unwrap().last().unwrap()["detail"], "drive-bus.csv");
    // To where it was found: only the frames about it are listed, the one of 220 among them.
    b.css("tr[data-frame='59']").await;
    assert_eq!(b.texts("tr[data-frame]").await.len(), 60);
    b.css("[data-finding='amplitude'] button").await.click().await.unwrap();
    b.gone("tr[data-frame='59']").await;
    let about = b.texts("tr[data-frame]").await;
    assert!(about.len() < 30);
    let told = about.concat();
    assert!(told.contains("220"), "the one that drives too little is among them: {told}");
    // Keys make the stretch longer again.
    let trace = b.css("canvas[role='img']").await;
    trace.send_keys("0").await.unwrap();
    b.css("tr[data-frame='59']").await;
    // The levels are compared with those of this vehicle where it was tapped, in the state it was taken in.
    b.select("bus", "body").await;
    b.find("tapped at", "body module").await;
    b.says("set the state it was taken in").await;
    let known = view(url, job).await;
    post(&format!("{url}/api/jobs/{job}/state"), json!({"state": {"key": "15"}})).await;
    grown(url, job, entries(&known)).await;
    let row = b.css("tr[data-sender='A3']").await.text().await.unwrap();
    assert!(row.contains("Rear module A3") && row.contains("1.00 V"), "{row}");
    let before = entries(&view(url, job).await);
    b.press_in("section[@aria-label='Levels']", "Let them count").await;
    // What was kept is told for a while, with the way to doubt it.
    b.css("footer li[data-state='open'] button").await;
    // At rest and the usual sender, between the lines and of the high one alone; and the one that differs.
    let after = grown(url, job, before + 4).await;
    let ledger = after["ledger"].as_array().unwrap();
    let told: Vec<_> = ledger.iter().rev().take(5).map(|r| r["detail"].as_str().unwrap()).collect();
    let weak = |t: &&&str| t.contains("1.00 V") && t.contains("A3");
    assert_eq!(told.iter().filter(weak).count(), 1, "{told:?}");
    // It is there in the next window, and the file is the one that came in.
    b.go(&format!("{url}/job/{job}/network")).await;
    b.press("drive-bus.csv").await;
    b.says("60 frames").await;
    let file = reqwest::get(format!("{url}/api/jobs/{job}/captures/1/file")).await.unwrap();
    assert_eq!(file.text().await.unwrap(), std::fs::read_to_string(&whole).unwrap());
    let list = get(&format!("{url}/api/jobs/{job}/captures")).await;
    assert_eq!(list[0]["name"], json!("drive-bus.csv"));
}
