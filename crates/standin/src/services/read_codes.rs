//! Service 19: 02 by status mask, 0A supported, 04 snapshot.

use super::{
    LENGTH, OUT_OF_RANGE, Refusal, SNAPSHOT_ODOMETER, SNAPSHOT_SUPPLY, SUB_FUNCTION, monitors,
};
use crate::codes;
use crate::world::World;

/// Status bits this vehicle supports: all but the warning lamp.
const AVAILABLE: u8 = 0x7F;

pub(super) fn answer(w: &World, part: usize, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let code = |k: usize| {
        let m = &w.circuit.vehicle.monitors[k];
        codes::bytes(&m.code, &m.failure_type)
    };
    let list = |sub: u8, mask: u8| {
        let mut out = vec![sub, AVAILABLE];
        for k in monitors(w, part) {
            let status = w.memory[k].status;
            if mask == 0 || status & mask != 0 {
                out.extend(code(k));
                out.push(status);
            }
        }
        out
    };
    match request {
        [_, 0x0A] => Ok(list(0x0A, 0)),
        [_, 0x02, 0x00] => Ok(vec![0x02, AVAILABLE]),
        [_, 0x02, mask] => Ok(list(0x02, *mask)),
        [_, 0x04, a, b, c, _] => {
            let k = monitors(w, part)
                .into_iter()
                .find(|k| code(*k) == [*a, *b, *c])
                .ok_or(OUT_OF_RANGE)?;
            let mut out = vec![0x04, *a, *b, *c, w.memory[k].status];
            if let Some(s) = w.memory[k].snapshot {
                out.extend([0x01, 0x02]);
                out.extend(SNAPSHOT_ODOMETER.to_be_bytes());
                out.extend(&s.odometer_km.to_be_bytes()[1..]);
                out.extend(SNAPSHOT_SUPPLY.to_be_bytes());
                out.extend(((s.volts * 1000.0) as u16).to_be_bytes());
            }
            Ok(out)
        }
        [_, 0x02 | 0x04 | 0x0A, ..] => Err(LENGTH),
        _ => Err(SUB_FUNCTION),
    }
}
