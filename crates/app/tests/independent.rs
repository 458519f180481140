//! The wire against clients and servers that are none of ours, from the package registry: their client
//! asks our stand-in, our client asks their server.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{B1A11_14, BODY, standin};
use link::services::{read_codes, read_data, tester_present};
use link::{Gateway, LinkError};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

fn here() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/independent")
}

/// A program of the Python environment that `cargo xtask setup` makes.
fn python(program: &str) -> Command {
    let bin = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/python/bin").join(program);
    assert!(bin.exists(), "{} is not there; run `cargo xtask setup`", bin.display());
    Command::new(bin)
}

#[tokio::test]
async fn a_client_of_others_finds_our_stand_in_right() {
    let s = standin(Some("part:K9:coil_open")).await;
    let (host, port) = (s.doip.ip().to_string(), s.doip.port().to_string());
    let mut client = python("python");
    client.arg(here().join("client.py")).args([host, port, format!("http://{}", s.hands)]);
    let asked = tokio::task::spawn_blocking(move || client.output().unwrap()).await.unwrap();
    let error = String::from_utf8_lossy(&asked.stderr);
    assert!(asked.status.success(), "{error}");
    let told: Value = serde_json::from_slice(&asked.stdout).expect("JSON");
    assert_eq!(told["vehicle"], json!(["0PMWR22K8NB004417", 0x1001]));
    assert_eq!((&told["status"], &told["power"]), (&json!([0, 4]), &json!(1)));
    assert_eq!(told["vin"], "0PMWR22K8NB004417");
    // Seconds: P2 of 500 ms, P2* of 5 s.
    assert_eq!(told["session"], json!([0.5, 5.0]));
    let monitors = crate::common::wren().monitors.iter().filter(|m| m.module == "A2").count();
    assert_eq!(told["codes"], json!([monitors, 0xFF]));
    for yes in ["present", "cleared", "unlocked", "reset"] {
        assert_eq!(told[yes], true, "{yes}");
    }
    assert_eq!(told["unknown"], json!([0x31, "RequestOutOfRange"]));
    assert_eq!(told["driven"][0], 0);
    assert_eq!(told["given_back"][0], 0);
    assert_eq!(told["write"], json!([0x33, "SecurityAccessDenied"]));
}

struct Server(Child);

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[tokio::test]
async fn our_client_is_served_by_a_server_of_others() {
    let free = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let mut server = python("python");
    server
        .args(["-m", "doip_server.main", "--gateway-config", "gateway.yaml"])
        .args(["--host", "127.0.0.1", "--port", &free.port().to_string()])
        .current_dir(here())
        .stdout(Stdio::null())
        .stderr(Stdio::null());
    let _server = Server(server.spawn().unwrap());
    let mut link = Gateway::connect(free).await;
    for _ in 0..60 {
        if link.is_ok() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(250)).await;
        link = Gateway::connect(free).await;
    }
    let link = link.expect("their server routes");
    assert_eq!(link.entity, 0x1001);
    assert_eq!(read_data::by_identifier(&link, BODY, 0xF190).await.unwrap(), b"0PMWR22K8NB004417");
    tester_present::ask(&link, BODY).await.unwrap();
    // 9A 11 14 with status 2F: B1A11-14, failing and confirmed.
    let codes = read_codes::supported(&link, BODY).await.unwrap();
    assert_eq!(codes.len(), 1);
    let c = &codes[0];
    assert_eq!((c.code, c.status), (B1A11_14, 0x2F));
    let refused = read_data::by_identifier(&link, BODY, 0x9999).await.unwrap_err();
    assert!(matches!(refused, LinkError::Refused { code: 0x31, .. }), "{refused}");
    // A module it does not have.
    let nobody = read_data::by_identifier(&link, 0x4444, 0xF190).await.unwrap_err();
    let words = matches!(nobody, LinkError::Unreachable { .. } | LinkError::TimeOut { .. });
    assert!(words, "{nobody}");
}

#[tokio::test]
async fn instrument_libraries_of_others_read_our_meter() {
    let s = standin(None).await;
    let leads = json!({"instrument": "volts", "red": "BAT.+", "black": "BAT.-"});
    crate::common::hands(&s, "/leads", leads).await;
    let mut library = python("python");
    let (host, port) = (s.scpi.ip().to_string(), s.scpi.port().to_string());
    library.arg(here().join("meter.py")).args([host, port]);
    let asked = tokio::task::spawn_blocking(move || library.output().unwrap()).await.unwrap();
    let error = String::from_utf8_lossy(&asked.stderr);
    assert!(asked.status.success(), "{error}");
    let told: Value = serde_json::from_slice(&asked.stdout).expect("JSON");
    for idn in ["idn", "other_idn"] {
        assert!(told[idn].as_str().unwrap().contains("STAND-IN METER"), "{told}");
    }
    assert_eq!(told["opc"].as_str().unwrap().trim(), "1");
    let battery = |v: &Value| v.as_f64().is_some_and(|v| (12.0..13.2).contains(&v));
    assert!(battery(&told["volts"][0]) && battery(&told["other_volts"]), "{told}");
    let five = told["five"].as_array().unwrap();
    assert!(five.len() == 5 && five.iter().all(battery), "{told}");
    assert_eq!(told["errors"], json!(["-113,\"Undefined header\"", "0,\"No error\""]));
    assert!(told["ohms"][0].as_f64().is_some(), "{told}");
    assert_eq!(told["other_function"].as_str().unwrap().trim(), "\"CURR\"");
}

#[tokio::test]
async fn instrument_libraries_of_others_read_our_scope() {
    let s = standin(None).await;
    crate::common::hands(&s, "/state", json!({"key": "15"})).await;
    crate::common::hands(&s, "/probes", json!({"channels": [{"red": "X1.DH"}]})).await;
    let mut library = python("python");
    let (host, port) = (s.scope.ip().to_string(), s.scope.port().to_string());
    library.arg(here().join("scope.py")).args([host, port]);
    let asked = tokio::task::spawn_blocking(move || library.output().unwrap()).await.unwrap();
    let error = String::from_utf8_lossy(&asked.stderr);
    assert!(asked.status.success(), "{error}");
    let told: Value = serde_json::from_slice(&asked.stdout).expect("JSON");
    for idn in ["idn", "other_idn"] {
        assert!(told[idn].as_str().unwrap().contains("STAND-IN SCOPE"), "{told}");
    }
    assert_eq!((&told["opc"], &told["done"]), (&json!("1"), &json!("1")));
    assert_eq!(told["names"], "\"CH1\"");
    assert_eq!(told["samples"], json!([4000, 4000]));
    // As text there are six digits.
    assert!(told["apart"].as_f64().unwrap() < 1e-4, "{told}");
    // CAN high rests at about 2.5 V and is driven to 3.5 V (ISO 11898-2).
    let [low, high] = [0, 1].map(|k| told["range"][k].as_f64().unwrap());
    assert!((2.2..2.7).contains(&low) && (3.0..4.2).contains(&high), "{told}");
    let errors = json!(["-224,\"Illegal parameter value\"", "0,\"No error\""]);
    assert_eq!(told["errors"], errors);
    assert_eq!((&told["other_time"], &told["other_samples"]), (&json!(0.001), &json!(2000)));
}
