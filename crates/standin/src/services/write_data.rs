//! Service 2E: what may be written, with security access: the vehicle's identity, configuration.

use super::{LENGTH, NOT_IN_SESSION, OUT_OF_RANGE, Refusal, SECURITY, VIN, VOLTAGE_LOW};
use crate::world::World;
use vehicle::PartIx;

/// Supply below which a module does not write, volts.
const WRITES_ABOVE: f64 = 11.0;

pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let (did, data) = may_write(w, part, request)?;
    put(w, part, did, data);
    Ok(did.to_be_bytes().to_vec())
}

/// What was begun and not ended: the first half is written, the rest is what it was.
pub(super) fn break_off(w: &mut World, part: PartIx, request: &[u8]) {
    let Ok((did, data)) = may_write(w, part, request) else { return };
    let old = match did {
        VIN => Some(w.identity(part).into_bytes()),
        _ => w.record_now(part, did),
    };
    let half = data.len().div_ceil(2);
    let rest = old.unwrap_or_default().into_iter().skip(half);
    put(w, part, did, &data[..half].iter().copied().chain(rest).collect::<Vec<u8>>());
}

fn put(w: &mut World, part: PartIx, did: u16, data: &[u8]) {
    match did {
        VIN => w.write_identity(part, String::from_utf8_lossy(data).into_owned()),
        _ => w.write_record(part, did, data),
    }
}

/// What is to be written where, if it may be.
fn may_write<'r>(
    w: &mut World,
    part: PartIx,
    request: &'r [u8],
) -> Result<(u16, &'r [u8]), Refusal> {
    let [_, high, low, data @ ..] = request else { return Err(LENGTH) };
    let did = u16::from_be_bytes([*high, *low]);
    let session = w.sessions.get(&part).ok_or(NOT_IN_SESSION)?;
    let unlocked = session.unlocked;
    // What is there already says how long it is.
    let length = match did {
        VIN => Some(17),
        _ => w.setting(part, did).map(|s| s.len()),
    };
    let length = length.ok_or(OUT_OF_RANGE)?;
    if !unlocked {
        return Err(SECURITY);
    }
    // A memory is not written without supply to see it through.
    if w.own_supply(part) < WRITES_ABOVE {
        return Err(VOLTAGE_LOW);
    }
    if data.len() != length {
        return Err(LENGTH);
    }
    if did == VIN && !data.iter().all(u8::is_ascii_alphanumeric) {
        return Err(OUT_OF_RANGE);
    }
    Ok((did, data))
}
