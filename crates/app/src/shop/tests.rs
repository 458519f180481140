//! Jobs at work, without a network: ledgers, sessions, what is told, and the routes as they stand.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use super::*;
use crate::http::router;
use axum::body::Body;
use axum::http::{Request, StatusCode};
use diagnosis::evidence::{Evidence, Finding};
use diagnosis::ledger::Intake;
use http_body_util::BodyExt;
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::time::{Duration, Instant};
use tower::ServiceExt;

#[path = "../../tests/common/lamp.rs"]
mod small;
use small::lamp;

/// A shop on a directory of its own.
struct Own {
    directory: tempfile::TempDir,
    shop: Arc<Shop>,
}

fn opened(directory: &Path) -> Result<Arc<Shop>, ShopError> {
    let of = |name: &str| directory.join(name);
    Shop::open(&of("data"), &of("vehicles"), &of("solved"), Cache::of(64 << 20))
}

fn own() -> Own {
    let directory = tempfile::tempdir().unwrap();
    let vehicles = directory.path().join("vehicles");
    std::fs::create_dir(&vehicles).unwrap();
    std::fs::write(vehicles.join("lamp.json"), lamp().to_string()).unwrap();
    let shop = opened(directory.path()).unwrap();
    Own { directory, shop }
}

fn note(text: &str) -> Entry {
    Entry::Note { text: text.into() }
}

fn reading(value: f64) -> Entry {
    let finding = Finding::Reading {
        instrument: circuit::Instrument::Volts,
        red: "E1.1".into(),
        black: "BAT.-".into(),
        value: Some(value),
    };
    Entry::Found { evidence: Evidence::new(Default::default(), finding), by: "typed".into() }
}

fn job(own: &Own) -> (i64, Arc<Session>) {
    let intake = Intake { complaint: "the lamp is dark".into(), ..Intake::default() };
    let id = own.shop.open_job("lamp", None, &[Entry::Intake { intake }]).unwrap();
    (id, own.shop.session(id).unwrap())
}

/// Waits for something that another thread does.
fn until<T>(what: &str, mut of: impl FnMut() -> Option<T>) -> T {
    let started = Instant::now();
    loop {
        if let Some(found) = of() {
            return found;
        }
        assert!(started.elapsed() < Duration::from_secs(60), "{what}");
        std::thread::sleep(Duration::from_millis(10));
    }
}

#[test]
fn what_was_acknowledged_is_there_after_the_program_was_opened_again() {
    let own = own();
    let (id, session) = job(&own);
    let kept = own.shop.append(&session, &[note("first"), reading(0.02)], None).unwrap();
    assert_eq!((kept.last, kept.before), (3, false));
    own.shop.close().unwrap();
    let Own { directory, shop } = own;
    drop((session, shop));
    // The thread that reasons lets go of it in its own time.
    let shop = until("the first one to let go", || opened(directory.path()).ok());
    let again = shop.session(id).unwrap();
    let entries = again.entries();
    assert_eq!(entries.len(), 3);
    assert!(matches!(&entries[1].entry, Entry::Note { text } if text == "first"));
    assert_eq!(again.standing(&shop).unwrap().case.evidence.len(), 1);
    shop.close().unwrap();
}

#[test]
fn the_same_request_twice_is_kept_once_and_another_under_its_key_is_not_taken_for_it() {
    let own = own();
    let (_, session) = job(&own);
    let first = own.shop.append(&session, &[note("a")], Some("key")).unwrap();
    let again = own.shop.append(&session, &[note("a")], Some("key")).unwrap();
    assert_eq!((first.last, first.before), (2, false));
    assert_eq!((again.last, again.before), (2, true));
    assert_eq!(session.entries().len(), 2);
    let (_, other) = job(&own);
    let elsewhere = own.shop.append(&other, &[note("a")], Some("key")).unwrap();
    assert!(!elsewhere.before, "keys belong to their job");
}

