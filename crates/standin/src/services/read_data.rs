//! Service 22: identification, configuration and live values.

use super::{LENGTH, OUT_OF_RANGE, Refusal, VIN};
use crate::world::World;
use vehicle::PartIx;

pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, high, low] = request else {
        return Err(LENGTH);
    };
    let did = u16::from_be_bytes([*high, *low]);
    let mut out = vec![*high, *low];
    let p = &w.circuit.vehicle.parts[part];
    let text = p.module.as_ref().and_then(|m| m.identification.get(&format!("{did:04X}")));
    let signal = (w.circuit.vehicle.signals.iter())
        .find(|s| s.module == p.id && s.did == Some(did))
        .map(|s| (s.id.clone(), s.coded()));
    match (did, text.cloned(), w.setting(part, did), signal) {
        (VIN, ..) => out.extend(w.written.get(&part).unwrap_or(&w.vin).bytes()),
        (_, Some(text), ..) => out.extend(text.bytes()),
        (_, _, Some(setting), _) => out.extend(setting),
        (_, _, _, Some((id, coding))) => out.extend(coding.encode(w.signal(&id))),
        _ => return Err(OUT_OF_RANGE),
    }
    Ok(out)
}
