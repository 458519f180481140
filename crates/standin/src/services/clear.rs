//! Service 14: clear all codes.

use super::{LENGTH, OUT_OF_RANGE, Refusal, monitors};
use crate::world::World;
use vehicle::PartIx;

pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    match request {
        [_, 0xFF, 0xFF, 0xFF] => {
            for k in monitors(w, part) {
                w.memory[k].clear();
            }
            Ok(Vec::new())
        }
        [_, _, _, _] => Err(OUT_OF_RANGE),
        _ => Err(LENGTH),
    }
}
