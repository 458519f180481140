//! What modules keep and do: freeze-frame data, self-tests, configuration, lost messages.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{B1A11_14, BODY, REAR, addresses, hands, standin, wren};
use link::services::routine::{self, Control};
use link::services::{
    clear_codes, ecu_reset, read_codes, read_data, security_access, session, write_data,
};
use link::{Gateway, LinkError};
use serde_json::json;
use std::time::Duration;

const SELF_TEST: u16 = 0x0200;
const EQUIPMENT: u16 = 0x0600;

fn refusal<T>(answer: Result<T, LinkError>) -> u8 {
    match answer {
        Err(LinkError::Refused { code, .. }) => code,
        Err(other) => panic!("{other}"),
        Ok(_) => panic!("it was granted"),
    }
}

async fn on(fault: Option<&str>) -> (standin::Standin, Gateway) {
    let s = standin(fault).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    (s, link)
}

async fn status(link: &Gateway, who: u16, code: &str, failure_type: &str) -> u8 {
    let all = read_codes::supported(link, who).await.unwrap();
    let [high, low] = code.parse::<vehicle::TroubleCode>().unwrap().bytes();
    let wanted = [high, low, u8::from_str_radix(failure_type, 16).unwrap()];
    all.iter().find(|c| c.code == wanted).unwrap().status
}

#[tokio::test]
async fn a_code_keeps_what_its_monitor_saw() {
    let (_s, link) = on(Some("part:K9:coil_open")).await;
    tokio::time::sleep(Duration::from_millis(1200)).await;
    let v = wren();
    let monitor = v.monitors.iter().find(|m| m.code == "B1A11" && m.failure_type == "14").unwrap();
    let seen = v.frame(monitor);
    assert_eq!(seen.len(), 1, "it looks at the pin of the relay's coil");
    let pin = seen[0].0;
    let length = move |did: u16| match did {
        0xDD00 => Some(4),
        0xDD01 => Some(3),
        0xDD02 => Some(2),
        other => (other == pin).then_some(2),
    };
    let frame = read_codes::snapshot(&link, BODY, B1A11_14, length).await.unwrap();
    let of = |did: u16| frame.iter().find(|(d, _)| *d == did).unwrap().1.clone();
    assert_eq!(of(0xDD00).len(), 4);
    // An open coil leaves the pin at ground: below the 3 V at which the monitor fails.
    let volts = f64::from(i16::from_be_bytes(of(pin).try_into().unwrap())) / 1000.0;
    assert!(volts < 3.0, "{volts}");
    let supply = f64::from(u16::from_be_bytes(of(0xDD02).try_into().unwrap())) / 1000.0;
    assert!((11.0..13.0).contains(&supply), "{supply}");
}

