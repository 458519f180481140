//! Many modules in flight, and what becomes of a link whose other side misbehaves.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{BODY, REAR, addresses, hands, standin};
use link::services::input_output_control::{self, Level};
use link::services::{ecu_reset, read_codes, read_data, routine, session};
use link::services::{security_access, write_data};
use link::{Gateway, LinkError, Timing, discovery, scpi};
use serde_json::json;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};

const VIN: u16 = 0xF190;
const CLIMATE: u16 = 0x10C0;

fn short() -> Timing {
    let ms = Duration::from_millis;
    Timing { acknowledged: ms(400), p2: ms(400), p2_star: ms(600), longest: ms(1200) }
}

async fn awake() -> standin::Standin {
    let s = standin(None).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    s
}

/// Asks every module for the vehicle's identity at once.
async fn everyone(link: &Arc<Gateway>) -> Vec<(vehicle::PartId, Result<Vec<u8>, LinkError>)> {
    let mut set = tokio::task::JoinSet::new();
    for (id, who) in addresses() {
        let link = Arc::clone(link);
        set.spawn(async move { (id, read_data::by_identifier(&link, who, VIN).await) });
    }
    let mut all = set.join_all().await;
    all.sort_by(|a, b| a.0.cmp(&b.0));
    all
}

#[tokio::test]
async fn modules_are_asked_at_once_and_each_answers_for_itself() {
    let s = awake().await;
    hands(&s, "/manners", json!({"latency_ms": 150})).await;
    let link = Arc::new(Gateway::connect(s.doip).await.unwrap());
    let started = Instant::now();
    let all = everyone(&link).await;
    assert_eq!(all.len(), 25);
    assert!(all.iter().all(|(_, r)| r.as_deref() == Ok(b"0PMWR22K8NB004417")), "{all:?}");
    // One after the other they would take 25 times 150 ms.
    assert!(started.elapsed() < Duration::from_millis(25 * 150 / 2), "{:?}", started.elapsed());
}

#[tokio::test]
async fn one_that_misbehaves_is_named_and_the_rest_stand() {
    let s = awake().await;
    let manners = json!({"modules": {
        "A2": "silent", "A3": "garbled", "A20": "pending", "A21": "flood", "A22": "busy",
        "A23": {"slow": {"millis": 50}},
    }});
    hands(&s, "/manners", manners).await;
    let link = Arc::new(Gateway::connect_with(s.doip, short()).await.unwrap());
    for (id, answer) in everyone(&link).await {
        match (id.as_str(), answer) {
            ("A2", Err(LinkError::TimeOut { .. })) => {}
            // What comes from a module that floods or garbles is shown.
            ("A3" | "A21", Err(LinkError::Garbled { who, .. })) => assert!(who.starts_with("0x")),
            // It answers, though it never comes to an end: that is no silence.
            ("A20", Err(LinkError::Refused { code: 0x78, .. })) => {}
            (id, Ok(vin)) if !["A2", "A3", "A20", "A21"].contains(&id) => {
                assert_eq!(vin, b"0PMWR22K8NB004417", "{id}");
            }
            (id, other) => panic!("{id}: {other:?}"),
        }
    }
    // The link is as good as before.
    assert!(read_data::by_identifier(&link, CLIMATE, VIN).await.is_ok());
}

#[tokio::test]
async fn a_gateway_that_closes_the_link_ends_every_wait_at_once() {
    let s = awake().await;
    hands(&s, "/manners", json!({"latency_ms": 300, "close_after": 20})).await;
    let link = Arc::new(Gateway::connect(s.doip).await.unwrap());
    let started = Instant::now();
    let all = everyone(&link).await;
    let lost = |r: &Result<Vec<u8>, LinkError>| matches!(r, Err(LinkError::Lost { .. }));
    assert!(all.iter().filter(|(_, r)| lost(r)).count() >= 5, "{all:?}");
    assert!(started.elapsed() < Duration::from_secs(2));
    assert!(link.is_gone());
    // Connected anew, everything is there again.
    let link = Arc::new(Gateway::connect(s.doip).await.unwrap());
    assert!(everyone(&link).await.iter().all(|(_, r)| r.is_ok()));
}

#[tokio::test]
async fn a_question_taken_back_does_not_answer_the_next_one() {
    let s = awake().await;
    hands(&s, "/manners", json!({"latency_ms": 120})).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    let first = read_data::by_identifier(&link, BODY, 0xF187);
    assert!(tokio::time::timeout(Duration::from_millis(30), first).await.is_err());
    assert_eq!(read_data::by_identifier(&link, BODY, VIN).await.unwrap(), b"0PMWR22K8NB004417");
}

