//! The oscilloscope: its probes put by the hands where there are any, a sweep read from it.

use super::{Bench, BenchError};
use bus::trace::{Channel, Trace};
use diagnosis::ledger::CaptureOf;
use link::scope::{self, Wanted};
use serde_json::json;
use vehicle::{Bus, BusKind};

/// Samples a second that CAN wants of each channel, and LIN; and at most of a sweep.
const CAN_RATE: f64 = 20e6;
const LIN_RATE: f64 = 1e6;
const MOST: f64 = 10e6;
/// Length of a sweep that is taken again and again, seconds: each slot of a LIN schedule comes once.
const SHORT_CAN: f64 = 0.01;
const SHORT_LIN: f64 = 0.15;

/// A sweep of a bus.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sweep {
    /// How long, seconds.
    pub seconds: f64,
    /// Samples of each channel.
    pub samples: usize,
    /// What it is of.
    pub of: CaptureOf,
}

impl Sweep {
    /// Of a bus, so long.
    pub fn of(bus: &Bus, seconds: f64) -> Self {
        let (of, rate) = match bus.kind {
            BusKind::Lin => (CaptureOf::Lin, LIN_RATE),
            _ => (CaptureOf::Can, CAN_RATE),
        };
        Self { seconds, samples: (rate * seconds).min(MOST) as usize, of }
    }

    /// Of a bus, as short as still tells.
    pub fn short(bus: &Bus) -> Self {
        let is_lin = bus.kind == BusKind::Lin;
        Self::of(bus, if is_lin { SHORT_LIN } else { SHORT_CAN })
    }
}

impl Bench {
    /// Whether a scope is there.
    pub fn has_scope(&self) -> bool {
        self.at.scope.is_some()
    }

    /// Takes a sweep with a probe at each point.
    pub async fn capture(
        &self,
        points: &[String],
        Sweep { seconds, samples, .. }: Sweep,
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