#[test]
fn there_is_one_session_of_a_job_and_its_standing_is_made_once() {
    let own = own();
    let (id, session) = job(&own);
    assert!(Arc::ptr_eq(&session, &own.shop.session(id).unwrap()));
    assert!(own.shop.session(id + 7).is_err());
    let standing = session.standing(&own.shop).unwrap();
    assert!(Arc::ptr_eq(&standing, &session.standing(&own.shop).unwrap()));
    assert!(session.standing_now().is_some());
    own.shop.append(&session, &[reading(12.4)], None).unwrap();
    let later = session.standing(&own.shop).unwrap();
    assert_eq!((standing.last(), later.last()), (1, 2));
    // Both are of one model: it is compiled once.
    assert!(Arc::ptr_eq(&standing.model, &later.model));
}

#[test]
fn jobs_that_nobody_works_with_make_room_and_those_at_hand_stay() {
    let own = own();
    let (first, held) = job(&own);
    for _ in 0..AT_HAND + 5 {
        job(&own);
    }
    assert!(Arc::ptr_eq(&held, &own.shop.session(first).unwrap()));
    assert!(lock(&own.shop.sessions).len() <= AT_HAND + 1);
}

#[test]
fn a_job_is_signed_off_until_it_is_opened_again() {
    let own = own();
    let (_, session) = job(&own);
    assert!(!session.signed_off());
    own.shop
        .append(&session, &[Entry::SignedOff { open: Vec::new(), reason: String::new() }], None)
        .unwrap();
    assert!(session.signed_off());
    own.shop.append(&session, &[note("a thought")], None).unwrap();
    assert!(session.signed_off(), "a note opens nothing");
    own.shop.append(&session, &[Entry::Reopened { reason: "it came back".into() }], None).unwrap();
    assert!(!session.signed_off());
}

#[test]
fn every_window_hears_of_an_entry_and_of_what_follows_from_it() {
    let own = own();
    let (id, session) = job(&own);
    let mut told = own.shop.follow();
    let kept = own.shop.append(&session, &[reading(0.02)], None).unwrap();
    let next =
        |told: &mut tokio::sync::broadcast::Receiver<Told>| until("news", || told.try_recv().ok());
    assert!(matches!(next(&mut told), Told::Changed { job } if job == id));
    let assessed = until("the assessment", || match told.try_recv().ok()? {
        Told::Assessed { job, upto } => Some((job, upto)),
        _ => None,
    });
    assert_eq!(assessed, (id, kept.last));
    let assessment = session.assessed().unwrap();
    assert_eq!((assessment.upto, assessment.trouble.as_str()), (kept.last, ""));
    let standing = session.standing(&own.shop).unwrap();
    assert!(own.shop.is_assessed(&session, &standing).unwrap().is_some());
    own.shop.append(&session, &[reading(0.03)], None).unwrap();
    let standing = session.standing(&own.shop).unwrap();
    let stale = own.shop.is_assessed(&session, &standing).unwrap();
    assert!(stale.is_none_or(|a| a.upto == standing.last()), "never an older one");
}

#[test]
fn a_vehicle_file_written_anew_is_read_anew_and_a_broken_one_named() {
    let own = own();
    let path = own.directory.path().join("vehicles/lamp.json");
    let first = own.shop.vehicles.file("lamp").unwrap();
    assert!(Arc::ptr_eq(&first, &own.shop.vehicles.file("lamp").unwrap()));
    let mut changed = lamp();
    changed["model"] = "Over".into();
    std::thread::sleep(Duration::from_millis(20));
    std::fs::write(&path, changed.to_string()).unwrap();
    assert_eq!(own.shop.vehicles.file("lamp").unwrap().model, "Over");
    std::thread::sleep(Duration::from_millis(20));
    std::fs::write(&path, "{").unwrap();
    let why = own.shop.vehicles.file("lamp").unwrap_err().to_string();
    assert!(why.contains("lamp.json"), "{why}");
    assert!(own.shop.vehicles.file("../lamp").is_err());
    assert_eq!(own.shop.vehicles.ids(), ["lamp"]);
}

const AT: SocketAddr = SocketAddr::new(std::net::IpAddr::V4(std::net::Ipv4Addr::LOCALHOST), 8080);

