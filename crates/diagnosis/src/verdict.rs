//! Good, bad or cannot tell: what a reading is worth, with why.

use crate::evidence::reading::log_likelihood;
use crate::model::{Model, ModelError};
use crate::posterior::Posterior;
use crate::words;
use circuit::{Instrument, Probe};
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::OperatingState;

/// The verdict on a reading.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// As a sound vehicle reads, and a suspect would have shown.
    Good,
    /// Not as a sound vehicle reads.
    Bad,
    /// As a sound vehicle reads, but so do the suspects.
    CannotTell,
}

/// A judged reading.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Judged {
    /// Good, bad or cannot tell.
    pub verdict: Verdict,
    /// Healthy range in words.
    pub expected: String,
    /// Why, in a sentence.
    pub why: String,
}

/// Standard deviations either side of the healthy value that still count as sound.
pub const SOUND: f64 = 2.5;
/// Share of what was suspected that a sound reading must speak against to be called good.
const REFUTES: f64 = 0.15;
/// Below this load a series resistance in a supply line does not show, amperes.
const LOADED_AMPS: f64 = 0.02;

/// The healthy range in words.
pub fn healthy_range(instrument: Instrument, healthy: f64, sigma: f64) -> String {
    let spread = SOUND * sigma;
    let low = match instrument {
        Instrument::Ohms | Instrument::Lamp5 | Instrument::Lamp21 | Instrument::Led => {
            (healthy - spread).max(0.0)
        }
        _ => healthy - spread,
    };
    words::range(instrument, low, healthy + spread)
}

/// Why readings with this probe and state would tell nothing, when nothing loads the line.
pub fn trap(model: &Model, state: &OperatingState, probe: &Probe) -> Option<String> {
    let c = &model.circuit;
    let p = model.predict(state);
    match probe.instrument {
        Instrument::Volts => {
            let node = c.node(&probe.red).ok()?;
            let amps = c.load_at(&p.solution, node);
            // A live point without load: nothing would drop across a bad contact.
            let volts = p.healthy.between(node, c.node(&probe.black).ok()?);
            (volts.abs() > 1.0 && amps < LOADED_AMPS).then(|| {
                format!(
                    "Nothing draws current through {} in this state ({:.3} A): even {} in series would drop only {:.3} V. Read it with the load connected and running.",
                    probe.red,
                    amps,
                    "2.2 Ω",
                    2.2 * amps
                )
            })
        }
        Instrument::Ohms => {
            let nodes = [c.node(&probe.red).ok()?, c.node(&probe.black).ok()?];
            nodes.iter().any(|n| p.solution.volts[*n].abs() > 0.05).then(|| {
                "The circuit is live here: the ohmmeter shows the circuit's own voltage, not resistance. Take the supply away first.".to_owned()
            })
        }
        // These load the circuit themselves.
        _ => None,
    }
}

/// Judges a value against the healthy vehicle and against what the suspects predict.
///
/// # Errors
/// [`ModelError`] for points that do not exist.
pub fn judge(
    model: &Model,
    before: &Posterior,
    state: &OperatingState,
    probe: &Probe,
    value: Option<f64>,
) -> Result<Judged, ModelError> {
    let e = model.expect(state, probe)?;
    let read = value.unwrap_or(f64::INFINITY);
    let range = healthy_range(probe.instrument, e.healthy, e.sigma);
    let sound = match (read.is_finite(), e.healthy.is_finite()) {
        (true, true) => (read - e.healthy).abs() <= SOUND * e.sigma,
        (a, b) => a == b,
    };
    if !sound {
        return Ok(Judged {
            verdict: Verdict::Bad,
            why: format!("A sound vehicle reads {range} here."),
            expected: range,
        });
    }
    let own = log_likelihood(probe.instrument, read, e.healthy, e.sigma);
    let refuted: f64 = e
        .faults
        .iter()
        .zip(&before.hypotheses)
        .filter(|((v, s), _)| log_likelihood(probe.instrument, read, *v, *s) < own - 1.6)
        .map(|(_, p)| p)
        .sum();
    if refuted >= REFUTES {
        return Ok(Judged {
            verdict: Verdict::Good,
            why: format!(
                "As a sound vehicle reads; it speaks against {:.0} % of what was suspected.",
                refuted * 100.0
            ),
            expected: range,
        });
    }
    let why = trap(model, state, probe).unwrap_or_else(|| {
        format!(
            "Nearly every remaining suspect predicts this reading too; it speaks against {:.0} % of what was suspected.",
            refuted * 100.0
        )
    });
    Ok(Judged { verdict: Verdict::CannotTell, expected: range, why })
}
