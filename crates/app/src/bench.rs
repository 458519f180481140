//! What stands beside the vehicle: its gateway, a meter, and in the demo a pair of hands.

use circuit::Instrument;
use diagnosis::evidence::{Sight, Strength};
use diagnosis::ledger::{ReadCode, ScannedModule};
use link::services::{clear_codes, input_output_control, read_codes, read_data, session};
use link::{Gateway, LinkError, dtc, scpi};
use serde_json::json;
use std::collections::BTreeSet;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use vehicle::{OperatingState, Part, Vehicle};

/// Where things listen.
#[derive(Debug, Clone, Copy, Default)]
pub struct Addresses {
    /// DoIP gateway.
    pub doip: Option<SocketAddr>,
    /// SCPI meter.
    pub scpi: Option<SocketAddr>,
    /// Hands and eyes.
    pub hands: Option<SocketAddr>,
}

/// An open bench.
#[derive(Debug)]
pub struct Bench {
    /// Addresses.
    pub at: Addresses,
    gateway: tokio::sync::Mutex<Option<Arc<Gateway>>>,
    /// Outputs driven and not given back yet.
    driven: tokio::sync::Mutex<BTreeSet<String>>,
    http: reqwest::Client,
}

/// Time the circuit and the meter take to settle after a change.
const SETTLE: Duration = Duration::from_millis(150);
/// A module's own supply voltage, signed millivolts.
const SUPPLY_DID: u16 = 0x2001;

/// Lengths of the snapshot identifiers the modules use, bytes.
fn snapshot_length(did: u16) -> Option<usize> {
    match did {
        0xDD01 => Some(3),
        0xDD02 => Some(2),
        _ => None,
    }
}

fn snapshot_words(recorded: &[(u16, Vec<u8>)]) -> Vec<(String, String)> {
    recorded
        .iter()
        .map(|(did, data)| {
            let number = data.iter().fold(0u64, |n, b| n << 8 | u64::from(*b));
            match did {
                0xDD01 => ("odometer".to_owned(), format!("{number} km")),
                0xDD02 => ("supply".to_owned(), format!("{:.2} V", number as f64 / 1000.0)),
                other => (format!("{other:04X}"), format!("{data:02X?}")),
            }
        })
        .collect()
}

impl Bench {
    /// A bench at addresses; nothing is opened yet.
    pub fn new(at: Addresses) -> Self {
        let http = reqwest::Client::builder().no_proxy().timeout(Duration::from_secs(3)).build();
        Self {
            at,
            gateway: tokio::sync::Mutex::new(None),
            driven: tokio::sync::Mutex::default(),
            http: http.unwrap_or_default(),
        }
    }

    async fn gateway(&self) -> Result<Arc<Gateway>, String> {
        let Some(address) = self.at.doip else {
            return Err("no link is set up; start with --doip, or type codes and readings".into());
        };
        let mut slot = self.gateway.lock().await;
        if let Some(open) = &*slot {
            return Ok(Arc::clone(open));
        }
        let open = Arc::new(Gateway::connect(address).await.map_err(|e| e.to_string())?);
        *slot = Some(Arc::clone(&open));
        Ok(open)
    }

    /// Forgets a link that is gone, so that the next question opens it anew.
    async fn note(&self, error: &LinkError) {
        if matches!(error, LinkError::Lost { .. } | LinkError::Garbled { .. }) {
            *self.gateway.lock().await = None;
        }
    }

    /// Asks every module for its codes and their freeze-frame data.
    pub async fn scan(&self, vehicle: &Vehicle) -> Result<Vec<ScannedModule>, String> {
        let mut out = Vec::new();
        for (part, address) in modules(vehicle) {
            let gateway = self.gateway().await?;
            let result = scan_module(&gateway, address).await;
            if let Err(e) = &result {
                self.note(e).await;
            }
            out.push(match result {
                Ok(codes) => ScannedModule {
                    module: part.id.clone(),
                    answered: true,
                    trouble: String::new(),
                    codes,
                },
                Err(e) => ScannedModule {
                    module: part.id.clone(),
                    answered: false,
                    trouble: e.to_string(),
                    codes: Vec::new(),
                },
            });
        }
        Ok(out)
    }

