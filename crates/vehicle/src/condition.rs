//! Signals and the conditions that monitors, permits and functions put on them.

use crate::{Coding, Formula, OutputId, PartId, Physical, SignalId};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A value a module derives from its pins or its own doings.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Signal {
    /// Unique name.
    pub id: SignalId,
    /// What a technician calls it.
    pub name: String,
    /// The module part that computes it.
    pub module: PartId,
    /// Unit as shown, for example `V`.
    #[serde(default)]
    pub unit: String,
    /// UDS data identifier (ISO 14229-1), when it can be read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub did: Option<u16>,
    /// How it travels in data; none: volts in signed millivolts, anything else as on or off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coding: Option<Coding>,
    /// Where the value comes from.
    pub from: SignalSource,
    /// What it stands for; none: the value itself says all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub physical: Option<Physical>,
}

impl SignalSource {
    /// Whether it comes over a bus.
    pub fn is_by_message(&self) -> bool {
        matches!(self, Self::Received { .. } | Self::Arrives(_))
    }

    /// Signals of the same module that it is worked out of.
    pub fn inputs(&self) -> Vec<&SignalId> {
        let mut inputs = Vec::new();
        if let Self::Formula(formula) = self {
            formula.each(&mut |s| inputs.push(s));
        }
        inputs
    }
}

impl Signal {
    /// How it travels in data.
    pub fn coded(&self) -> Coding {
        self.coding.unwrap_or_else(|| Coding::usual(&self.unit))
    }
}

/// The source of a signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum SignalSource {
    /// Voltage of a pin of the module against a second pin, volts.
    PinVolts {
        /// Measured pin.
        pin: String,
        /// Pin it is measured against.
        against: String,
    },
    /// Current from one pin of the module to another through a shunt between them, amperes.
    Amps {
        /// Pin that the current comes from; it need not lead out of the module.
        from: String,
        /// Pin that it goes to.
        to: String,
        /// Resistance of the shunt that is between them, ohms.
        ohms: f64,
    },
    /// How often the voltage of a pin of the module passes a threshold in one direction while a ring turns
    /// past its sensor, hertz.
    Rate {
        /// Counted pin.
        pin: String,
        /// Pin it is measured against.
        against: String,
        /// The threshold, volts.
        over: f64,
        /// The part with the teeth.
        ring: PartId,
    },
    /// What the module works out of other signals of its own.
    Formula(Formula),
    /// What the module holds of a setting, by its id.
    Setting(String),
    /// How much of the time the module has the named output on, percent; 0 while it is off.
    Duty(OutputId),
    /// 1 while the named output is switched on, else 0.
    Output(OutputId),
    /// 1 while the named message arrives at this module, else 0.
    Arrives(String),
    /// A signal of another module, as a message brings it.
    Received {
        /// The message.
        message: String,
        /// The signal in it.
        signal: SignalId,
        /// What the module takes instead when the message does not arrive.
        substitute: f64,
        /// Least and largest value that the module takes for real, in the signal's unit; beyond them, and where
        /// the message does not arrive, the substitute stands in. None: whatever comes is taken.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        valid: Option<[f64; 2]>,
    },
}

/// A truth about signals.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Condition {
    /// The signal is above the number.
    Above(SignalId, f64),
    /// The signal is below the number.
    Below(SignalId, f64),
    /// All of them hold.
    All(Vec<Condition>),
    /// At least one of them holds.
    Any(Vec<Condition>),
    /// It does not hold.
    Not(Box<Condition>),
}

impl Condition {
    /// Evaluates the condition; `value` looks a signal up.
    pub fn holds(&self, value: &dyn Fn(&str) -> f64) -> bool {
        match self {
            Self::Above(signal, limit) => value(signal) > *limit,
            Self::Below(signal, limit) => value(signal) < *limit,
            Self::All(of) => of.iter().all(|c| c.holds(value)),
            Self::Any(of) => of.iter().any(|c| c.holds(value)),
            Self::Not(c) => !c.holds(value),
        }
    }

    /// Names of all signals it looks at.
    pub fn signals(&self) -> Vec<&str> {
        match self {
            Self::Above(signal, _) | Self::Below(signal, _) => vec![signal],
            Self::All(of) | Self::Any(of) => of.iter().flat_map(Self::signals).collect(),
            Self::Not(c) => c.signals(),
        }
    }
}
