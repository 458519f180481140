//! Procedures followed live: one that ends by itself, one that is stopped, one that is passed, each kept with what
//! was read.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::Bench;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// The longest that anything is waited for.
const PATIENCE: Duration = Duration::from_secs(40);

fn now(b: &Bench) -> Value {
    b.program.json(&b.path("following"))
}

/// Waits until what is followed is so.
fn until(b: &Bench, is: impl Fn(&Value) -> bool) -> Value {
    let began = Instant::now();
    loop {
        let f = now(b);
        if is(&f) {
            return f;
        }
        assert!(began.elapsed() < PATIENCE, "{f:#}");
        std::thread::sleep(Duration::from_millis(100));
    }
}

fn over(f: &Value) -> bool {
    f["over"] == true
}

fn rows(b: &Bench, kind: &str) -> Vec<String> {
    let of = |e: &Value| format!("{}: {}", e["title"].as_str()?, e["detail"].as_str()?).into();
    b.ledger().iter().filter(|e| e["kind"] == kind).filter_map(of).collect()
}

#[test]
fn tooth_errors_are_learned_on_the_road_or_it_says_why_not() {
    let b = Bench::with("part:Z10:tooth_errors_untaught");
    let p = &b.program;
    let drive = |stimuli: Value| {
        b.hands(json!({"key": "15", "engine": "running", "stimuli": stimuli}));
    };
    let follow = json!({"procedure": "tooth_errors"});
    assert_eq!(now(&b), Value::Null);
    assert_eq!(b.holds("tooth_errors"), "not taught");

    // What it must not do ends it at once, and the module as well.
    drive(json!({"coolant_temperature": 88}));
    p.post(&b.path("follow"), &follow);
    let f = until(&b, |f| f["stage"] == 1);
    assert_eq!(f["lacking"][0]["signal"], "ws_fl_rate", "{f:#}");
    let twice = p.refused(&b.path("follow"), &follow);
    assert!(twice["detail"].as_str().unwrap().contains("already"), "{twice}");
    drive(json!({"coolant_temperature": 88, "pedal": 90}));
    let f = until(&b, over);
    assert!(f["why"].as_str().unwrap().contains("Pedal track 1 was"), "{f:#}");
    assert_eq!(rows(&b, "not_taught").len(), 1);
    assert_eq!(b.holds("tooth_errors"), "not taught");

    // Stopped by hand.
    drive(json!({"coolant_temperature": 30}));
    p.post(&b.path("follow"), &follow);
    let f = until(&b, |f| f["values"]["cts_volts"].is_object());
    let warm = f["values"]["cts_volts"]["value"].as_f64().unwrap();
    assert!((warm - 30.0).abs() < 5.0 && f["stage"] == 0, "{f:#}");
    p.post(&b.path("stop-following"), &json!({}));
    assert_eq!(until(&b, over)["why"], "stopped by hand");
    p.post(&b.path("stop-following"), &json!({}));
    assert_eq!(now(&b), Value::Null, "what is over is put away");

    // Driven as it asks for: warm, fast for three seconds, then rolling for four.
    drive(json!({"coolant_temperature": 88, "pedal": 20, "road_speed": 55}));
    p.post(&b.path("follow"), &follow);
    until(&b, |f| f["stage"] == 2);
    drive(json!({"coolant_temperature": 88, "road_speed": 40}));
    let f = until(&b, over);
    assert_eq!((&f["why"], &f["percent"]), (&json!(""), &json!(100)), "{f:#}");
    let taught = rows(&b, "taught");
    assert!(taught[0].starts_with("Taught: Tooth errors") && taught[0].ends_with("passed"));
    assert_eq!(b.holds("tooth_errors"), "taught");
    let kept = p.json(&b.path("recordings"));
    assert_eq!(kept.as_array().unwrap().len(), 3, "{kept:#}");
    assert_eq!(kept[2]["values"], 3);
}

#[test]
fn a_second_person_looks_on_and_can_do_nothing_else() {
    let b = Bench::beside("part:Z10:tooth_errors_untaught");
    b.hands(json!({"key": "15"}));
    b.program.post(&b.path("follow"), &json!({"procedure": "tooth_errors"}));
    let f = until(&b, |f| f["beside"] != "");
    let page = f["beside"].as_str().unwrap();
    let root = page.split("/job/").next().unwrap();
    let client = reqwest::blocking::Client::builder().no_proxy().build().unwrap();
    let get = |path: &str| client.get(format!("{root}{path}")).send().unwrap();
    let said = get(&b.path("following")).json::<Value>().unwrap();
    assert_eq!(
        (&said["procedure"]["id"], &said["looks_on"]),
        (&json!("tooth_errors"), &json!(true))
    );
    assert_eq!(now(&b)["looks_on"], false);
    assert!(client.get(page).send().unwrap().status().is_success(), "the page itself");
    // Nothing of the job, and nothing that does anything.
    assert_eq!(get(&format!("/api/jobs/{}", b.job)).status(), 404);
    assert_eq!(get("/api/jobs").status(), 404);
    let stop = client.post(format!("{root}{}", b.path("stop-following"))).json(&json!({}));
    assert_eq!(stop.send().unwrap().status(), 404);
    // Nor does any other name lead there.
    let foreign =
        client.get(format!("{root}{}", b.path("following"))).header("host", "example.org");
    assert_eq!(foreign.send().unwrap().status(), 403);
    assert_eq!(now(&b)["over"], false);
}