    /// Clears the codes of every module; those that could not be cleared with the reason.
    pub async fn clear(&self, vehicle: &Vehicle) -> Result<Vec<(String, Option<String>)>, String> {
        let mut out = Vec::new();
        for (part, address) in modules(vehicle) {
            let gateway = self.gateway().await?;
            let result = clear_codes::all(&gateway, address).await;
            if let Err(e) = &result {
                self.note(e).await;
            }
            out.push((part.id.clone(), result.err().map(|e| e.to_string())));
        }
        Ok(out)
    }

    /// Supply voltage as each module sees it; `None` where it is silent.
    pub async fn supplies(&self, vehicle: &Vehicle) -> Result<Vec<Option<f64>>, String> {
        let mut out = Vec::new();
        for (_, address) in modules(vehicle) {
            let gateway = self.gateway().await?;
            match read_data::by_identifier(&gateway, address, SUPPLY_DID).await {
                Ok(data) if data.len() == 2 => {
                    out.push(Some(f64::from(i16::from_be_bytes([data[0], data[1]])) / 1000.0));
                }
                Ok(_) => out.push(None),
                Err(e) => {
                    self.note(&e).await;
                    if matches!(e, LinkError::Lost { .. }) {
                        return Err(e.to_string());
                    }
                    out.push(None);
                    // Behind a gateway that sleeps nobody can be asked.
                    if matches!(e, LinkError::TimeOut { who, .. } if who == gateway.entity) {
                        return Ok(out);
                    }
                }
            }
        }
        Ok(out)
    }

    /// Drives or gives back an output.
    pub async fn drive(&self, vehicle: &Vehicle, id: &str, on: bool) -> Result<(), String> {
        let output = vehicle
            .outputs
            .iter()
            .find(|o| o.id == id)
            .ok_or_else(|| format!("there is no output “{id}”"))?;
        let address = modules(vehicle)
            .find(|(p, _)| p.id == output.module)
            .map(|(_, a)| a)
            .ok_or_else(|| format!("{} cannot be asked", output.module))?;
        let gateway = self.gateway().await?;
        let result = async {
            if on {
                session::extended(&gateway, address).await?;
                input_output_control::drive(&gateway, address, output.did, true).await
            } else {
                input_output_control::give_back(&gateway, address, output.did).await
            }
        }
        .await;
        if let Err(e) = &result {
            self.note(e).await;
        }
        let mut driven = self.driven.lock().await;
        if on && result.is_ok() {
            driven.insert(id.to_owned());
        } else if !on {
            driven.remove(id);
        }
        result.map_err(|e| e.to_string())
    }

    /// Lets the hands bring the vehicle into a state; outputs are driven over the link.
    pub async fn bring_into(
        &self,
        vehicle: &Vehicle,
        state: &OperatingState,
    ) -> Result<(), String> {
        // First back what is driven: once the state has changed, its module may be off.
        let driven = self.driven.lock().await.clone();
        for output in driven.difference(&state.outputs) {
            // An output that cannot be given back because its module is off is off.
            let _ = self.drive(vehicle, output, false).await;
        }
        let mut by_hand = state.clone();
        by_hand.outputs.clear();
        self.hands("/state", &json!(by_hand)).await?;
        tokio::time::sleep(SETTLE).await;
        for output in &state.outputs {
            self.drive(vehicle, output, true).await?;
        }
        tokio::time::sleep(SETTLE).await;
        Ok(())
    }

    /// Whether hands are there to be sent.
    pub fn has_hands(&self) -> bool {
        self.at.hands.is_some()
    }

