//! Writes that are refused or broken off by the vehicle's side: the link cut at every message, the supply too low.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::Bench;
use serde_json::{Value, json};

const RECORD: u16 = 0x0601;

fn half_done(b: &Bench) -> Vec<Value> {
    b.program.json(&b.path("setup"))["half_done"].as_array().unwrap().clone()
}

#[test]
fn a_link_that_is_cut_at_any_message_leaves_nothing_half_done_unnoticed() {
    let b = Bench::with("part:Z20:blank");
    let record = json!({"module": "A20", "did": RECORD});
    let (mut broken, mut done) = (0, 0);
    // Old read, session, seed, key, write, read back: cut at each, and after all of them.
    for message in 1..=8 {
        b.ask("/manners", json!({"cut_at": message}));
        let answer = b.program.post(&b.path("write"), &record);
        let ok = answer.status().is_success();
        b.ask("/manners", json!({}));
        // A link that did not open is not tried again at once.
        std::thread::sleep(std::time::Duration::from_secs(3));
        let half = half_done(&b);
        let held = b.holds("one_touch_coded");
        println!(
            "cut at message {message}: answered {ok}, holds “{held}”, half done {}",
            half.len()
        );
        assert!(half.len() <= 1);
        if let Some(h) = half.first() {
            broken += 1;
            let back = json!({"of": h["write"]["number"], "back": true});
            b.program.kept(&b.path("settle-write"), &back);
        } else if held == "fitted" {
            done += 1;
            let last = b.ledger().into_iter().rfind(|e| e["kind"] == "writing").unwrap();
            b.program.kept(&b.path("settle-write"), &json!({"of": last["number"], "back": true}));
        } else {
            assert!(!ok, "nothing was written and nothing was said");
        }
        assert_eq!((b.holds("one_touch_coded"), half_done(&b).len()), ("not coded".to_owned(), 0));
    }
    assert!(broken > 0 && done > 0, "{broken} {done}");
}

#[test]
fn without_supply_nothing_is_written_and_nothing_is_left_half_done() {
    let b = Bench::with("part:Z20:blank");
    let record = json!({"module": "A20", "did": RECORD});
    b.hands(json!({"key": "50"}));
    let no = b.program.refused(&b.path("write"), &record);
    assert!(no["detail"].as_str().unwrap().contains("supply voltage is too low"), "{no}");
    assert_eq!(half_done(&b), Vec::<Value>::new());
    let last = b.ledger().into_iter().next_back().unwrap();
    assert_eq!(last["kind"], "not_written");
    assert!(last["detail"].as_str().unwrap().contains("held before"), "{last}");
    b.hands(json!({"key": "15"}));
    assert_eq!(b.holds("one_touch_coded"), "not coded");
    b.program.kept(&b.path("write"), &record);
    assert_eq!(b.holds("one_touch_coded"), "fitted");
}

/// Writes while the supply sags at each message in turn; how often it was half written, and how often it went through.
fn sagging(b: &Bench, record: &Value, signal: &str, [was, wanted]: [&str; 2]) -> [usize; 2] {
    let [mut half, mut done] = [0; 2];
    for message in 1..=8 {
        b.ask("/manners", json!({"sag_at": message}));
        let ok = b.program.post(&b.path("write"), record).status().is_success();
        b.ask("/manners", json!({}));
        let open = half_done(b);
        let last = b.ledger().into_iter().next_back().unwrap();
        println!("sags at message {message}: answered {ok}, half done {}, {last}", open.len());
        if ok {
            // It had been read back when the supply sagged.
            done += 1;
        } else {
            half += open.len();
        }
        b.hands(json!({"key": "15"}));
        if ok || !open.is_empty() {
            let begun = b.ledger().into_iter().rfind(|e| e["kind"] == "writing").unwrap();
            b.program.kept(&b.path("settle-write"), &json!({"of": begun["number"], "back": true}));
        }
        assert_eq!((b.holds(signal), half_done(b).len()), (was.to_owned(), 0), "{message}");
    }
    b.program.kept(&b.path("write"), record);
    assert_eq!(b.holds(signal), wanted);
    [half, done]
}

#[test]
fn a_supply_that_sags_at_any_message_of_a_write_is_told_and_can_be_put_back() {
    let b = Bench::with("part:Z10:blank");
    // Both bytes of the record change, 0000 to 1120: half written it is 1100, neither of the two.
    let record = json!({"module": "A10", "did": RECORD});
    let [half, done] = sagging(&b, &record, "engine_axle", ["not coded", "3.9"]);
    assert!(half > 0 && done > 0, "{half} {done}");
    let identity = json!({"module": "A10", "did": 0xF190});
    let of = ["of another vehicle", "of this vehicle"];
    // A vehicle of the same type differs in the last six characters alone: half written it reads as before.
    let [half, done] = sagging(&b, &identity, "a10_own", of);
    assert!(half == 0 && done > 0, "{half} {done}");
}
