//! Jobs over HTTP: what is kept, what is refused and how, and that one bad thing spoils nothing else.
#![allow(missing_docs, clippy::unwrap_used)]

use crate::program::{Program, command, place, problem};
use serde_json::{Value, json};
use std::path::Path;
use std::time::{Duration, Instant};

fn reading(volts: &str) -> Value {
    json!({"quantity": "volts", "red": "E1.1", "black": "BAT.-", "text": volts, "state": {}})
}

/// Runs a statement on the database, behind the program's back.
fn behind(dir: &Path, sql: &str) {
    rusqlite::Connection::open(dir.join("data/chalkeus.sqlite"))
        .unwrap()
        .execute_batch(sql)
        .unwrap();
}

#[test]
fn whatever_is_refused_is_a_problem_document() {
    let dir = place();
    let p = Program::start(dir.path());
    let job = p.open();
    let at = |what: &str| format!("/api/jobs/{job}/{what}");
    let raw = |path: &str, kind: &str, body: &str| {
        let request = p.http.post(format!("{}{path}", p.url));
        request.header("content-type", kind).body(body.to_owned()).send().unwrap()
    };
    let status = |answer| problem(answer)["status"].as_u64().unwrap();
    let js = "application/json";
    assert_eq!(status(raw(&at("note"), "text/plain", "{}")), 415);
    assert_eq!(status(raw(&at("note"), js, "{\"text\": ")), 400);
    assert_eq!(status(raw(&at("note"), js, "{}")), 422);
    assert_eq!(status(raw(&at("intake"), js, "[]")), 422);
    assert_eq!(
        status(raw(&at("note"), js, &format!("{{\"text\": \"{}\"}}", "x".repeat(300_000)))),
        413
    );
    assert_eq!(
        status(raw(&at("note"), js, &format!("{{\"text\": \"{}\"}}", "x".repeat(9_000)))),
        422
    );
    assert_eq!(status(p.http.put(format!("{}{}", p.url, at("note"))).send().unwrap()), 405);
    assert_eq!(status(p.get("/api/jobs/99")), 404);
    assert_eq!(status(p.get("/api/jobs/first")), 404);
    assert_eq!(status(p.get("/api/nothing")), 404);
    assert_eq!(status(p.get("/assets/missing.js")), 404);
    assert_eq!(status(p.get(&format!("{}?since=x", at("changes")))), 400);
    let foreign = p.http.get(format!("{}/api/jobs", p.url)).header("sec-fetch-site", "cross-site");
    assert_eq!(status(foreign.send().unwrap()), 403);

    // The field is named, as the form shows it.
    let wide =
        p.refused(&at("intake"), &json!({"complaint": "x", "odometer_km": 12_345_678_901u64}));
    assert_eq!(wide["errors"][0]["pointer"], "/odometer_km", "{wide}");
    for (what, body, pointer) in [
        ("intake", json!({"output": "flux"}), "/output"),
        ("intake", json!({"shows_in": "flux"}), "/shows_in"),
        ("intake", json!({"recent": [{"at": "moon", "event": "work"}]}), "/recent"),
        ("drive", json!({"output": "flux", "on": true}), "/output"),
        ("doubt", json!({"number": 999, "doubted": true}), "/number"),
        ("doubt", json!({"number": 1, "doubted": true}), "/number"),
        ("reading", reading("12..4"), "/text"),
        ("refuse", json!({"check": " "}), "/check"),
    ] {
        let refused = p.refused(&at(what), &body);
        assert_eq!(refused["errors"][0]["pointer"], pointer, "{what}: {refused}");
    }
    let wings = json!({"vehicle": "lamp", "intake": {"not_fitted": ["wings"]}});
    assert!(p.refused("/api/jobs", &wings)["detail"].as_str().unwrap().contains("wings"));
    assert_eq!(p.refused("/api/jobs", &json!({"vehicle": "../lamp"}))["status"], 422);
    // Nothing of all that was kept.
    assert_eq!(p.fresh(job)["entries"], 1);
    assert_eq!(p.fresh(job)["intake"]["complaint"], "dark");
}