#[tokio::test]
async fn nothing_stays_driven_when_the_cable_is_pulled_or_nobody_says_that_he_is_there() {
    let s = standin(Some("terminal:C4.7:series:2.2")).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    let leads = json!({"instrument": "volts", "red": "C4.7:cabin", "black": "C4.7:engine"});
    hands(&s, "/leads", leads).await;
    let volts = || async { scpi::measure(s.scpi, scpi::Query::Volts).await.unwrap().unwrap() };
    let drive = async || {
        let link = Gateway::connect(s.doip).await.unwrap();
        // In the default session nothing is driven.
        let refused =
            input_output_control::drive(&link, BODY, 0x3002, Level::On).await.unwrap_err();
        assert!(matches!(refused, LinkError::Refused { code: 0x7F, .. }), "{refused}");
        session::extended(&link, BODY).await.unwrap();
        input_output_control::drive(&link, BODY, 0x3002, Level::On).await.unwrap();
        assert!(volts().await > 3.0);
        link
    };
    let link = drive().await;
    hands(&s, "/manners", json!({"cut": true})).await;
    tokio::time::sleep(Duration::from_millis(200)).await;
    assert!(volts().await.abs() < 0.1, "still driven with the cable out");
    let asked = read_data::by_identifier(&link, BODY, VIN).await;
    assert!(matches!(asked, Err(LinkError::Lost { .. })), "{asked:?}");
    // The vehicle's clock ten times as fast: its five seconds are half of one.
    hands(&s, "/manners", json!({"speed": 10.0})).await;
    let _link = drive().await;
    tokio::time::sleep(Duration::from_millis(900)).await;
    assert!(volts().await.abs() < 0.1, "still driven though nobody said that he is there");
}

#[tokio::test]
async fn a_vehicle_says_who_it_is_before_anyone_connects() {
    let s = awake().await;
    let found = discovery::identify(s.doip, true).await.unwrap();
    assert_eq!(found.len(), 1);
    assert_eq!((found[0].vin.as_str(), found[0].entity), ("0PMWR22K8NB004417", 0x1001));
    assert_eq!(found[0].address, s.doip);
    // Rubbish does not end it.
    let socket = tokio::net::UdpSocket::bind("127.0.0.1:0").await.unwrap();
    socket.send_to(&[0xFF; 40], s.doip).await.unwrap();
    socket.send_to(&[], s.doip).await.unwrap();
    assert!(discovery::identify(s.doip, true).await.is_ok());
    let nobody = std::net::UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    assert!(matches!(discovery::identify(nobody, true).await, Err(LinkError::NoConnection { .. })));
}

#[tokio::test]
async fn a_tester_that_is_alive_keeps_its_address_and_one_that_hangs_loses_it() {
    let s = awake().await;
    let first = Gateway::connect(s.doip).await.unwrap();
    let second = Gateway::connect(s.doip).await;
    assert!(matches!(second, Err(LinkError::NotActivated(0x03))), "{second:?}");
    assert!(read_data::by_identifier(&first, BODY, VIN).await.is_ok());
    drop(first);
    // One that activates routing and then never says another word, not even that it is alive.
    let mut mute = tokio::net::TcpStream::connect(s.doip).await.unwrap();
    tokio::time::sleep(Duration::from_millis(100)).await;
    let activation = [0x02, 0xFD, 0x00, 0x05, 0, 0, 0, 7, 0x0E, 0x00, 0, 0, 0, 0, 0];
    mute.write_all(&activation).await.unwrap();
    let mut answer = [0; 17];
    mute.read_exact(&mut answer).await.unwrap();
    // ISO 13400-2 table 48: tester, entity, code 0x10, four reserved bytes.
    let told = [0x02, 0xFD, 0x00, 0x06, 0, 0, 0, 9, 0x0E, 0x00, 0x10, 0x01, 0x10, 0, 0, 0, 0];
    assert_eq!(answer, told);
    let next = Gateway::connect(s.doip).await.unwrap();
    assert!(read_data::by_identifier(&next, BODY, VIN).await.is_ok());
}

#[tokio::test]
async fn a_reset_module_is_away_for_a_moment_and_security_guards_what_is_written() {
    let s = awake().await;
    let link = Gateway::connect(s.doip).await.unwrap();
    ecu_reset::reset(&link, REAR, ecu_reset::Kind::Hard).await.unwrap();
    let away = read_data::by_identifier(&link, REAR, VIN).await;
    assert!(matches!(away, Err(LinkError::Unreachable { .. })), "{away:?}");
    tokio::time::sleep(Duration::from_millis(1100)).await;
    assert!(read_data::by_identifier(&link, REAR, VIN).await.is_ok());
    let other = b"0PMWR22K6NB005131";
    let code = |r: Result<(), LinkError>| match r {
        Err(LinkError::Refused { code, .. }) => code,
        other => panic!("{other:?}"),
    };
    assert_eq!(code(write_data::by_identifier(&link, REAR, VIN, other).await), 0x7F);
    session::extended(&link, REAR).await.unwrap();
    assert_eq!(code(write_data::by_identifier(&link, REAR, VIN, other).await), 0x33);
    let wrong = |seed: &[u8]| seed.to_vec();
    assert_eq!(code(security_access::unlock(&link, REAR, 1, wrong).await), 0x35);
    let key = |seed: &[u8]| seed.iter().map(|b| !b ^ 0x20).collect();
    security_access::unlock(&link, REAR, 1, key).await.unwrap();
    write_data::by_identifier(&link, REAR, VIN, other).await.unwrap();
    assert_eq!(read_data::by_identifier(&link, REAR, VIN).await.unwrap(), other);
    let unknown = routine::control(&link, REAR, 0x0203, routine::Control::Start, &[]).await;
    assert!(matches!(unknown, Err(LinkError::Refused { code: 0x31, .. })), "{unknown:?}");
    // Codes by mask, and the counters of one that failed long ago.
    let stored = read_codes::by_mask(&link, REAR, 0x08).await.unwrap();
    assert_eq!(stored.len(), 1);
    let counters = read_codes::extended(&link, REAR, [0xF0, 0x06, 0x16]).await.unwrap();
    // Seven cycles since it last failed, in none of which its monitor ran; this one is the eighth.
    assert_eq!(counters, [(1, 1), (2, 7), (3, 8)]);
}
