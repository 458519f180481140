//! The harness moved at a place while something was watched (N25): a contact or a conductor that
//! lies there and comes and goes changes with it; one that lies elsewhere does not.

use crate::model::{Model, ModelError};
use circuit::{Fault, place};

/// Chance that something changes when a fault that comes and goes lies where one moves.
const WAVERING_THERE: f64 = 0.6;
/// The same for a steady fault: a last strand or spot of contact gives way for a moment.
const STEADY_THERE: f64 = 0.08;
/// Chance that something changes although the fault lies elsewhere.
const ELSEWHERE: f64 = 0.02;

/// Chance that moving at a thing changes what is watched: for a steady fault and for one that
/// comes and goes.
pub(crate) fn chances(model: &Model, at: &str, fault: &Fault) -> [f64; 2] {
    match place::lies_at(&model.circuit, &fault.repair_item, at) && place::can_move(fault) {
        true => [STEADY_THERE, WAVERING_THERE],
        false => [ELSEWHERE; 2],
    }
}

type Scored<'a> = (super::OfFault<'a>, f64);

pub(super) fn scorer<'a>(
    model: &'a Model,
    at: &'a str,
    changed: bool,
) -> Result<Scored<'a>, ModelError> {
    super::known_place(model, at)?;
    let of = move |chance: f64| if changed { chance } else { 1.0 - chance }.ln();
    Ok((Box::new(move |f| chances(model, at, f).map(of)), of(ELSEWHERE)))
}
