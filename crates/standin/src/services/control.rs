//! Service 2F: outputs driven for a limited time in the extended session, and given back.

use super::{LENGTH, NOT_IN_SESSION, OUT_OF_RANGE, Refusal};
use crate::world::{Driven, World};
use std::time::Duration;
use vehicle::{Amount, PartIx};

pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, high, low, control, more @ ..] = request else {
        return Err(LENGTH);
    };
    let did = u16::from_be_bytes([*high, *low]);
    let module = &w.circuit.vehicle.parts[part].id;
    let output = (w.circuit.vehicle.outputs.iter())
        .find(|o| &o.module == module && o.did == did)
        .ok_or(OUT_OF_RANGE)?;
    let (id, limit_s) = (output.id.clone(), output.limit_s);
    match (control, more) {
        (0x03, [on @ 0x01..=0xFF]) => {
            // One byte: the number of a step where the output has steps, percent where it has that, else on.
            let percent = match output.steps.get(usize::from(*on) - 1) {
                Some(step) => Some(Amount(*step)),
                None if output.takes(f64::from(*on)) && output.steps.is_empty() => {
                    Some(Amount(f64::from(*on)))
                }
                None if *on == 1 && !output.is_graded() => None,
                None => return Err(OUT_OF_RANGE),
            };
            if !w.sessions.contains_key(&part) {
                return Err(NOT_IN_SESSION);
            }
            let left = Duration::from_secs_f64(limit_s);
            w.driven.insert(id, Driven { left, percent });
        }
        (0x00, []) | (0x03, [0x00]) => {
            w.driven.remove(&id);
        }
        (0x00 | 0x03, _) => return Err(LENGTH),
        _ => return Err(OUT_OF_RANGE),
    }
    Ok(vec![*high, *low, *control])
}