#[test]
fn the_same_request_sent_again_adds_nothing() {
    let dir = place();
    let p = Program::start(dir.path());
    let job = p.open();
    let send = |key: &str, text: &str| -> Value {
        let request = p.http.post(format!("{}/api/jobs/{job}/note", p.url));
        let answer = request.header("idempotency-key", key).json(&json!({"text": text})).send();
        answer.unwrap().json().unwrap()
    };
    assert_eq!(send("a", "once"), json!({"number": 2, "before": false}));
    assert_eq!(send("a", "once"), json!({"number": 2, "before": true}));
    assert_eq!(send("b", "once"), json!({"number": 3, "before": false}));
    assert_eq!(p.fresh(job)["entries"], 3);
}

#[test]
fn a_window_is_sent_what_changed() {
    let dir = place();
    let p = Program::start(dir.path());
    let job = p.open();
    p.fresh(job);
    let changes = |since: u64| p.json(&format!("/api/jobs/{job}/changes?since={since}"));
    let first = changes(0);
    assert_eq!(first["whole"], true);
    let known = first["revision"].as_u64().unwrap();
    let same = changes(known);
    assert_eq!((same["whole"].clone(), same["rows"].clone()), (json!(false), json!([])));
    assert_eq!(same["sections"], json!({}));
    p.kept(&format!("/api/jobs/{job}/note"), &json!({"text": "hm"}));
    p.fresh(job);
    let then = changes(known);
    assert_eq!(then["rows"].as_array().unwrap().len(), 1);
    assert_eq!(then["rows"][0]["detail"], "hm");
    assert!(then["sections"].get("intake").is_none(), "{then}");
    // One that this program never sent is no base.
    assert_eq!(changes(u64::MAX)["whole"], true);
}

#[test]
fn readings_raise_suspects_and_a_repair_is_written_down_once() {
    let dir = place();
    let p = Program::start(dir.path());
    let job = p.open();
    let at = |what: &str| format!("/api/jobs/{job}/{what}");
    assert!(p.refused(&at("sign-off"), &json!({}))["detail"].as_str().unwrap().contains("nothing"));
    p.kept(&at("reading"), &reading("0.0"));
    let v = p.fresh(job);
    assert_eq!(v["assessed"], 2);
    assert_eq!(v["ledger"][1]["judged"]["verdict"], "bad");
    assert!(v["suspects"].as_array().unwrap().len() > 1, "{v}");
    assert!(
        p.refused(&at("repair"), &json!({"item": "elsewhere", "text": "x"}))["detail"]
            .as_str()
            .unwrap()
            .contains("cannot be repaired")
    );
    let repair = json!({"item": "part:F1", "text": "fuse renewed"});
    p.kept(&at("repair"), &repair);
    assert_eq!(p.refused(&at("repair"), &repair)["status"], 409);
    // What was suspected beside it is kept with the repair.
    let beside = p.fresh(job)["repair"]["beside"].as_array().unwrap().clone();
    assert!(!beside.is_empty() && beside.iter().all(|b| b["item"] != "part:F1"), "{beside:?}");
    // What is not proven is named, and takes a reason.
    let open = p.refused(&at("sign-off"), &json!({}));
    assert!(open["detail"].as_str().unwrap().contains("not looked at"), "{open}");
    p.kept(&at("sign-off"), &json!({"reason": "no time today"}));
    let told = p.fresh(job)["ledger"].as_array().unwrap().last().unwrap().clone();
    let detail = told["detail"].as_str().unwrap();
    assert!(detail.starts_with("no time today; not proven: "), "{told}");
    assert_eq!(p.refused(&at("sign-off"), &json!({}))["status"], 409);
    assert_eq!(p.refused(&at("note"), &json!({"text": "late"}))["status"], 409);
    // It comes back: opened again with the reason, it takes entries.
    p.kept(&at("reopen"), &json!({"reason": "dark again"}));
    p.kept(&at("note"), &json!({"text": "looked at it"}));
    assert_eq!(p.fresh(job)["signed_off"], false);
}