async fn ask(
    shop: &Arc<Shop>,
    method: &str,
    path: &str,
    body: Option<Value>,
) -> (StatusCode, Value) {
    let request = Request::builder().method(method).uri(path).header("host", "127.0.0.1:8080");
    let request = match body {
        Some(body) => {
            request.header("content-type", "application/json").body(Body::from(body.to_string()))
        }
        None => request.body(Body::empty()),
    };
    let answer = router(Arc::clone(shop), AT).oneshot(request.unwrap()).await.unwrap();
    let status = answer.status();
    let bytes = answer.into_body().collect().await.unwrap().to_bytes();
    (status, serde_json::from_slice(&bytes).unwrap_or(Value::Null))
}

#[tokio::test]
async fn a_job_is_taken_read_and_refused_through_its_routes() {
    let own = own();
    let shop = &own.shop;
    let (status, vehicles) = ask(shop, "GET", "/api/vehicles", None).await;
    assert_eq!(status, StatusCode::OK);
    assert_eq!(vehicles, json!([{"id": "lamp", "name": "Made Up", "trouble": ""}]));
    let (status, opened) = ask(shop, "POST", "/api/jobs", Some(json!({"vehicle": "lamp"}))).await;
    assert_eq!(status, StatusCode::OK, "{opened}");
    let id = opened["id"].as_i64().unwrap();
    let (status, wrong) = ask(shop, "POST", "/api/jobs", Some(json!({"vehicle": "boat"}))).await;
    assert!(
        status.is_client_error() && wrong["detail"].as_str().unwrap().contains("boat"),
        "{wrong}"
    );
    let reading = |value: &str, red: &str| json!({"quantity": "volts", "red": red, "black": "BAT.-", "text": value, "state": {}});
    let path = format!("/api/jobs/{id}/reading");
    let (status, kept) = ask(shop, "POST", &path, Some(reading("12,1 V", "E1.1"))).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    // What is wrong is named by its field, and nothing is kept of it.
    let (status, wrong) = ask(shop, "POST", &path, Some(reading("much", "E1.1"))).await;
    assert!(status.is_client_error(), "{wrong}");
    assert_eq!(wrong["errors"][0]["pointer"], "/text", "{wrong}");
    let (status, wrong) = ask(shop, "POST", &path, Some(reading("12", "E9.1"))).await;
    assert!(status.is_client_error() && wrong.to_string().contains("E9.1"), "{wrong}");
    let (status, wrong) = ask(shop, "POST", &path, Some(json!({"value": 3}))).await;
    assert!(status.is_client_error(), "{wrong}");
    let refuse = format!("/api/jobs/{id}/refuse");
    let (status, _) = ask(shop, "POST", &refuse, Some(json!({"check": "amps *"}))).await;
    assert_eq!(status, StatusCode::OK);
    let (status, wrong) = ask(shop, "POST", &refuse, Some(json!({"check": "  "}))).await;
    assert!(status.is_client_error() && wrong["errors"][0]["pointer"] == "/check", "{wrong}");
    let session = shop.session(id).unwrap();
    let numbers: Vec<u64> = session.entries().iter().map(|e| e.number).collect();
    assert_eq!(numbers.len() as u64, *numbers.last().unwrap());
    let standing = session.standing(shop).unwrap();
    assert_eq!((standing.case.evidence.len(), standing.case.refused.len()), (1, 1));
    let (status, list) = ask(shop, "GET", "/api/jobs?search=lamp", None).await;
    assert_eq!((status, &list["found"]), (StatusCode::OK, &json!(1)), "{list}");
    let (status, _) = ask(shop, "GET", "/api/jobs/999", None).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    let (status, wrong) = ask(shop, "GET", "/api/jobs/one", None).await;
    assert!(
        status == StatusCode::NOT_FOUND && wrong["detail"].as_str().unwrap().contains("number")
    );
    let (status, _) = ask(shop, "DELETE", "/api/jobs", None).await;
    assert_eq!(status, StatusCode::METHOD_NOT_ALLOWED);
}

