//! Evidence: what was found, in which state, and how likely each hypothesis makes it.
//!
//! One file per kind. Each turns a finding into a log-likelihood per hypothesis;
//! the last entry is "not in this vehicle file", which predicts nothing.

use crate::model::{Model, ModelError};
use circuit::Instrument;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use vehicle::OperatingState;

mod answer;
mod code;
pub(crate) mod effect;
pub(crate) mod reading;

/// How strongly an effect shows.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Strength {
    /// As it should.
    Normal,
    /// Less than it should.
    Weak,
    /// Not at all.
    None,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Finding {
    /// A meter reading.
    Reading {
        /// `volts`, `ohms` or `amps`.
        #[schemars(with = "String")]
        instrument: Instrument,
        /// Red lead, or the conductor for amps.
        red: String,
        /// Black lead.
        #[serde(default)]
        black: String,
        /// The value in V, Ohm or A; none is over limit (OL).
        value: Option<f64>,
    },
    /// An effect looked at, for example of a driven output.
    Effect {
        /// The part whose effect it is.
        part: String,
        /// How it showed.
        strength: Strength,
    },
    /// A code failing now, or its monitor run and passed.
    Code {
        /// Module part.
        module: String,
        /// Code.
        code: String,
        /// Failure type, two hexadecimal digits.
        failure_type: String,
        /// Failing now; else it ran and passed.
        failing: bool,
    },
    /// A module asked over the link.
    Answer {
        /// Module part.
        module: String,
        /// Whether it answered.
        answers: bool,
    },
}

/// A finding in its state.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Evidence {
    /// The operating state, unplugged connectors included.
    #[serde(default)]
    pub state: OperatingState,
    /// What was found.
    #[serde(flatten)]
    pub finding: Finding,
}

/// Chance that a reading is worthless: a probe that missed, a wrong cavity.
pub(crate) const BAD_PROBE: f64 = 0.02;

impl Evidence {
    /// Log-likelihood under every hypothesis and, last, under "not in this vehicle file".
    ///
    /// # Errors
    /// [`ModelError`] for names the vehicle does not have.
    pub fn log_likelihoods(&self, model: &Model) -> Result<Vec<f64>, ModelError> {
        model.circuit.check_state(&self.state)?;
        match &self.finding {
            Finding::Reading { instrument, red, black, value } => {
                let probe = circuit::Probe {
                    instrument: *instrument,
                    red: red.clone(),
                    black: black.clone(),
                };
                reading::log_likelihoods(model, &self.state, &probe, *value)
            }
            Finding::Effect { part, strength } => {
                effect::log_likelihoods(model, &self.state, part, *strength)
            }
            Finding::Code { module, code, failure_type, failing } => {
                code::log_likelihoods(model, &self.state, module, code, failure_type, *failing)
            }
            Finding::Answer { module, answers } => {
                answer::log_likelihoods(model, &self.state, module, *answers)
            }
        }
    }
}

/// Index of a part, or the error that names it.
pub(crate) fn part(model: &Model, id: &str) -> Result<usize, ModelError> {
    model.circuit.part(id).ok_or_else(|| ModelError::Unknown { what: "part", id: id.to_owned() })
}