#[test]
fn what_a_meter_held_is_kept_and_what_it_cannot_hold_is_refused_at_its_field() {
    let dir = place();
    let p = Program::start(dir.path());
    let job = p.open();
    let at = format!("/api/jobs/{job}/recording");
    let held = |quantity: &str, low: &str, high: &str| json!({"quantity": quantity, "red": "E1.1", "black": "BAT.-", "low": low, "high": high, "state": {}});
    let refused = |body: &Value, field: &str| {
        let problem = p.refused(&at, body);
        assert!(problem.to_string().contains(field), "{problem}");
    };
    refused(&held("volts", "12.4", "0.1"), "low");
    refused(&held("volts", "0.1", "OL"), "high");
    refused(&held("volts", "dark", "12"), "low");
    refused(&held("ohms", "1", "2"), "record finite volts or amps");
    p.kept(&at, &held("volts", "0,1", "12.4 V"));
    let v = p.fresh(job);
    let row = &v["ledger"][1];
    assert_eq!((row["kind"].as_str(), v["weighed"].as_u64()), (Some("recorded"), Some(1)), "{row}");
    assert!(row["detail"].as_str().unwrap().contains("12.40 V"), "{row}");
}

#[test]
fn what_another_job_confirms_is_weighed_in_an_open_one() {
    let dir = place();
    let p = Program::start(dir.path());
    let (open, other) = (p.open(), p.open());
    p.kept(&format!("/api/jobs/{open}/reading"), &reading("0.0"));
    let of = |v: &Value, item: &str| v["halos"][item].as_f64().unwrap_or(0.0);
    let before = of(&p.fresh(open), "wire:2");
    p.kept(&format!("/api/jobs/{other}/repair"), &json!({"item": "wire:2", "text": "renewed"}));
    assert_eq!(of(&p.fresh(open), "wire:2"), before, "not signed off yet");
    p.kept(&format!("/api/jobs/{other}/sign-off"), &json!({"reason": "seen to shine"}));
    let after = of(&p.fresh(open), "wire:2");
    assert!(after > 1.2 * before, "{before} to {after}");
    // Opened again it is confirmed no longer.
    p.kept(&format!("/api/jobs/{other}/reopen"), &json!({"reason": "it was not that"}));
    assert!((of(&p.fresh(open), "wire:2") - before).abs() < 1e-9);
}

#[test]
fn one_bad_entry_troubles_its_own_job_only() {
    let dir = place();
    let (good, bad) = {
        let p = Program::start(dir.path());
        let both = (p.open(), p.open());
        p.kept(&format!("/api/jobs/{}/note", both.1), &json!({"text": "before"}));
        both
    };
    behind(
        dir.path(),
        &format!(
            "INSERT INTO ledger VALUES ({bad}, 3, 't', '{{\"entry\": \"hologram\"}}');
             INSERT INTO ledger VALUES ({bad}, 4, 't', '{{\"entry\": \"note\", \"te');
             DELETE FROM derived;"
        ),
    );
    let p = Program::start(dir.path());
    let list = p.json("/api/jobs");
    let trouble = |id: i64| {
        let jobs = list["jobs"].as_array().unwrap();
        jobs.iter().find(|j| j["id"] == id).unwrap()["trouble"].as_str().unwrap().to_owned()
    };
    assert_eq!(trouble(good), "");
    assert!(trouble(bad).contains("entry 3"), "{}", trouble(bad));
    assert_eq!(p.fresh(good)["trouble"], "");
    let v = p.fresh(bad);
    assert!(v["trouble"].as_str().unwrap().contains("another version"), "{}", v["trouble"]);
    assert_eq!(v["ledger"][3]["kind"], "unreadable");
    // The job goes on, and its export has what could not be read.
    p.kept(&format!("/api/jobs/{bad}/reading"), &reading("0.0"));
    assert_eq!(p.fresh(bad)["weighed"], 1);
    let export = p.json(&format!("/api/jobs/{bad}/export"));
    assert_eq!(export["entries"][2]["kept"]["entry"], "hologram");
    assert!(export["entries"][3]["kept"].as_str().unwrap().contains("\"te"));
}

