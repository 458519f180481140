//! Service 22: identification, configuration and live values, one or several at once.

use super::{LENGTH, OUT_OF_RANGE, Refusal, VIN};
use crate::world::World;
use vehicle::PartIx;

/// Identifiers that a module takes in one request.
const AT_ONCE: usize = 32;

/// What a module does not have is left out; where it has none of them, it refuses (ISO 14229-1 11.2).
pub(super) fn answer(w: &mut World, part: PartIx, request: &[u8]) -> Result<Vec<u8>, Refusal> {
    let dids = request.get(1..).unwrap_or_default();
    if dids.is_empty() || dids.len() % 2 != 0 || dids.len() / 2 > AT_ONCE {
        return Err(LENGTH);
    }
    let mut out = Vec::new();
    for did in dids.chunks_exact(2).map(|d| u16::from_be_bytes([d[0], d[1]])) {
        if let Some(data) = one(w, part, did) {
            out.extend(did.to_be_bytes());
            out.extend(data);
        }
    }
    if out.is_empty() { Err(OUT_OF_RANGE) } else { Ok(out) }
}

fn one(w: &mut World, part: PartIx, did: u16) -> Option<Vec<u8>> {
    let p = &w.circuit.vehicle.parts[part];
    if did == VIN {
        return Some(w.identity(part).into_bytes());
    }
    if let Some(text) = p.module.as_ref()?.identification.get(&format!("{did:04X}")) {
        return Some(text.as_bytes().to_vec());
    }
    let signal = (w.circuit.vehicle.signals.iter())
        .find(|s| s.module == p.id && s.did == Some(did))
        .map(|s| (s.id.clone(), s.coded()));
    let copy = copied(w, part, did);
    w.record_now(part, did)
        .or(copy)
        .or_else(|| signal.map(|(id, coding)| coding.encode(w.signal(&id))))
}

/// The copy of another module's record, as it was last written there, or left the factory.
fn copied(w: &World, part: PartIx, did: u16) -> Option<Vec<u8>> {
    let v = &w.circuit.vehicle;
    let own = |c: &&vehicle::RecordCopy| c.kept_by == v.parts[part].id && c.kept_did == did;
    let copy = v.record_copies.iter().find(own)?;
    w.setting(w.circuit.part(&copy.module)?, copy.did)
}
