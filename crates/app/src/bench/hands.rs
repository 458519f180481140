//! The demo's hands and eyes, and the meter.

use super::{Bench, BenchError};
use circuit::Instrument;
use diagnosis::evidence::{Sight, Strength};
use link::scpi;
use link::services::input_output_control::Level;
use serde_json::json;
use std::sync::Arc;
use std::time::Duration;
use vehicle::{OperatingState, Vehicle};

/// Time the circuit and the meter take to settle after a change.
const SETTLE: Duration = Duration::from_millis(150);

impl Bench {
    /// Lets the hands bring the vehicle into a state; outputs are driven over the link.
    pub async fn bring_into(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        state: &OperatingState,
    ) -> Result<(), BenchError> {
        // First back what is driven: once the state has changed, its module may be off.
        let driven = self.driven.lock().await.clone();
        for output in driven.keys().filter(|output| !state.outputs.contains(*output)) {
            // An output that cannot be given back because its module is off is off.
            let _ = self.drive(vehicle, output, None).await;
        }
        self.hands("/state", &json!(state.undriven())).await?;
        tokio::time::sleep(SETTLE).await;
        for output in &state.outputs {
            let level = match state.percent.get(output) {
                Some(percent) => Level::Percent(percent.0),
                None => Level::On,
            };
            self.drive(vehicle, output, Some(level)).await?;
        }
        tokio::time::sleep(SETTLE).await;
        Ok(())
    }

    /// Whether hands are there to be sent.
    pub fn has_hands(&self) -> bool {
        self.at.hands.is_some()
    }

    /// Sends the hands to do something.
    pub async fn hands(&self, path: &str, body: &serde_json::Value) -> Result<(), BenchError> {
        let Some(address) = self.at.hands else {
            return Ok(());
        };
        let response = self.http.post(format!("http://{address}{path}")).json(body).send().await;
        match response {
            Ok(r) if r.status().is_success() => Ok(()),
            Ok(r) => Err(BenchError::HandsRefuse(r.text().await.unwrap_or_default())),
            Err(_) => Err(BenchError::HandsGone),
        }
    }

    /// What the stand-in's eyes see of a part, with a jumper on or a part swapped.
    pub async fn look(
        &self,
        part: &str,
        jumper: Option<&[String; 2]>,
        swapped: Option<&str>,
    ) -> Result<Strength, BenchError> {
        let mut query = vec![("part", part)];
        if let Some([red, black]) = jumper {
            query.extend([("red", red.as_str()), ("black", black.as_str())]);
        }
        query.extend(swapped.map(|s| ("swapped", s)));
        let seen = self.eyes("look", &query).await?;
        serde_json::from_value(seen["strength"].clone())
            .map_err(|_| BenchError::NothingToSee(part.to_owned()))
    }

    /// What they see at a place or thing.
    pub async fn see(&self, at: &str) -> Result<Sight, BenchError> {
        let seen = self.eyes("see", &[("at", at)]).await?;
        serde_json::from_value(seen["sight"].clone()).map_err(|_| BenchError::HandsUnclear)
    }

    /// Whether something changes when the hands move the harness there.
    pub async fn moved(&self, at: &str) -> Result<bool, BenchError> {
        let seen = self.eyes("move", &[("at", at)]).await?;
        seen["changed"].as_bool().ok_or(BenchError::HandsUnclear)
    }

    async fn eyes(
        &self,
        what: &str,
        query: &[(&str, &str)],
    ) -> Result<serde_json::Value, BenchError> {
        let Some(address) = self.at.hands else {
            return Err(BenchError::NoHands);
        };
        let gone = |_| BenchError::HandsGone;
        let url = reqwest::Url::parse_with_params(&format!("http://{address}/{what}"), query)
            .map_err(|_| BenchError::HandsUnclear)?;
        let answer = self.http.get(url).send().await.map_err(gone)?;
        Ok(answer.json().await.unwrap_or_default())
    }

    /// Places the leads where hands are there to do it, and reads the meter.
    pub async fn measure(
        &self,
        instrument: Instrument,
        red: &str,
        black: &str,
    ) -> Result<Option<f64>, BenchError> {
        let Some(address) = self.at.scpi else {
            return Err(BenchError::NoMeter);
        };
        let query = match instrument {
            Instrument::Volts | Instrument::LowVolts => scpi::Query::Volts,
            Instrument::Ohms => scpi::Query::Ohms,
            Instrument::Amps | Instrument::Shunt => scpi::Query::Amps,
            _ => return Err(BenchError::NoDisplay),
        };
        self.hands("/leads", &json!({"instrument": instrument, "red": red, "black": black}))
            .await?;
        Ok(scpi::measure(address, query).await?)
    }
}
