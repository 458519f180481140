//! Service 2F: outputs driven for a limited time, and given back.

use super::{LENGTH, OUT_OF_RANGE, Refusal};
use crate::world::{Driven, World};
use std::time::Duration;

pub(super) fn answer(
    w: &mut World,
    part: usize,
    request: &[u8],
    driven: &mut Vec<String>,
) -> Result<Vec<u8>, Refusal> {
    let [_, high, low, control, more @ ..] = request else {
        return Err(LENGTH);
    };
    let did = u16::from_be_bytes([*high, *low]);
    let module = &w.circuit.vehicle.parts[part].id;
    let (id, limit_s) = (w.circuit.vehicle.outputs.iter())
        .find(|o| &o.module == module && o.did == did)
        .map(|o| (o.id.clone(), o.limit_s))
        .ok_or(OUT_OF_RANGE)?;
    match (control, more) {
        (0x03, [0x01]) => {
            let left = Duration::from_secs_f64(limit_s);
            w.driven.insert(id.clone(), Driven { left });
            driven.push(id);
        }
        (0x00, []) | (0x03, [0x00]) => {
            w.driven.remove(&id);
            driven.retain(|d| *d != id);
        }
        (0x00 | 0x03, _) => return Err(LENGTH),
        _ => return Err(OUT_OF_RANGE),
    }
    Ok(vec![*high, *low, *control])
}

/// Back in the default session, a module holds nothing for a tester.
pub(super) fn release(w: &mut World, part: usize, driven: &mut Vec<String>) {
    let module = w.circuit.vehicle.parts[part].id.clone();
    let own: Vec<String> = (w.circuit.vehicle.outputs.iter())
        .filter(|o| o.module == module)
        .map(|o| o.id.clone())
        .collect();
    w.driven.retain(|id, _| !own.contains(id));
    driven.retain(|id| !own.contains(id));
}
