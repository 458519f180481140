//! Service 19: 02 by status mask, 04 snapshot, 06 extended data, 0A supported.

use super::{LENGTH, OUT_OF_RANGE, Refusal, SUB_FUNCTION, monitors};
use crate::codes;
use crate::world::World;
use vehicle::{MonitorIx, PartIx};

/// Status bits this vehicle supports.
const AVAILABLE: u8 = 0xFF;

pub(super) fn answer(w: &World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let code = |k: MonitorIx| {
        let m = &w.circuit.vehicle.monitors[k];
        codes::bytes(m.code, m.failure_type)
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
                let frame = w.circuit.vehicle.identifiers.freeze_frame;
                let always = [
                    (frame.time, f64::from(s.seconds)),
                    (frame.odometer, f64::from(s.odometer_km)),
                    (frame.supply, s.volts),
                ];
                for (datum, value) in always {
                    out.extend(datum.did.to_be_bytes());
                    out.extend(datum.coding.encode(value));
                }
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
            let counters = w.circuit.vehicle.identifiers.counters;
            let records = [
                (counters.occurrences, memory.occurrences),
                (counters.cycles_since_last, memory.cycles_since_last),
                (counters.cycles_since_first, memory.cycles_since_first),
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
