//! Service 27: security access at level 1, with the key that the vehicle file says.

use super::{LENGTH, NOT_IN_SESSION, Refusal, SEQUENCE, SUB_FUNCTION, WRONG_KEY};
use crate::world::World;
use rand::Rng;
use vehicle::PartIx;

pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let address = w.circuit.vehicle.parts[part].module.as_ref().map_or(0, |m| m.address);
    let unlock = w.circuit.vehicle.identifiers.unlock;
    let fresh: [u8; 4] = w.rng.random::<u32>().saturating_add(1).to_be_bytes();
    let session = w.sessions.get_mut(&part).ok_or(NOT_IN_SESSION)?;
    match request {
        [_, 0x01] => {
            let seed = if session.unlocked { [0; 4] } else { fresh };
            session.seed = Some(seed);
            Ok([&[0x01][..], &seed].concat())
        }
        [_, 0x02, given @ ..] => {
            let seed = session.seed.take().ok_or(SEQUENCE)?;
            if *given != unlock.key(&seed, address) {
                return Err(WRONG_KEY);
            }
            session.unlocked = true;
            Ok(vec![0x02])
        }
        [_, _, ..] => Err(SUB_FUNCTION),
        _ => Err(LENGTH),
    }
}
