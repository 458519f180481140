//! Service 31: the module's self-test, which runs all its monitors at once.

use super::{LENGTH, OUT_OF_RANGE, Refusal, SEQUENCE, SUB_FUNCTION};
use crate::codes;
use crate::world::World;
use vehicle::PartIx;

/// Start runs it, results tells the codes that failed in it, three bytes each.
pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, control, high, low] = request else { return Err(LENGTH) };
    if u16::from_be_bytes([*high, *low]) != w.circuit.vehicle.identifiers.self_test {
        return Err(OUT_OF_RANGE);
    }
    let mut out = vec![*control, *high, *low];
    match control {
        0x01 => {
            let failing = w.self_test(part);
            w.tested.insert(part, failing);
        }
        0x03 => {
            let failing = w.tested.get(&part).ok_or(SEQUENCE)?;
            for k in failing {
                let m = &w.circuit.vehicle.monitors[*k];
                out.extend(codes::bytes(m.code, m.failure_type));
            }
        }
        _ => return Err(SUB_FUNCTION),
    }
    Ok(out)
}
