//! The oscilloscope: its probes put by the hands where there are any, a sweep read from it.

use super::{Bench, BenchError};
use bus::trace::{Channel, Trace};
use link::scope::{self, Wanted};
use serde_json::json;

impl Bench {
    /// Whether a scope is there.
    pub fn has_scope(&self) -> bool {
        self.at.scope.is_some()
    }

    /// Takes a sweep with a probe at each point.
    pub async fn capture(
        &self,
        points: &[String],
        seconds: f64,
        samples: usize,
    ) -> Result<Trace, BenchError> {
        let Some(address) = self.at.scope else {
            return Err(BenchError::NoScope);
        };
        let channels: Vec<_> = points.iter().map(|p| json!({"red": p})).collect();
        self.hands("/probes", &json!({"channels": channels})).await?;
        let wanted = Wanted { seconds, samples, channels: points.len() };
        let volts = scope::sweep(address, wanted).await?;
        // A scope may take another number of samples than it was asked for.
        let taken = volts.iter().map(Vec::len).min().unwrap_or(0).max(1);
        let named = points.iter().zip(volts);
        let channels = named.map(|(p, volts)| Channel { name: p.clone(), volts }).collect();
        Ok(Trace { start_s: 0.0, step_s: seconds / taken as f64, channels })
    }
}
