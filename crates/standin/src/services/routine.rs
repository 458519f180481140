//! Service 31: the module's self-test, which runs all its monitors.

use super::{LENGTH, OUT_OF_RANGE, Refusal, SEQUENCE, SUB_FUNCTION};
use crate::codes;
use crate::world::World;
use vehicle::PartIx;

/// Start runs it, stop ends it. Results tells whether it runs, one byte, how far it is, one byte of percent, and
/// the codes that failed in it so far, three bytes each.
pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, control, high, low] = request else { return Err(LENGTH) };
    if u16::from_be_bytes([*high, *low]) != w.circuit.vehicle.identifiers.self_test {
        return Err(OUT_OF_RANGE);
    }
    let mut out = vec![*control, *high, *low];
    match control {
        0x01 => {
            w.start_test(part);
        }
        0x02 => w.tested.get_mut(&part).filter(|t| t.is_running()).ok_or(SEQUENCE)?.stop(),
        0x03 => {
            let test = w.tested.get(&part).ok_or(SEQUENCE)?;
            out.extend([u8::from(test.is_running()), test.percent()]);
            for k in &test.failing {
                let m = &w.circuit.vehicle.monitors[*k];
                out.extend(codes::bytes(m.code, m.failure_type));
            }
        }
        _ => return Err(SUB_FUNCTION),
    }
    Ok(out)
}
