//! What modules wait for: messages of others, pulses of sensors that something turns past.

use super::View;
use crate::compile::NodeId;
use std::collections::HashMap;
use vehicle::{PartId, PartIx, Vehicle};

/// What somebody waits for.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Awaited {
    /// A message.
    Message(Arrival),
    /// The pulses of a sensor.
    Pulses(Pulses),
}

impl Awaited {
    /// The message it is, if it is one.
    pub fn message(&self) -> Option<&Arrival> {
        match self {
            Self::Message(message) => Some(message),
            Self::Pulses(_) => None,
        }
    }

    /// The pulses it is, if it is that.
    pub fn pulses(&self) -> Option<&Pulses> {
        match self {
            Self::Pulses(pulses) => Some(pulses),
            Self::Message(_) => None,
        }
    }

    /// Whether all it takes works; whether the bus or the sensor's line lets it through is another question.
    pub(super) fn is_sent(&self, view: View<'_>) -> bool {
        // Asked again and again in every sweep: no list is made for it.
        let works = |p: PartIx| view.alive.get(p).copied().unwrap_or(false);
        match self {
            Self::Message(m) => works(m.sender) && works(m.at) && m.over.is_none_or(works),
            Self::Pulses(p) => works(p.at),
        }
    }
}

/// The pulses that a module counts.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Pulses {
    /// The module that counts.
    pub at: PartIx,
    /// Where it looks.
    pub pins: (NodeId, NodeId),
    /// What has to be passed to and fro, volts.
    pub over: f64,
}

impl Pulses {
    /// Whether they arrive: a gap lies on one side of the threshold and a tooth on the other.
    pub fn arrive(
        &self,
        gap: impl Fn(NodeId, NodeId) -> f64,
        tooth: impl Fn(NodeId, NodeId) -> f64,
    ) -> bool {
        let (a, b) = self.pins;
        (gap(a, b) > self.over) != (tooth(a, b) > self.over)
    }
}

/// A message somebody waits for: what it needs to arrive there.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Arrival {
    /// Who sends it.
    pub sender: PartIx,
    /// Who waits for it.
    pub at: PartIx,
    /// Number of the bus it is sent on.
    pub bus: usize,
    /// The gateway, where it has to pass it on.
    over: Option<PartIx>,
}

impl Arrival {
    /// Who must work for it: who sends it, who waits for it, who passes it on.
    pub(super) fn talking(&self) -> Vec<PartIx> {
        [self.sender, self.at].into_iter().chain(self.over).collect()
    }

    /// Of a message at a part.
    pub(super) fn of(
        vehicle: &Vehicle,
        part: &HashMap<PartId, PartIx>,
        gateway: Option<PartIx>,
        message: &str,
        at: PartIx,
    ) -> Option<Self> {
        let message = vehicle.messages.iter().find(|m| m.id == message)?;
        let sender = *part.get(&message.sender)?;
        let bus = vehicle.buses.iter().position(|b| b.id == message.bus)?;
        let elements = vehicle.parts.get(at).into_iter().flat_map(|p| &p.elements);
        let is_on = elements.into_iter().any(|e| e.bus() == Some(message.bus.as_str()));
        let is_lin = vehicle.buses[bus].kind == vehicle::BusKind::Lin;
        Some(Self { sender, at, bus, over: gateway.filter(|_| !is_lin && !is_on) })
    }
}
