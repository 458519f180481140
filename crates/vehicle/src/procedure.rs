//! Procedures that a module learns or proves something in while the vehicle is used: a drive with tooth-error
//! learning, a warm-up, a particulate filter burnt free.

use crate::SignalId;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A procedure: stages one after another, each with what must hold and for how long.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Procedure {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// The setting that its module has learned once all stages are passed.
    pub teaches: String,
    /// What must hold from the first to the last moment: beyond it, it ends by itself.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub throughout: Vec<Target>,
    /// Its stages, the first one first.
    pub stages: Vec<Stage>,
    /// The course of time that does it, where hands are there to go through one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub profile: Option<String>,
}

/// A stage of a procedure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stage {
    /// What is to be done, in a few words: they are read at arm's length.
    pub name: String,
    /// How to get there.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub hint: String,
    /// What must hold at the same time.
    pub targets: Vec<Target>,
    /// How long without a break, seconds; 0: reaching it is enough.
    #[serde(default)]
    pub hold_s: f64,
    /// By when after the stage before it must be passed, seconds; none: it takes what it takes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within_s: Option<f64>,
}

/// A band that a value must lie in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Target {
    /// The signal; its physical value counts, in the physical unit.
    pub signal: SignalId,
    /// Least value; none: however little.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub least: Option<f64>,
    /// Largest value; none: however much.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most: Option<f64>,
}

impl Target {
    /// Whether a value lies in the band.
    pub fn holds(&self, value: f64) -> bool {
        self.least.is_none_or(|least| value >= least) && self.most.is_none_or(|most| value <= most)
    }
}

impl Procedure {
    /// Every signal that is looked at, each once.
    pub fn signals(&self) -> Vec<SignalId> {
        let staged = self.stages.iter().flat_map(|s| &s.targets);
        let mut all: Vec<SignalId> =
            self.throughout.iter().chain(staged).map(|t| t.signal.clone()).collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}
