//! A stand-in to talk to.
#![allow(missing_docs, dead_code, clippy::unwrap_used)]

use standin::{Past, Ports, Setup, Standin};
use vehicle::PartId;

pub const BODY: u16 = 0x1010;
pub const REAR: u16 = 0x1020;

pub fn wren() -> vehicle::Vehicle {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
    vehicle::Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()
}

/// B1A11-14 as it travels: B is 10 in the top bits, 1001 1010 0001 0001 (SAE J2012-DA).
pub const B1A11_14: [u8; 3] = [0x9A, 0x11, 0x14];

/// Diagnostic addresses of all modules, with their parts.
pub fn addresses() -> Vec<(PartId, u16)> {
    let parts = wren().parts.into_iter();
    parts.filter_map(|p| p.module.map(|m| (p.id, m.address))).collect()
}

pub async fn standin(fault: Option<&str>) -> Standin {
    standin_of(wren(), fault).await
}

pub async fn standin_of(vehicle: vehicle::Vehicle, fault: Option<&str>) -> Standin {
    let past = Past {
        module: "A3".into(),
        code: "U3006".parse().unwrap(),
        failure_type: "16".parse().unwrap(),
        odometer_km: 58_110,
        volts: 8.9,
    };
    let setup = Setup {
        vehicle,
        faults: fault.map(|id| id.parse().unwrap()).into_iter().collect(),
        seed: 5,
        vin: "0PMWR22K8NB004417".into(),
        odometer_km: 61_240,
        past: vec![past],
        flexes: false,
    };
    Standin::start(setup, Ports::default()).await.unwrap()
}

pub async fn hands(s: &Standin, path: &str, body: serde_json::Value) {
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let url = format!("http://{}{path}", s.hands);
    let r = client.post(url).json(&body).send().await.unwrap();
    assert!(r.status().is_success(), "{}", r.text().await.unwrap());
}
