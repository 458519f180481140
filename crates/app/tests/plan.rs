//! A module replaced by the plan: chosen with its consequences, its records kept, set, proven; and from a copy where
//! it is dead.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::bench::Bench;
use serde_json::{Value, json};

fn plan(b: &Bench) -> Value {
    b.program.json(&b.path("plan"))
}

fn step(b: &Bench, id: &str) -> Value {
    let plan = plan(b);
    let all = plan["steps"].as_array().unwrap();
    all.iter().find(|s| s["id"] == id).unwrap_or_else(|| panic!("no {id} in {plan:#}")).clone()
}

fn stands(b: &Bench, id: &str) -> String {
    let s = step(b, id);
    match s["by"].as_str() {
        Some(by) => format!("{} by {by}", s["stands"].as_str().unwrap()),
        None => s["stands"].as_str().unwrap().to_owned(),
    }
}

fn key(b: &Bench, key: &str) {
    b.program.kept(&b.path("state"), &json!({"state": {"key": key, "charger": true}}));
}

/// Names it although points of its gate are open, and has it replaced.
fn replace(b: &Bench, part: &str) {
    let reason = json!({"module": part, "reason": "the customer wants it"});
    b.program.kept(&b.path("override"), &reason);
    key(b, "0");
    let repair = json!({"item": format!("part:{part}"), "text": "replaced"});
    b.program.kept(&b.path("repair"), &repair);
    key(b, "15");
}

#[test]
fn a_discontinued_module_is_replaced_by_its_successor_step_by_step() {
    let b = Bench::with("part:A25:open");
    let p = &b.program;
    let choices = p.json(&b.path("choices?part=A25"));
    let of = |number: &str| {
        let all = choices.as_array().unwrap();
        all.iter().find(|c| c["number"] == number).unwrap().clone()
    };
    let said = |c: &Value| c["consequences"].to_string();
    assert_eq!(of("PW 10 0 44320")["discontinued"], true);
    // A used one of another build lacks its terminator, and carries another vehicle's identity and records.
    let used = said(&of("PW 10 0 44322"));
    for word in ["differs", "another equipment", "identity"] {
        assert!(used.contains(word), "{word}: {used}");
    }
    assert!(said(&of("PW 10 0 44320 R")).contains("stays foreign"));
    let [used, new] = ["PW 10 0 44322", "PW 10 0 44325"].map(|n| of(n)["cost"].as_f64().unwrap());
    // 385 and 90 for the parts, the same work.
    assert!((new - used - 295.0).abs() < 1e-6, "{new} {used}");

    let gone = p.refused(&b.path("decide"), &json!({"part": "A25", "number": "PW 10 0 44320"}));
    assert!(gone["detail"].as_str().unwrap().contains("no longer"), "{gone}");
    let wanted =
        json!({"part": "A25", "number": "PW 10 0 44325", "agreed_by": "customer, by telephone"});
    p.kept(&b.path("decide"), &wanted);
    let told = b.ledger().into_iter().find(|e| e["kind"] == "decided").unwrap();
    assert!(told["detail"].as_str().unwrap().contains("agreed by customer"), "{told}");

    // A module that is silent blocks it, by its name; what is to be kept is kept before anything is unplugged.
    assert!(stands(&b, "replace").contains("Read and keep"), "{}", stands(&b, "replace"));
    b.ask("/manners", json!({"modules": {"A30": "silent"}}));
    p.kept(&b.path("scan"), &json!({}));
    assert_eq!(stands(&b, "answers"), "blocked by A30 is silent");
    p.kept(&b.path("keep-records"), &json!({"module": "A25"}));
    assert!(step(&b, "keep")["why"].as_str().unwrap().contains("own record"));
    replace(&b, "A25");
    assert_eq!(stands(&b, "write F190"), "blocked by A30 is silent");
    b.ask("/manners", json!({}));
    p.kept(&b.path("scan"), &json!({}));
    assert_eq!(b.holds("a25_own"), "of another vehicle", "a new one carries none");
    assert_eq!(b.holds("tow_lamps"), "not coded");
    for did in [0xF190, 0x0601] {
        assert_eq!(stands(&b, &format!("write {did:04X}")), "open");
        let record = json!({"module": "A25", "did": did});
        let would = p.post(&b.path("would-write"), &record).json::<Value>().unwrap();
        let from = would["from"].as_str().unwrap();
        assert!(from.contains(if did == 0x0601 { "old unit" } else { "vehicle number" }), "{from}");
        p.kept(&b.path("write"), &record);
    }
    assert_eq!(
        (b.holds("a25_own"), stands(&b, "clear")),
        ("of this vehicle".to_owned(), "blocked by Ignition off and on".to_owned(),)
    );
    key(&b, "0");
    key(&b, "15");
    p.kept(&b.path("clear"), &json!({}));
    p.kept(&b.path("scan"), &json!({}));
    let all = plan(&b)["steps"].as_array().unwrap().clone();
    assert!(all.iter().all(|s| s["stands"] == "done"), "{all:#?}");
    // The plan is done, and the complaint was not tried again: neither is claimed by the other.
    let view = p.fresh(b.job);
    let unproven = view["unproven"].to_string();
    assert!(!unproven.contains("not done"), "{unproven}");
    let report = p.get(&b.path("report/customer")).text().unwrap();
    assert!(report.contains("agreed by customer, by telephone"), "{report}");
}