#[test]
fn a_broken_vehicle_file_loses_nothing_and_says_so() {
    let dir = place();
    let file = dir.path().join("vehicles/lamp.json");
    let job = Program::start(dir.path()).open();
    std::fs::write(&file, "{\"format\": 1, \"id\":").unwrap();
    let p = Program::start(dir.path());
    let said = problem(p.get(&format!("/api/jobs/{job}")));
    assert!(said["detail"].as_str().unwrap().contains("lamp.json"), "{said}");
    assert_eq!(p.json("/api/jobs")["found"], 1);
    let kept = p.kept(&format!("/api/jobs/{job}/note"), &json!({"text": "by hand meanwhile"}));
    assert_eq!(kept["number"], 2);
    assert_eq!(
        p.json(&format!("/api/jobs/{job}/export"))["entries"][1]["kept"]["text"],
        "by hand meanwhile"
    );
    // Mended, it goes on without a restart.
    std::fs::write(&file, crate::program::lamp().to_string()).unwrap();
    assert_eq!(p.fresh(job)["entries"], 2);
}

#[test]
fn an_end_asked_for_comes_although_a_page_listens() {
    let dir = place();
    let mut p = Program::start(dir.path());
    let job = p.open();
    let listening = p.get("/api/events");
    assert!(listening.status().is_success());
    let started = Instant::now();
    let end = std::process::Command::new("kill").args(["-INT", &p.child.id().to_string()]).status();
    assert!(end.unwrap().success());
    let status = loop {
        if let Some(status) = p.child.try_wait().unwrap() {
            break status;
        }
        assert!(started.elapsed() < Duration::from_secs(20), "it never ends");
        std::thread::sleep(Duration::from_millis(50));
    };
    assert!(status.success(), "{status}");
    // Everything acknowledged is in the main file: a copy of that alone has it.
    let copy = tempfile::tempdir().unwrap();
    let to = copy.path().join("c.sqlite");
    std::fs::copy(dir.path().join("data/chalkeus.sqlite"), &to).unwrap();
    let c = rusqlite::Connection::open(to).unwrap();
    let kept: i64 =
        c.query_row("SELECT COUNT(*) FROM ledger WHERE job = ?1", [job], |r| r.get(0)).unwrap();
    assert_eq!(kept, 1);
}

#[test]
fn a_second_program_on_the_directory_says_so_and_a_backup_is_made_beside_the_first() {
    let dir = place();
    let p = Program::start(dir.path());
    p.open();
    let second = command(dir.path()).output().unwrap();
    assert_eq!(second.status.code(), Some(1));
    let words = String::from_utf8(second.stderr).unwrap();
    assert!(words.contains("another Chalkeus") && words.contains("--data"), "{words}");
    let to = dir.path().join("copy");
    let mut backup = std::process::Command::new(env!("CARGO_BIN_EXE_chalkeus"));
    backup.arg("backup").arg(&to).arg("--data").arg(dir.path().join("data"));
    assert!(backup.status().unwrap().success());
    let c = rusqlite::Connection::open(to.join("chalkeus.sqlite")).unwrap();
    let jobs: i64 = c.query_row("SELECT COUNT(*) FROM job", [], |r| r.get(0)).unwrap();
    assert_eq!(jobs, 1);
    assert_eq!(backup.status().unwrap().code(), Some(1), "it exists already");
}

#[test]
fn many_technicians_at_once_lose_nothing_and_it_does_not_grow() {
    let dir = place();
    let p = Program::start(dir.path());
    let jobs: Vec<i64> = (0..8).map(|_| p.open()).collect();
    let work = |from: usize, to: usize| {
        std::thread::scope(|s| {
            for job in &jobs {
                let p = &p;
                s.spawn(move || {
                    for k in from..to {
                        let volts = format!("{}.{k:02}", 2 + (k * *job as usize) % 11);
                        p.kept(&format!("/api/jobs/{job}/reading"), &reading(&volts));
                        p.json(&format!("/api/jobs/{job}"));
                    }
                });
            }
        });
        for job in &jobs {
            let view = p.fresh(*job);
            assert_eq!(view["entries"], 1 + to, "job {job}");
            assert_eq!(view["assessing"], false);
        }
    };
    work(0, 20);
    let before = p.megabytes();
    work(20, 60);
    let after = p.megabytes();
    assert!(after < before + 24.0, "{before:.0} MB grew to {after:.0} MB");
}
