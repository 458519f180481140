//! The modules' UDS services (ISO 14229-1), one file each.

mod clear;
mod control;
mod read_codes;
mod read_data;

use crate::Shared;
use crate::world::World;
use vehicle::PartKind;

/// Identifier of a module's own supply voltage.
pub(crate) const SUPPLY_DID: u16 = 0x2001;
/// Snapshot identifiers: odometer (3 bytes, km) and supply (2 bytes, mV).
pub(crate) const SNAPSHOT_ODOMETER: u16 = 0xDD01;
pub(crate) const SNAPSHOT_SUPPLY: u16 = 0xDD02;

/// A negative response code.
pub(crate) type Refusal = u8;
pub(crate) const SERVICE_NOT_SUPPORTED: Refusal = 0x11;
pub(crate) const SUB_FUNCTION: Refusal = 0x12;
pub(crate) const LENGTH: Refusal = 0x13;
pub(crate) const OUT_OF_RANGE: Refusal = 0x31;

/// Where a request gets to.
pub(crate) enum Reach {
    /// A working module.
    Module(usize),
    /// A module that exists and keeps silent.
    Silent,
    /// No such address.
    Unknown,
    /// The gateway itself is dead.
    Dead,
}

pub(crate) fn reach(world: &Shared, target: u16, gateway: u16) -> Reach {
    let mut w = world.lock();
    let find = |w: &World, address: u16| {
        w.circuit.vehicle.parts.iter().position(|p| {
            p.kind == PartKind::Module && p.module.as_ref().is_some_and(|m| m.address == address)
        })
    };
    let entity = find(&w, gateway);
    if entity.is_some_and(|part| !w.alive(part)) {
        return Reach::Dead;
    }
    match find(&w, target) {
        None => Reach::Unknown,
        Some(part) if w.alive(part) => Reach::Module(part),
        Some(_) => Reach::Silent,
    }
}

/// Answers a request as a module.
pub(crate) fn answer(
    world: &Shared,
    part: usize,
    request: &[u8],
    driven: &mut Vec<String>,
) -> Vec<u8> {
    let mut w = world.lock();
    let result = match request {
        [0x10, session @ (0x01 | 0x03)] => {
            if *session == 0x01 {
                control::release(&mut w, part, driven);
            }
            Ok(vec![*session, 0x00, 0x32, 0x01, 0xF4])
        }
        [0x10, _] => Err(SUB_FUNCTION),
        [0x3E, 0x80] => return Vec::new(),
        [0x3E, 0x00] => Ok(vec![0x00]),
        [0x14, ..] => clear::answer(&mut w, part, request),
        [0x19, ..] => read_codes::answer(&w, part, request),
        [0x22, ..] => read_data::answer(&mut w, part, request),
        [0x2F, ..] => control::answer(&mut w, part, request, driven),
        [0x10 | 0x3E, ..] => Err(LENGTH),
        _ => Err(SERVICE_NOT_SUPPORTED),
    };
    match result {
        Ok(data) => [&[request[0].wrapping_add(0x40)][..], &data].concat(),
        Err(code) => vec![0x7F, request[0], code],
    }
}

/// Monitors of a module, as indices.
fn monitors(w: &World, part: usize) -> Vec<usize> {
    let id = &w.circuit.vehicle.parts[part].id;
    let all = w.circuit.vehicle.monitors.iter().enumerate();
    all.filter(|(_, m)| &m.module == id).map(|(k, _)| k).collect()
}
