//! Frames of one member of a bus, looked for at another: they come when the sender works and its
//! dominant bits reach the other as such (see [`circuit::phase::Ear`]).

use super::level::{InPhase, Phases};
use crate::model::{Model, ModelError};
use circuit::Change;

/// Chance that a frame is missed or taken for another's.
const MISSED: f64 = 2e-3;

pub(super) fn heard<'a>(
    model: &'a Model,
    bus: &str,
    from: &str,
    at: &str,
    heard: bool,
) -> Result<InPhase<'a>, ModelError> {
    let c = &model.circuit;
    let (sender, receiver) = (super::part(model, from)?, super::part(model, at)?);
    let not_on_it = |id: &str| ModelError::Unknown { what: "member of the bus", id: id.to_owned() };
    let holds = c.dominant(bus, sender).ok_or_else(|| not_on_it(from))?;
    let device = c
        .transceivers(bus)
        .find(|d| c.devices[*d].part == receiver)
        .ok_or_else(|| not_on_it(at))?;
    let own = c.transceivers(bus).find(|d| c.devices[*d].part == sender);
    let ear = c.ear(device).ok_or_else(|| not_on_it(at))?;
    Ok(InPhase {
        holds,
        nodes: ear.nodes,
        parts: [sender, receiver],
        score: Box::new(move |p: &Phases, changes| {
            let silent = |x: &Change| matches!(x, Change::Hold(d, 0) if Some(*d) == own);
            let sends = p.alive[0] && !changes.iter().any(silent);
            let comes = sends && p.alive[1] && ear.hears(p.held, p.rest);
            if comes == heard { 1.0 - MISSED } else { MISSED }.ln()
        }),
    })
}
