//! Service 31: the module's self-test, which runs all its monitors, and what it can be taught.

use super::{CONDITIONS, LENGTH, NOT_IN_SESSION, OUT_OF_RANGE, Refusal, SEQUENCE, SUB_FUNCTION};
use crate::codes;
use crate::world::World;
use vehicle::PartIx;
use vehicle::element::Held;

/// Start runs it, stop ends it. Results tells whether it runs, one byte, how far it is, one byte of percent, and
/// the codes that failed in it so far, three bytes each.
pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, control, high, low] = request else { return Err(LENGTH) };
    let routine = u16::from_be_bytes([*high, *low]);
    if routine != w.circuit.vehicle.identifiers.self_test {
        let taught = teach(w, part, *control, routine)?;
        return Ok([&[*control, *high, *low][..], &taught].concat());
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

/// Start begins to teach where what must hold does, stop ends it, results tells as the self-test does whether it
/// runs and how far it is.
fn teach(w: &mut World, part: PartIx, control: u8, routine: u16) -> Result<Vec<u8>, Refusal> {
    let own = w.settings_of(part).into_iter().find_map(|s| match &s.held {
        Held::Learned { routine: of, needs, codes_gone, .. } if *of == routine => {
            Some((s.clone(), needs.clone(), codes_gone.clone()))
        }
        _ => None,
    });
    let (setting, needs, codes_gone) = own.ok_or(OUT_OF_RANGE)?;
    if !w.sessions.contains_key(&part) {
        return Err(NOT_IN_SESSION);
    }
    let lesson = (part, routine);
    match control {
        0x01 => {
            let stands = |k: &vehicle::MonitorIx| {
                let code = w.circuit.vehicle.monitors[*k].code;
                w.memory[*k].status & codes::IN_MEMORY != 0 && codes_gone.contains(&code)
            };
            if super::monitors(w, part).iter().any(stands) {
                return Err(CONDITIONS);
            }
            for need in needs {
                let ids: Vec<String> =
                    need.holds.signals().into_iter().map(str::to_owned).collect();
                let values: std::collections::BTreeMap<String, f64> = ids
                    .into_iter()
                    .map(|id| {
                        let value = w.signal(&id);
                        (id, value)
                    })
                    .collect();
                if !need.holds.holds(&|id| values.get(id).copied().unwrap_or(f64::NAN)) {
                    return Err(CONDITIONS);
                }
            }
            w.teach(part, routine, &setting);
            Ok(Vec::new())
        }
        0x02 => {
            let running = w.lessons.get_mut(&lesson).filter(|l| l.is_running());
            running.ok_or(SEQUENCE)?.stop();
            Ok(Vec::new())
        }
        0x03 => {
            let told = w.lessons.get(&lesson).ok_or(SEQUENCE)?;
            Ok(vec![u8::from(told.is_running()), told.percent()])
        }
        _ => Err(SUB_FUNCTION),
    }
}
