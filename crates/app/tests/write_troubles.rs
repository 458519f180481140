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
