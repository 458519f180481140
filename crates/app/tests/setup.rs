//! A unit fitted and not set up: told field by field, written with the way back kept, taught, refused in words.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::{Bench, serve};
use serde_json::{Value, json};
use std::time::Duration;

/// Moments at which the program is killed, and how far one lies from the next, microseconds.
const MOMENTS: u64 = 100;
const SPREAD_US: u64 = 800;

#[test]
fn a_unit_from_its_box_is_written_identified_and_taught() {
    let b = Bench::with("part:Z20:blank");
    let p = &b.program;
    let setups = p.json(&b.path("setup"));
    let first = &setups["modules"][0];
    assert_eq!(first["module"], "A20", "what was worked on comes first: {setups:#}");
    assert!(first["settings"].as_array().unwrap().iter().all(|s| s["due"] == true));
    assert!(setups["modules"].as_array().unwrap().len() >= 12);
    let record = json!({"module": "A20", "did": 0x0601});
    let would = p.post(&b.path("would-write"), &record).json::<Value>().unwrap();
    let change = json!({"name": "One-touch window", "from": "not coded", "to": "fitted"});
    assert_eq!(would["changes"], json!([change]));
    assert_eq!(b.holds("one_touch_coded"), "not coded", "asking writes nothing");
    p.kept(&b.path("write"), &record);
    assert_eq!(b.holds("one_touch_coded"), "fitted");
    let kinds: Vec<Value> = b.ledger().iter().map(|e| e["kind"].clone()).collect();
    assert!(kinds.ends_with(&[json!("writing"), json!("written")]), "{kinds:?}");
    let again = p.refused(&b.path("write"), &record);
    assert!(again["detail"].as_str().unwrap().contains("already"), "{again}");
    assert_eq!(b.holds("a20_own"), "of another vehicle");
    p.kept(&b.path("write"), &json!({"module": "A20", "did": 0xF190}));
    assert_eq!(b.holds("a20_own"), "of this vehicle");
    // What must hold for teaching is read first, and told in words.
    b.hands(json!({"key": "15", "switches": {"S21": "open"}}));
    let teach = json!({"setting": "window_stop_left"});
    let refused = p.refused(&b.path("teach"), &teach);
    let words = refused["detail"].as_str().unwrap();
    assert!(words.contains("Door shut does not hold") && words.contains("open"), "{refused}");
    assert_eq!(b.holds("window_stop_left"), "not taught");
    b.hands(json!({"key": "15"}));
    p.kept(&b.path("teach"), &teach);
    assert_eq!(b.holds("window_stop_left"), "taught");
    let taught: Vec<String> = (b.ledger().iter())
        .filter(|e| e["kind"] == "taught" || e["kind"] == "not_taught")
        .map(|e| e["title"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(taught.len(), 2, "the refusal is kept as well: {taught:?}");
}

#[test]
fn what_must_be_gone_from_the_memory_is_told_before_anything_is_taught() {
    let b = Bench::with("part:B5:wiper_open");
    let p = &b.program;
    let teach = json!({"setting": "throttle_stop"});
    // Its monitor takes half a second after the key is on.
    b.hands(json!({"key": "15"}));
    std::thread::sleep(Duration::from_secs(2));
    let says = || p.refused(&b.path("teach"), &teach)["detail"].as_str().unwrap().to_owned();
    assert!(says().contains("P0122 gone from the memory of A10 does not hold"), "{}", says());
    // The sensor is mended; what stands in the memory stays until it is cleared.
    b.ask("/repair", json!({"item": "part:B5"}));
    std::thread::sleep(Duration::from_secs(2));
    assert!(says().contains("P0122 gone"), "{}", says());
    p.kept(&b.path("scan"), &json!({}));
    p.kept(&b.path("clear"), &json!({}));
    std::thread::sleep(Duration::from_secs(2));
    p.kept(&b.path("teach"), &teach);
    let of = |kind: &str| b.ledger().iter().filter(|e| e["kind"] == kind).count();
    assert_eq!((of("taught"), of("not_taught")), (1, 2), "each refusal is kept");
}

#[test]
fn a_write_that_broke_off_is_found_on_the_next_start_and_put_back() {
    let mut b = Bench::with("part:Z20:blank");
    let record = json!({"module": "A20", "did": 0x0601});
    // The program is killed at many moments of a write: nothing is left half done unnoticed.
    let mut open = 0;
    for wait in (0..MOMENTS).map(|k| Duration::from_micros(SPREAD_US * (k * 37 % MOMENTS))) {
        let url = format!("{}{}", b.program.url, b.path("write"));
        let (body, client) = (record.clone(), reqwest::blocking::Client::new());
        let write = std::thread::spawn(move || client.post(url).json(&body).send().is_ok());
        std::thread::sleep(wait);
        b.program.child.kill().unwrap();
        let _ = write.join();
        let at = [b.standin.doip.to_string(), b.standin.hands.to_string()];
        b.program = serve(&b.data, &at);
        let setups = b.program.json(&b.path("setup"));
        let half = setups["half_done"].as_array().unwrap().clone();
        let ledger = b.ledger();
        let last = |kind: &str| ledger.iter().rposition(|e| e["kind"] == kind);
        let (begun, ended) = (last("writing"), last("written"));
        assert!(
            half.len() <= 1 && half.is_empty() == (begun <= ended),
            "{begun:?} {ended:?} {half:?}"
        );
        if let Some(h) = half.first() {
            open += 1;
            assert_eq!(h["changes"][0]["to"], "fitted", "{h}");
            let back = json!({"of": h["write"]["number"], "back": true});
            b.program.kept(&b.path("settle-write"), &back);
        } else if begun.is_some() && b.holds("one_touch_coded") == "fitted" {
            // It was done before: back to how it came, for the next try.
            let last = b.ledger().into_iter().rfind(|e| e["kind"] == "writing").unwrap();
            b.program.kept(&b.path("settle-write"), &json!({"of": last["number"], "back": true}));
        }
        assert_eq!(b.holds("one_touch_coded"), "not coded");
        let setups = b.program.json(&b.path("setup"));
        assert_eq!(setups["half_done"], json!([]), "settled");
    }
    println!("{open} of {MOMENTS} broke off within the write");
    assert!(open > 0, "the moments missed the write altogether");
}