#[tokio::test]
async fn other_hosts_and_pages_are_turned_away() {
    let own = own();
    let with = async |headers: &[(&str, &str)]| {
        let mut request = Request::builder().uri("/api/jobs");
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        let request = request.body(Body::empty()).unwrap();
        router(Arc::clone(&own.shop), AT).oneshot(request).await.unwrap()
    };
    let ours = with(&[("host", "localhost:8080")]).await;
    assert_eq!(ours.status(), StatusCode::OK);
    assert_eq!(ours.headers()["cache-control"], "no-store");
    assert!(
        ours.headers()["content-security-policy"].to_str().unwrap().contains("default-src 'self'")
    );
    for headers in [
        &[("host", "elsewhere:8080")][..],
        &[("host", "localhost:8080"), ("origin", "http://elsewhere")],
        &[("host", "localhost:8080"), ("sec-fetch-site", "cross-site")],
        &[],
    ] {
        assert_eq!(with(headers).await.status(), StatusCode::FORBIDDEN, "{headers:?}");
    }
}

/// Voltages of a bus on which the sender of 200 drives half.
fn voltages() -> String {
    use bus::can::wave::{Rates, Sent, Shape, draw};
    let rates = Rates::classic(500e3);
    let mut at = 60e-6;
    let mut sent = Vec::new();
    for n in 0..6u8 {
        let id = if n % 2 == 0 { 0x100 } else { 0x200 };
        let frame = bus::Frame::classic(bus::Id::Standard(id), &[n, 0x5A]);
        let dominant = if id == 0x200 { [3.0, 2.0] } else { [3.5, 1.5] };
        let shape = Shape { dominant, ..Shape::default() };
        let one = Sent { bits: bus::can::bits::bits(&frame, true), at, shape, clock: 0.0 };
        at = one.end(&rates) + 60e-6;
        sent.push(one);
    }
    bus::format::csv::write(&draw(&sent, &rates, &Shape::default(), 100e-9, at))
}

async fn send(shop: &Arc<Shop>, path: &str, body: impl Into<Body>) -> (StatusCode, Value) {
    let request = Request::builder().method("POST").uri(path).header("host", "127.0.0.1:8080");
    let request = request.header("content-type", "application/octet-stream");
    let answer =
        router(Arc::clone(shop), AT).oneshot(request.body(body.into()).unwrap()).await.unwrap();
    let status = answer.status();
    let bytes = answer.into_body().collect().await.unwrap().to_bytes();
    (status, serde_json::from_slice(&bytes).unwrap_or(Value::Null))
}

