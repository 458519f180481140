//! Service 22: identification and live values.

use super::{LENGTH, OUT_OF_RANGE, Refusal, VIN};
use crate::world::World;

pub(super) fn answer(w: &mut World, part: usize, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, high, low] = request else {
        return Err(LENGTH);
    };
    let did = u16::from_be_bytes([*high, *low]);
    let mut out = vec![*high, *low];
    let p = &w.circuit.vehicle.parts[part];
    let text = p.module.as_ref().and_then(|m| m.identification.get(&format!("{did:04X}")));
    let signal = (w.circuit.vehicle.signals.iter())
        .find(|s| s.module == p.id && s.did == Some(did))
        .map(|s| (s.id.clone(), s.unit == "V"));
    match (did, text.cloned(), signal) {
        (VIN, ..) => out.extend(w.written.get(&part).unwrap_or(&w.vin).bytes()),
        (_, Some(text), _) => out.extend(text.bytes()),
        // Volts as signed millivolts, states as one byte.
        (_, _, Some((id, true))) => {
            let mv = (w.signal(&id) * 1000.0).round().clamp(-32_768.0, 32_767.0) as i16;
            out.extend(mv.to_be_bytes());
        }
        (_, _, Some((id, false))) => out.push(u8::from(w.signal(&id) > 0.5)),
        _ => return Err(OUT_OF_RANGE),
    }
    Ok(out)
}