#[tokio::test]
async fn a_self_test_runs_every_monitor_that_can_run_and_tells_how_far_it_is() {
    let (_s, link) = on(Some("part:K9:coil_open")).await;
    assert_eq!(refusal(routine::control(&link, BODY, 0x7777, Control::Start, &[]).await), 0x31);
    let early = routine::control(&link, BODY, SELF_TEST, Control::Results, &[]).await;
    assert_eq!(refusal(early), 0x24, "no results before it ran");
    clear_codes::all(&link, BODY).await.unwrap();
    let test = |control| routine::control(&link, BODY, SELF_TEST, control, &[]);
    assert_eq!(refusal(test(Control::Stop).await), 0x24, "nothing runs");
    test(Control::Start).await.unwrap();
    // A byte that is 1 while it runs, percent, then the codes that failed, three bytes each.
    let mut percent = Vec::new();
    let told = loop {
        let told = test(Control::Results).await.unwrap();
        percent.push(told[1]);
        if told[0] == 0 {
            break told;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    };
    assert_eq!(told, [&[0, 100][..], &B1A11_14].concat());
    assert!(percent.is_sorted() && percent[0] < 50 && percent.len() > 4, "{percent:?}");
    assert_eq!(status(&link, BODY, "B1A11", "14").await & 0x19, 0x09, "ran and failed");
    assert_eq!(status(&link, BODY, "B1A10", "14").await & 0x19, 0x00, "ran and passed");
    // Its output is off: what watches the driven output cannot run.
    assert_eq!(status(&link, BODY, "B1A11", "12").await & 0x10, 0x10, "not run");
    // Stopped it stays where it is.
    test(Control::Start).await.unwrap();
    test(Control::Stop).await.unwrap();
    let [early, late] = [0, 300].map(async |wait| {
        tokio::time::sleep(Duration::from_millis(wait)).await;
        test(Control::Results).await.unwrap()
    });
    let (early, late) = (early.await, late.await);
    assert!(early == late && late[0] == 0 && late[1] < 100, "{early:?} {late:?}");
}

#[tokio::test]
async fn what_modules_keep_stands_where_the_vehicle_file_says() {
    let mut v = wren();
    let pressure = vehicle::Coding { bytes: 1, signed: false, per_bit: 0.1, offset: -2.0 };
    let supply = v.signals.iter_mut().find(|s| s.id == "body_supply").unwrap();
    (supply.did, supply.coding) = (Some(0x4001), Some(pressure));
    v.identifiers.supply = vehicle::Datum { did: 0x4001, coding: pressure };
    v.identifiers.self_test = 0x0301;
    v.identifiers.freeze_frame.odometer.did = 0x4102;
    let s = crate::common::standin_of(v.clone(), Some("part:K9:coil_open")).await;
    hands(&s, "/state", json!({"key": "15"})).await;
    let link = Gateway::connect(s.doip).await.unwrap();
    // (12.5 V + 2) / 0.1 = 145 in one byte.
    let data = read_data::by_identifier(&link, BODY, 0x4001).await.unwrap();
    assert!(data.len() == 1 && (130..150).contains(&data[0]), "{data:?}");
    assert_eq!(refusal(read_data::by_identifier(&link, BODY, 0x2001).await), 0x31);
    let test = |id| routine::control(&link, BODY, id, Control::Start, &[]);
    assert_eq!(refusal(test(SELF_TEST).await), 0x31);
    test(0x0301).await.unwrap();
    tokio::time::sleep(Duration::from_secs(5)).await;
    let bytes = B1A11_14;
    let length = |did: u16| match did {
        0xDD00 => Some(4),
        0x4102 => Some(3),
        _ => Some(2),
    };
    let frame = read_codes::snapshot(&link, BODY, bytes, length).await.unwrap();
    let (_, km) = frame.iter().find(|(did, _)| *did == 0x4102).unwrap();
    // 61240 km are 0x00EF38.
    assert_eq!(km[..], [0x00, 0xEF, 0x38]);
}

#[tokio::test]
async fn configuration_is_written_only_by_who_may_and_kept() {
    let (_s, link) = on(None).await;
    let module = wren().parts.into_iter().find(|p| p.id == "A3").unwrap().module.unwrap();
    let factory = module.configuration["0600"].bytes().unwrap();
    let read = || read_data::by_identifier(&link, REAR, EQUIPMENT);
    assert_eq!(read().await.unwrap(), factory);
    let other = [0xDE, 0xAD, 0xBE, 0xEF];
    let write = |data: &'static [u8]| write_data::by_identifier(&link, REAR, EQUIPMENT, data);
    assert_eq!(refusal(write(&[0xDE, 0xAD, 0xBE, 0xEF]).await), 0x7F, "not in this session");
    session::extended(&link, REAR).await.unwrap();
    assert_eq!(refusal(write(&[0xDE, 0xAD, 0xBE, 0xEF]).await), 0x33, "locked");
    // The key is the seed's complement, each byte turned by the low byte of the address.
    let key = |seed: &[u8]| seed.iter().map(|b| !b ^ (REAR as u8)).collect::<Vec<u8>>();
    security_access::unlock(&link, REAR, 1, key).await.unwrap();
    assert_eq!(refusal(write(&[0xDE]).await), 0x13, "a record is as long as it is");
    assert_eq!(read().await.unwrap(), factory, "nothing was written by halves");
    write(&[0xDE, 0xAD, 0xBE, 0xEF]).await.unwrap();
    assert_eq!(read().await.unwrap(), other);
    ecu_reset::reset(&link, REAR, ecu_reset::Kind::Hard).await.unwrap();
    tokio::time::sleep(Duration::from_millis(1500)).await;
    assert_eq!(read().await.unwrap(), other, "a reset forgets no configuration");
}

#[tokio::test]
async fn who_hears_nothing_of_a_dead_module_says_so() {
    // The rear module has no ground: the body and the trailer module miss its messages.
    let (_s, link) = on(Some("wire:24:open")).await;
    tokio::time::sleep(Duration::from_millis(1800)).await;
    let trailer = addresses().into_iter().find(|(p, _)| p == "A25").unwrap().1;
    for who in [BODY, trailer] {
        assert_eq!(status(&link, who, "U0142", "87").await & 0x09, 0x09, "{who:#x}");
    }
    let climate = addresses().into_iter().find(|(p, _)| p == "A23").unwrap().1;
    assert_eq!(status(&link, climate, "U0100", "87").await & 0x19, 0x00, "ran and passed");
}

#[tokio::test]
async fn a_slave_that_holds_its_line_is_missed_with_all_beside_it() {
    let (_s, link) = on(Some("part:A50:stuck_dominant")).await;
    tokio::time::sleep(Duration::from_millis(1800)).await;
    let climate = addresses().into_iter().find(|(p, _)| p == "A23").unwrap().1;
    for code in ["U1050", "U1051", "U1052", "U1053"] {
        assert_eq!(status(&link, climate, code, "87").await & 0x09, 0x09, "{code}");
    }
}

/// Requests of every length with every service: each gets an answer that is one, and the module
/// stands afterwards.
#[tokio::test]
async fn no_request_upsets_a_module() {
    use rand::{Rng, SeedableRng};
    let (_s, link) = on(None).await;
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(7);
    let services = [0x10, 0x11, 0x14, 0x19, 0x22, 0x27, 0x2E, 0x2F, 0x31, 0x3E, 0x85, 0x00, 0xFF];
    let mut refused = 0;
    for k in 0..500 {
        let mut request = vec![services[k % services.len()]];
        for _ in 0..rng.random_range(0..12) {
            request.push(rng.random());
        }
        // Resets and suppressed answers are tried elsewhere: here every request wants an answer.
        if matches!(request[0], 0x10 | 0x11 | 0x3E) && request.len() == 2 {
            request[1] = 0x7E;
        }
        match link.request(BODY, "anything", &request).await {
            Ok(answer) => assert_eq!(answer.first(), Some(&(request[0] + 0x40)), "{request:02X?}"),
            Err(LinkError::Refused { .. }) => refused += 1,
            Err(other) => panic!("{request:02X?}: {other}"),
        }
    }
    assert!(refused > 400, "{refused}");
    assert!(read_data::by_identifier(&link, BODY, 0xF190).await.is_ok());
}