#[tokio::test]
async fn a_capture_is_taken_in_shown_and_given_back() {
    let own = own();
    let shop = &own.shop;
    let (id, session) = job(&own);
    let path = format!("/api/jobs/{id}/captures");
    let text = voltages();
    let (status, kept) = send(shop, &format!("{path}?name=bus.csv&bus=can"), text.clone()).await;
    assert_eq!(status, StatusCode::OK, "{kept}");
    let (_, list) = ask(shop, "GET", &path, None).await;
    // Sent again under its key nothing is added, neither to the ledger nor beside it.
    let twice = || {
        let path = format!("{path}?name=again.csv&bus=can");
        let request = Request::builder().method("POST").uri(path).header("host", "127.0.0.1:8080");
        let request = request.header("idempotency-key", "one").body(Body::from(text.clone()));
        router(Arc::clone(shop), AT).oneshot(request.unwrap())
    };
    assert_eq!(twice().await.unwrap().status(), StatusCode::OK);
    assert_eq!(twice().await.unwrap().status(), StatusCode::OK);
    let files = std::fs::read_dir(own.directory.path().join("data/captures")).unwrap();
    assert_eq!(files.count(), 2);
    let list = Value::from(list.as_array().unwrap()[..1].to_vec());
    let listed = json!([{"number": 1, "name": "bus.csv", "bus": "CAN", "bytes": text.len()}]);
    assert_eq!(list, listed);
    let (_, content) = ask(shop, "GET", &format!("{path}/1"), None).await;
    assert_eq!(
        (&content["bit_rate"], &content["frames"], &content["wrong"]),
        (&json!(500e3), &json!(6), &json!(0))
    );
    assert_eq!(content["lines"][1]["role"], "read as low", "{content}");
    assert_eq!(content["findings"][0]["kind"], "amplitude", "{content}");
    // The least and largest of each line: 1.5 to 2.5 and more in the acknowledge slot.
    let high = content["lines"][0]["high"].as_f64().unwrap();
    assert!((3.4..3.8).contains(&high), "{content}");
    let (_, view) = ask(shop, "GET", &format!("{path}/1/view?from_s=0&to_s=1&most=50"), None).await;
    let lines = view["lines"].as_array().unwrap();
    assert!(lines.len() == 2 && lines.iter().all(|l| l.as_array().unwrap().len() == 100), "{view}");
    let all = format!("{path}/1/frames?from_s=0&to_s=1&most=4");
    let (_, frames) = ask(shop, "GET", &all, None).await;
    assert_eq!((&frames["all"], frames["frames"].as_array().unwrap().len()), (&json!(6), 4));
    assert_eq!(
        (&frames["frames"][1]["id"], &frames["frames"][1]["data"]),
        (&json!("200"), &json!("015A"))
    );
    // Only what lies in the stretch.
    let start = frames["frames"][2]["from_s"].as_f64().unwrap();
    let one = format!("{path}/1/frames?from_s={start}&to_s={}&most=9", start + 1e-6);
    let (_, frames) = ask(shop, "GET", &one, None).await;
    assert_eq!((&frames["all"], &frames["frames"][0]["number"]), (&json!(1), &json!(2)));
    // Opened again by a program that has nothing at hand.
    let again = crate::captures::Captures::open(&own.directory.path().join("data")).unwrap();
    let capture = session.standing(shop).unwrap().case.captures[0].clone();
    assert_eq!(again.opened(id, &capture).unwrap().frames.len(), 6);
    let (status, _) = ask(shop, "GET", &format!("{path}/9"), None).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn of_a_capture_that_cannot_be_read_nothing_is_kept() {
    let own = own();
    let shop = &own.shop;
    let (id, session) = job(&own);
    let path = |more: &str| format!("/api/jobs/{id}/captures?{more}");
    let broken = "Time (s),CAN high\n0,2.5\n1e-6,much\n";
    for (more, body, says) in [
        ("name=a.csv&bus=can", broken, "line 3"),
        ("name=a.csv&bus=can", "", "empty"),
        ("name=a.csv&bus=can", "2.5\n2.5\n", "no time column"),
        ("name=a.log&bus=lin", "(1.0) can0 123#00\n", "for LIN give voltages"),
        ("name=%20&bus=can", broken, "called"),
        ("name=a.csv&bus=can&sample_rate=0", broken, "above zero"),
        ("name=a.csv&bus=tram", broken, "tram"),
    ] {
        let (status, said) = send(shop, &path(more), body).await;
        assert!(status.is_client_error() && said.to_string().contains(says), "{more}: {said}");
    }
    // A transfer that breaks off in the middle.
    let pieces =
        vec![Ok(axum::body::Bytes::from("Time (s),A\n0,2.5\n")), Err(std::io::Error::other("cut"))];
    let cut = Body::from_stream(tokio_stream::iter(pieces));
    let (status, said) = send(shop, &path("name=a.csv&bus=can"), cut).await;
    assert!(status.is_client_error() && said.to_string().contains("broke off"), "{said}");
    assert_eq!(session.entries().len(), 1, "the complaint alone");
    let files = std::fs::read_dir(own.directory.path().join("data/captures")).unwrap();
    assert_eq!(files.count(), 0);
    // What changes but is no traffic is kept and shown, with why nothing was read.
    let square: String =
        (0..4000).map(|k| format!("{}\n", if k / 100 % 2 == 0 { 0 } else { 5 })).collect();
    let (status, _) = send(shop, &path("name=square.csv&bus=can&sample_rate=1e6"), square).await;
    assert_eq!(status, StatusCode::OK);
    let (_, content) = ask(shop, "GET", &format!("/api/jobs/{id}/captures/1"), None).await;
    assert!(content["trouble"].as_str().unwrap().contains("no frame"), "{content}");
    assert_eq!((&content["frames"], &content["samples"]), (&json!(0), &json!(4000)));
    // Its sample rate is kept with it.
    let again = crate::captures::Captures::open(&own.directory.path().join("data")).unwrap();
    let capture = session.standing(shop).unwrap().case.captures[0].clone();
    assert_eq!(again.opened(id, &capture).unwrap().reading.as_ref().unwrap().trace.step_s, 1e-6);
}