    /// Sends the hands to do something.
    pub async fn hands(&self, path: &str, body: &serde_json::Value) -> Result<(), String> {
        let Some(address) = self.at.hands else {
            return Ok(());
        };
        let response = self.http.post(format!("http://{address}{path}")).json(body).send().await;
        match response {
            Ok(r) if r.status().is_success() => Ok(()),
            Ok(r) => Err(r.text().await.unwrap_or_default()),
            Err(_) => Err("the stand-in's hands do not answer; is it still running?".into()),
        }
    }

    /// What the stand-in's eyes see of a part, with a jumper on or a part swapped.
    pub async fn look(
        &self,
        part: &str,
        jumper: Option<&[String; 2]>,
        swapped: Option<&str>,
    ) -> Result<Strength, String> {
        let mut query = vec![("part", part)];
        if let Some([red, black]) = jumper {
            query.extend([("red", red.as_str()), ("black", black.as_str())]);
        }
        query.extend(swapped.map(|s| ("swapped", s)));
        let seen = self.eyes("look", &query).await?;
        serde_json::from_value(seen["strength"].clone())
            .map_err(|_| format!("there is nothing to see at {part}"))
    }

    /// What they see at a place or thing.
    pub async fn see(&self, at: &str) -> Result<Sight, String> {
        let seen = self.eyes("see", &[("at", at)]).await?;
        serde_json::from_value(seen["sight"].clone()).map_err(|e| e.to_string())
    }

    /// Whether something changes when the hands move the harness there.
    pub async fn moved(&self, at: &str) -> Result<bool, String> {
        let seen = self.eyes("move", &[("at", at)]).await?;
        seen["changed"].as_bool().ok_or_else(|| "the hands gave no answer".to_owned())
    }

    async fn eyes(&self, what: &str, query: &[(&str, &str)]) -> Result<serde_json::Value, String> {
        let Some(address) = self.at.hands else {
            return Err("no hands are there to do it; do it yourself and say what you found".into());
        };
        let gone = |_| "the stand-in's eyes do not answer; is it still running?".to_owned();
        let url = reqwest::Url::parse_with_params(&format!("http://{address}/{what}"), query)
            .map_err(|e| e.to_string())?;
        let answer = self.http.get(url).send().await.map_err(gone)?;
        Ok(answer.json().await.unwrap_or_default())
    }

    /// Places the leads where hands are there to do it, and reads the meter.
    pub async fn measure(
        &self,
        instrument: Instrument,
        red: &str,
        black: &str,
    ) -> Result<Option<f64>, String> {
        let Some(address) = self.at.scpi else {
            return Err("no meter is set up; type the reading instead".into());
        };
        let query = match instrument {
            Instrument::Volts | Instrument::LowVolts => scpi::Query::Volts,
            Instrument::Ohms => scpi::Query::Ohms,
            Instrument::Amps | Instrument::Shunt => scpi::Query::Amps,
            _ => return Err("this tool has no display to read; type what you see".into()),
        };
        self.hands("/leads", &json!({"instrument": instrument, "red": red, "black": black}))
            .await?;
        scpi::measure(address, query).await.map_err(|e| e.to_string())
    }
}

/// Parts that are modules, with their addresses.
pub fn modules(vehicle: &Vehicle) -> impl Iterator<Item = (&Part, u16)> {
    vehicle.parts.iter().filter_map(|p| p.module.as_ref().map(|m| (p, m.address)))
}

async fn scan_module(gateway: &Gateway, address: u16) -> Result<Vec<ReadCode>, LinkError> {
    let mut codes = Vec::new();
    for c in read_codes::supported(gateway, address).await? {
        let mut read = ReadCode {
            code: c.code,
            failure_type: c.failure_type,
            status: c.status,
            snapshot: Vec::new(),
        };
        if (read.failing() || read.stored())
            && let Some(bytes) = dtc::bytes(&read.code, &read.failure_type)
        {
            // A missing snapshot does not spoil the scan.
            if let Ok(s) = read_codes::snapshot(gateway, address, bytes, snapshot_length).await {
                read.snapshot = snapshot_words(&s);
            }
        }
        codes.push(read);
    }
    Ok(codes)
}
