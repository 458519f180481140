//! Service 19: 02 by status mask, 04 snapshot, 06 extended data, 0A supported.

use super::{
    LENGTH, OUT_OF_RANGE, Refusal, SNAPSHOT_ODOMETER, SNAPSHOT_SUPPLY, SNAPSHOT_TIME, SUB_FUNCTION,
    monitors,
};
use crate::codes;
use crate::world::World;

/// Status bits this vehicle supports.
const AVAILABLE: u8 = 0xFF;
/// Extended data records: how often it failed, operation cycles since it last did, cycles since it
/// first did.
const OCCURRENCES: u8 = 0x01;
const CYCLES_SINCE_LAST: u8 = 0x02;
const CYCLES_SINCE_FIRST: u8 = 0x03;

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
            if let Some(s) = &w.memory[k].snapshot {
                out.extend([0x01, 3 + s.values.len() as u8]);
                out.extend(SNAPSHOT_TIME.to_be_bytes());
                out.extend(s.seconds.to_be_bytes());
                out.extend(SNAPSHOT_ODOMETER.to_be_bytes());
                out.extend(&s.odometer_km.to_be_bytes()[1..]);
                out.extend(SNAPSHOT_SUPPLY.to_be_bytes());
                out.extend(((s.volts * 1000.0) as u16).to_be_bytes());
                for (did, value) in &s.values {
                    out.extend(did.to_be_bytes());
                    out.extend(value);
                }
            }
            Ok(out)
        }
        [_, 0x06, a, b, c, record] => {
            let k = monitors(w, part)
                .into_iter()
                .find(|k| code(*k) == [*a, *b, *c])
                .ok_or(OUT_OF_RANGE)?;
            let memory = &w.memory[k];
            let records = [
                (OCCURRENCES, memory.occurrences),
                (CYCLES_SINCE_LAST, memory.cycles_since_last),
                (CYCLES_SINCE_FIRST, memory.cycles_since_first),
            ];
            let mut out = vec![0x06, *a, *b, *c, memory.status];
            for (number, value) in records {
                if *record == 0xFF || *record == number {
                    out.extend([number, value]);
                }
            }
            match out.len() {
                5 => Err(OUT_OF_RANGE),
                _ => Ok(out),
            }
        }
        [_, 0x02 | 0x04 | 0x06 | 0x0A, ..] => Err(LENGTH),
        _ => Err(SUB_FUNCTION),
    }
}
