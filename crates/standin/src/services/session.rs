//! Services 10, 11 and 3E: sessions, resets, tester present.

use super::{LENGTH, Refusal, SUB_FUNCTION};
use crate::world::World;
use vehicle::PartIx;

/// P2 in milliseconds and P2* in tens of them, as a session answers them: 500 ms and 5 s. Whether a module is
/// reached at all is solved before it can say that it is busy, so it promises what a slow machine keeps.
const TIMING: [u8; 4] = [0x01, 0xF4, 0x01, 0xF4];

pub(super) fn change(
    w: &mut World,
    part: PartIx,
    request: &[u8],
    tester: u64,
) -> Result<Vec<u8>, Refusal> {
    let [_, sub] = request else { return Err(LENGTH) };
    match sub & 0x7F {
        0x01 => w.default_session(part),
        0x03 => w.extended_session(part, tester),
        _ => return Err(SUB_FUNCTION),
    }
    Ok([&[sub & 0x7F][..], &TIMING].concat())
}

pub(super) fn reset(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    match request {
        [_, sub] if matches!(sub & 0x7F, 0x01..=0x03) => {
            w.reset(part);
            Ok(vec![sub & 0x7F])
        }
        [_, _] => Err(SUB_FUNCTION),
        _ => Err(LENGTH),
    }
}

pub(super) fn present(request: &[u8]) -> Result<Vec<u8>, Refusal> {
    match request {
        [_, 0x00 | 0x80] => Ok(vec![0x00]),
        [_, _] => Err(SUB_FUNCTION),
        _ => Err(LENGTH),
    }
}
