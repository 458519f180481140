//! The client against the stand-in, on the wire.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{B1A11_14, BODY, REAR, hands, standin};
use link::services::input_output_control::{self, Level};
use link::services::{clear_codes, read_codes, read_data, session, tester_present};
use link::{Gateway, LinkError, scpi};
use serde_json::json;
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};

#[tokio::test]
async fn a_sleeping_module_is_unreachable_and_an_awake_one_answers() {
    let s = standin(Some("wire:24:open")).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    // Key 0: the gateway itself sleeps; the protocol's answer is silence.
    let asleep = read_data::by_identifier(&link, BODY, 0xF190).await.unwrap_err();
    assert!(matches!(asleep, LinkError::TimeOut { who: BODY, .. }), "{asleep}");
    hands(&s, "/state", json!({"key": "15"})).await;
    let vin = read_data::by_identifier(&link, BODY, 0xF190).await.unwrap();
    assert_eq!(vin, b"0PMWR22K8NB004417");
    // The rear module has lost its ground: the gateway says so, in the protocol's words.
    let lost = read_data::by_identifier(&link, REAR, 0xF190).await.unwrap_err();
    assert!(matches!(lost, LinkError::Unreachable { who: REAR, .. }), "{lost}");
    let unknown = read_data::by_identifier(&link, 0x4444, 0xF190).await.unwrap_err();
    assert!(matches!(unknown, LinkError::Unreachable { .. }));
    let refused = read_data::by_identifier(&link, BODY, 0x9999).await.unwrap_err();
    assert!(matches!(refused, LinkError::Refused { code: 0x31, .. }), "{refused}");
    tester_present::say(&link, BODY).await.unwrap();
}

#[tokio::test]
async fn codes_are_set_by_the_circuit_kept_and_cleared() {
    let s = standin(Some("part:K9:coil_open")).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    tokio::time::sleep(Duration::from_millis(900)).await;
    let body = read_codes::supported(&link, BODY).await.unwrap();
    let k9 = body.iter().find(|c| c.code == B1A11_14).unwrap();
    assert_eq!(k9.status & 0x09, 0x09, "failing and stored");
    let k8 = body.iter().find(|c| c.code == [0x9A, 0x10, 0x14]).unwrap();
    assert_eq!(k8.status, 0, "ran and passed");
    let old = read_codes::supported(&link, REAR).await.unwrap();
    assert_eq!(old.iter().find(|c| c.code[..2] == [0xF0, 0x06]).unwrap().status & 0x29, 0x28);
    let length = |did: u16| match did {
        0xDD00 => Some(4),
        0xDD01 => Some(3),
        _ => Some(2),
    };
    let frame = read_codes::snapshot(&link, REAR, [0xF0, 0x06, 0x16], length).await.unwrap();
    assert_eq!(frame[1], (0xDD01, vec![0x00, 0xE2, 0xFE]), "58110 km");
    clear_codes::all(&link, REAR).await.unwrap();
    let cleared = read_codes::supported(&link, REAR).await.unwrap();
    assert_eq!(cleared.iter().find(|c| c.code[..2] == [0xF0, 0x06]).unwrap().status & 0x28, 0);
}

#[tokio::test]
async fn a_driven_output_loads_the_circuit_and_is_given_back_when_the_link_goes() {
    let s = standin(Some("terminal:C4.7:series:2.2")).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    hands(
        &s,
        "/leads",
        json!({"instrument": "volts", "red": "C4.7:cabin", "black": "C4.7:engine"}),
    )
    .await;
    let volts = || async { scpi::measure(s.scpi, scpi::Query::Volts).await.unwrap().unwrap() };
    assert!(volts().await.abs() < 0.1);
    let link = Gateway::connect(s.doip).await.unwrap();
    session::extended(&link, BODY).await.unwrap();
    input_output_control::drive(&link, BODY, 0x3002, Level::On).await.unwrap();
    // 2.2 Ohm and about 2 A: near 4.5 V.
    assert!((3.9..5.1).contains(&volts().await), "{}", volts().await);
    drop(link);
    tokio::time::sleep(Duration::from_millis(200)).await;
    assert!(volts().await.abs() < 0.1, "still driven");
}

#[tokio::test]
async fn several_values_come_with_one_request_and_what_is_unknown_is_left_out() {
    let s = standin(None).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    // Supply, front wash input, and an identifier that nobody has.
    let wanted = [(0x2001, 2), (0x9999, 1), (0x2011, 2)];
    let all = read_data::several(&link, BODY, &wanted).await.unwrap();
    assert_eq!(all.iter().map(|(did, _)| *did).collect::<Vec<_>>(), [0x2001, 0x2011]);
    let alone = read_data::by_identifier(&link, BODY, 0x2001).await.unwrap();
    let volts = |data: &[u8]| f64::from(u16::from_be_bytes([data[0], data[1]])) / 1000.0;
    assert!((volts(&all[0].1) - volts(&alone)).abs() < 0.01);
    // Only unknown ones: refused, and asked one by one, none is there.
    assert_eq!(read_data::several(&link, BODY, &[(0x9999, 1), (0x9998, 1)]).await.unwrap(), []);
    // More than a module takes at once.
    let many: Vec<u8> = std::iter::once(0x22).chain([0x20, 0x01].repeat(40)).collect();
    let refused = link.request(BODY, "many values", &many).await.unwrap_err();
    assert!(matches!(refused, LinkError::Refused { code: 0x13, .. }), "{refused}");
}

#[tokio::test]
async fn garbage_ends_in_words_on_both_sides() {
    let s = standin(None).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    // A peer that sends rubbish is told so and cut off; the next one is served.
    let mut raw = tokio::net::TcpStream::connect(s.doip).await.unwrap();
    raw.write_all(&[0xAA; 32]).await.unwrap();
    let mut back = Vec::new();
    // The stand-in may already have reset the connection with bytes of ours unread.
    let _ = raw.read_to_end(&mut back).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    tester_present::say(&link, BODY).await.unwrap();
    // A gateway that answers rubbish, and one that is not there.
    let fake = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = fake.local_addr().unwrap();
    tokio::spawn(async move {
        let (mut stream, _) = fake.accept().await.unwrap();
        stream.write_all(b"HTTP/1.1 400 Bad Request\r\n\r\n").await.unwrap();
        let mut sink = [0; 64];
        let _ = stream.read(&mut sink).await;
    });
    assert!(matches!(Gateway::connect(at).await, Err(LinkError::Garbled { .. })));
    drop(s);
    let free = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    assert!(matches!(Gateway::connect(free).await, Err(LinkError::NoConnection { .. })));
}
