//! Who sends what in a capture.

use super::Seen;
use crate::model::Model;
use vehicle::{OperatingState, PartId};

/// What tells who drives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Who {
    /// The identifier of a frame.
    Identifier(u32),
    /// Whoever asks on a LIN bus: its master.
    Master,
}

/// The part that sends a frame on a bus: who the file says, or the gateway where it passes it on.
pub fn sender_of(model: &Model, bus: &str, identifier: u32) -> Option<PartId> {
    let v = &model.circuit.vehicle;
    let of = |m: &&vehicle::Message| m.identifier == identifier;
    if let Some(own) = v.messages.iter().filter(|m| m.bus == bus).find(of) {
        return Some(own.sender.clone());
    }
    v.messages.iter().find(of)?;
    let gateway = &v.parts[circuit::hearing::gateway(v)?];
    let is_on = gateway.elements.iter().any(|e| e.bus() == Some(bus));
    is_on.then(|| gateway.id.clone())
}

impl Who {
    /// The part.
    pub fn part(self, model: &Model, bus: &str) -> Option<PartId> {
        let parts = &model.circuit.vehicle.parts;
        match self {
            Self::Identifier(id) => sender_of(model, bus, id),
            Self::Master => {
                let is = |p: &&vehicle::Part| p.elements.iter().any(|e| e.is_master_of(bus));
                parts.iter().find(is).map(|p| p.id.clone())
            }
        }
    }
}

/// A sender that does not work in a state of the sound vehicle: the capture was taken in another.
pub fn asleep<'s>(model: &Model, state: &OperatingState, seen: &'s Seen) -> Option<&'s PartId> {
    let sound = model.predict(state);
    let works = |id: &PartId| model.circuit.part(id).is_some_and(|p| sound.healthy.alive(p));
    seen.senders.keys().find(|id| !works(id))
}

/// The bus of a kind that most of some identifiers are known on; the first where none is.
pub fn bus_of(model: &Model, lin: bool, identifiers: &[u32]) -> Option<String> {
    let buses = model.circuit.vehicle.buses.iter();
    let of_kind = buses.filter(|b| (b.kind == vehicle::BusKind::Lin) == lin);
    let messages = &model.circuit.vehicle.messages;
    let known = |bus: &str| {
        let own = messages.iter().filter(|m| m.bus == bus).map(|m| m.identifier);
        own.filter(|id| identifiers.contains(id)).count()
    };
    let best = of_kind.rev().max_by_key(|b| known(&b.id));
    best.map(|b| b.id.clone())
}