#[test]
fn what_a_dead_module_held_is_taken_from_the_copy_that_another_keeps() {
    let b = Bench::with("part:F35:open");
    let p = &b.program;
    p.kept(&b.path("decide"), &json!({"part": "A20", "number": ""}));
    b.ask("/manners", json!({"modules": {"A20": "silent"}}));
    p.kept(&b.path("keep-records"), &json!({"module": "A20"}));
    let why = step(&b, "keep")["why"].as_str().unwrap().to_owned();
    assert!(why.contains("the copy that A2 keeps"), "{why}");
    let kept = b.ledger().into_iter().find(|e| e["kind"] == "kept").unwrap();
    assert!(kept["detail"].as_str().unwrap().starts_with("0601"), "{kept}");
    // Where the copy is out of reach as well it is built from the equipment, and says so.
    b.ask("/manners", json!({"modules": {"A20": "silent", "A2": "silent"}}));
    p.kept(&b.path("keep-records"), &json!({"module": "A20"}));
    let last = b.ledger().into_iter().rfind(|e| e["kind"] == "kept").unwrap();
    assert!(last["detail"].as_str().unwrap().contains("built from the equipment"), "{last}");
}

#[test]
fn a_used_unit_bound_to_its_vehicle_stays_foreign_and_the_plan_says_so() {
    let b = Bench::with("part:A25:open");
    let p = &b.program;
    let wanted = json!({"part": "A25", "number": "PW 10 0 44320 R", "already": true});
    p.kept(&b.path("decide"), &wanted);
    assert!(stands(&b, "write F190").contains("stays bound"), "{}", stands(&b, "write F190"));
    let ids: Vec<Value> =
        plan(&b)["steps"].as_array().unwrap().iter().map(|s| s["id"].clone()).collect();
    assert!(!ids.contains(&json!("replace")) && !ids.contains(&json!("keep")), "{ids:?}");
}

#[test]
fn what_another_module_has_to_hold_as_well_is_read_told_and_set_with_it() {
    // The panel is coded for other tyres than the vehicle has; the brake module is replaced.
    let b = Bench::with("part:Z26:panel_tyres_other_tyres@2");
    let p = &b.program;
    p.kept(&b.path("decide"), &json!({"part": "A12", "number": ""}));
    key(&b, "15");
    p.kept(&b.path("scan"), &json!({}));
    p.kept(&b.path("keep-records"), &json!({"module": "A12"}));
    replace(&b, "A12");
    assert_eq!(stands(&b, "write 0601"), "blocked by Read what A26 holds of tyre size");
    let record = json!({"module": "A12", "did": 0x0601});
    let would =
        || p.post(&b.path("would-write"), &record).json::<Value>().unwrap()["agrees_with"].clone();
    assert_eq!((&would()[0]["module"], &would()[0]["holds"]), (&json!("A26"), &Value::Null));
    p.kept(&b.path("keep-records"), &json!({"module": "A26"}));
    assert!(
        step(&b, "agree A26")["why"].as_str().unwrap().contains("225/60, and should be 205/65")
    );
    assert_eq!((&would()[0]["holds"], &would()[0]["agrees"]), (&json!("225/60"), &json!(false)));
    p.kept(&b.path("write"), &json!({"module": "A12", "did": 0xF190}));
    p.kept(&b.path("write"), &record);
    let unproven = p.fresh(b.job)["unproven"].to_string();
    assert!(unproven.contains("Tyre size does not agree: A12 holds 205/65"), "{unproven}");
    assert_eq!(stands(&b, "write A26 0601"), "open");
    p.kept(&b.path("write"), &json!({"module": "A26", "did": 0x0601}));
    assert_eq!(
        (stands(&b, "write A26 0601"), b.holds("panel_tyres")),
        ("done".to_owned(), "205/65".to_owned())
    );
    assert!(!p.fresh(b.job)["unproven"].to_string().contains("does not agree"));
}

#[test]
fn a_reset_is_proven_by_what_is_read_before_and_after() {
    let b = Bench::with("part:Z1:battery_data_old");
    let p = &b.program;
    assert_eq!(b.holds("battery_data"), "of the battery before");
    p.kept(&b.path("teach"), &json!({"setting": "battery_data"}));
    let told = b.ledger().into_iter().find(|e| e["kind"] == "taught").unwrap();
    assert_eq!(told["detail"], "of the battery before → of this battery");
}

#[test]
fn a_module_that_starts_anew_is_seen_to_do_so() {
    let b = Bench::with("part:Z1:battery_data_old");
    b.program.kept(&b.path("restart"), &json!({"module": "A20"}));
    let told = b.ledger().into_iter().next_back().unwrap();
    assert_eq!(
        (&told["kind"], &told["title"]),
        (&json!("restarted"), &json!("A20 told to start anew"))
    );
    let said = told["detail"].as_str().unwrap();
    assert!(said.starts_with("it fell silent, and answered again after"), "{said}");
    // What is no module cannot be told.
    let no = b.program.refused(&b.path("restart"), &json!({"module": "E11"}));
    assert!(no["detail"].as_str().unwrap().contains("cannot be asked"), "{no}");
}
