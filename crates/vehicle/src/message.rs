//! What modules tell each other over the buses.

use crate::{PartId, SignalId};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A message one module sends again and again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Message {
    /// Unique name.
    pub id: String,
    /// What a technician calls it.
    pub name: String,
    /// The part that sends it.
    pub sender: PartId,
    /// The bus it is sent on; members of another bus get it through the gateway.
    pub bus: String,
    /// Identifier on the bus: CAN identifier (ISO 11898-1) or LIN frame identifier (ISO 17987-3).
    pub identifier: u32,
    /// Time from one sending to the next, milliseconds.
    pub period_ms: u32,
    /// Signals of the sender that it carries.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub signals: Vec<SignalId>,
}
