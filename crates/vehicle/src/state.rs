//! The operating state: everything the technician sets before a reading.

use crate::{ConnectorId, OutputId, PartId};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Key positions by their DIN 72552 terminals.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Default,
    Serialize,
    Deserialize,
    JsonSchema,
    utoipa::ToSchema,
)]
pub enum KeyPosition {
    /// Off.
    #[default]
    #[serde(rename = "0")]
    Off,
    /// Ignition on.
    #[serde(rename = "15")]
    On,
    /// Starting.
    #[serde(rename = "50")]
    Start,
}

impl KeyPosition {
    /// The switch position a key-switch contact lists.
    pub fn position(self) -> &'static str {
        match self {
            Self::Off => "0",
            Self::On => "15",
            Self::Start => "50",
        }
    }
}

/// The amount of a stimulus, in its unit; ordered and hashed by its bits so that states can be keys.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema, utoipa::ToSchema)]
#[serde(transparent)]
pub struct Amount(pub f64);

impl PartialEq for Amount {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}
impl Eq for Amount {}
impl PartialOrd for Amount {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Amount {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}
impl std::hash::Hash for Amount {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        self.0.to_bits().hash(state);
    }
}

/// What the engine does.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Default,
    Serialize,
    Deserialize,
    JsonSchema,
    utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Engine {
    /// Standing.
    #[default]
    Off,
    /// Running, the generator driven.
    Running,
}

/// What the technician has set: key, engine, switches, commanded outputs, unplugged connectors.
#[derive(
    Debug,
    Clone,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Default,
    Serialize,
    Deserialize,
    JsonSchema,
    utoipa::ToSchema,
)]
#[serde(default, deny_unknown_fields)]
pub struct OperatingState {
    /// Key position.
    pub key: KeyPosition,
    /// Engine.
    pub engine: Engine,
    /// Switch part id to position; a switch not listed is in its rest position.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub switches: BTreeMap<PartId, String>,
    /// Outputs commanded on by a tester.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub outputs: BTreeSet<OutputId>,
    /// How much of the time a driven output is on, percent, where the tester sets another share than its usual
    /// one.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub percent: BTreeMap<OutputId, Amount>,
    /// Temperatures, pressures, positions, speeds that differ from rest, by stimulus id.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub stimuli: BTreeMap<String, Amount>,
    /// Connectors pulled apart.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub unplugged: BTreeSet<ConnectorId>,
    /// Ways a bus is led elsewhere: `bridge:A24` past a module that it passes through, `spare:XSC.2H` from a
    /// leg of a star coupler to its spare one, `exchange:A50+A51` of two identical LIN partners. The circuit
    /// tells which there are.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub rerouted: BTreeSet<String>,
    /// The battery is taken off (both posts).
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub battery_off: bool,
    /// A workshop charger is clipped on and switched on.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub charger: bool,
}

impl OperatingState {
    /// Value of a stimulus: as set, or `rest`.
    pub fn stimulus(&self, id: &str, rest: f64) -> f64 {
        self.stimuli.get(id).map_or(rest, |a| a.0)
    }

    /// Whether two states are the same but for what is unplugged or led elsewhere.
    pub fn alike_plugged(&self, other: &Self) -> bool {
        let Self {
            key,
            engine,
            switches,
            outputs,
            percent,
            stimuli,
            unplugged: _,
            rerouted: _,
            battery_off,
            charger,
        } = self;
        *key == other.key
            && *engine == other.engine
            && *switches == other.switches
            && *outputs == other.outputs
            && *percent == other.percent
            && *stimuli == other.stimuli
            && *battery_off == other.battery_off
            && *charger == other.charger
    }

    /// Gives everything back that a tester drives.
    pub fn give_back(&mut self) {
        self.outputs.clear();
        self.percent.clear();
    }

    /// The same state with nothing driven by a tester.
    #[must_use]
    pub fn undriven(&self) -> Self {
        Self { outputs: BTreeSet::new(), percent: BTreeMap::new(), ..self.clone() }
    }

    /// The same state with everything plugged in as it belongs.
    #[must_use]
    pub fn plugged(&self) -> Self {
        Self { unplugged: BTreeSet::new(), rerouted: BTreeSet::new(), ..self.clone() }
    }

    /// Whether everything is plugged in as it belongs.
    pub fn is_plugged(&self) -> bool {
        self.unplugged.is_empty() && self.rerouted.is_empty()
    }

    /// The same state with one more connector pulled.
    #[must_use]
    pub fn without(&self, connector: &str) -> Self {
        let mut state = self.clone();
        state.unplugged.insert(connector.into());
        state
    }
}
