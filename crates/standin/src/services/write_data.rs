//! Service 2E: what may be written: the vehicle's identity, with security access.

use super::{LENGTH, NOT_IN_SESSION, OUT_OF_RANGE, Refusal, SECURITY, VIN};
use crate::world::World;

pub(super) fn answer(w: &mut World, part: usize, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let [_, high, low, data @ ..] = request else { return Err(LENGTH) };
    let session = w.sessions.get(&part).ok_or(NOT_IN_SESSION)?;
    if u16::from_be_bytes([*high, *low]) != VIN {
        return Err(OUT_OF_RANGE);
    }
    if !session.unlocked {
        return Err(SECURITY);
    }
    if data.len() != 17 {
        return Err(LENGTH);
    }
    if !data.iter().all(u8::is_ascii_alphanumeric) {
        return Err(OUT_OF_RANGE);
    }
    w.written.insert(part, String::from_utf8_lossy(data).into_owned());
    Ok(vec![*high, *low])
}
