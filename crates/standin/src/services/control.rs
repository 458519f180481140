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
    let (id, limit_s, range) = (w.circuit.vehicle.outputs.iter())
        .find(|o| &o.module == module && o.did == did)
        .map(|o| (o.id.clone(), o.limit_s, o.percent))
        .ok_or(OUT_OF_RANGE)?;
    match (control, more) {
        (0x03, [on @ 0x01..=0xFF]) => {
            // One byte: percent where the output has it, else on.
            let percent = match range {
                Some([least, most]) if (least..=most).contains(&f64::from(*on)) => {
                    Some(Amount(f64::from(*on)))
                }
                None if *on == 1 => None,
                _ => return Err(OUT_OF_RANGE),
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
