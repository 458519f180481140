//! The modules' UDS services (ISO 14229-1), one file each.

mod clear;
mod control;
mod read_codes;
mod read_data;
mod routine;
mod security;
mod session;
mod write_data;

use crate::Shared;
use crate::world::World;
use vehicle::{MonitorIx, PartIx};

/// A negative response code.
pub(crate) type Refusal = u8;
pub(crate) use vehicle::vin::DID as VIN;
pub(crate) const CONDITIONS: Refusal = 0x22;
pub(crate) const SEQUENCE: Refusal = 0x24;
pub(crate) const SECURITY: Refusal = 0x33;
pub(crate) const WRONG_KEY: Refusal = 0x35;
pub(crate) const NOT_IN_SESSION: Refusal = 0x7F;
pub(crate) const SERVICE_NOT_SUPPORTED: Refusal = 0x11;
pub(crate) const SUB_FUNCTION: Refusal = 0x12;
pub(crate) const LENGTH: Refusal = 0x13;
pub(crate) const OUT_OF_RANGE: Refusal = 0x31;
pub(crate) const VOLTAGE_LOW: Refusal = 0x93;

/// Where a request gets to.
pub(crate) enum Reach {
    /// A working module.
    Module(PartIx),
    /// A module that exists and keeps silent.
    Silent,
    /// No such address.
    Unknown,
    /// The gateway itself is dead.
    Dead,
}

pub(crate) fn reach(world: &Shared, target: u16, gateway: u16) -> Reach {
    let mut w = world.lock();
    let entity = w.module_at(gateway);
    if entity.is_some_and(|part| !w.answers(part)) {
        return Reach::Dead;
    }
    match w.module_at(target) {
        None => Reach::Unknown,
        Some(part) if w.answers(part) => Reach::Module(part),
        Some(_) => Reach::Silent,
    }
}

/// Answers a request of a connection as a module; nothing where no answer is wanted.
pub(crate) fn answer(world: &Shared, part: PartIx, request: &[u8], tester: u64) -> Vec<u8> {
    let mut w = world.lock();
    w.hears(part);
    if w.manners.sags_now() {
        sags(&mut w, part, request);
        return Vec::new();
    }
    let result = match request {
        [0x10, ..] => session::change(&mut w, part, request, tester),
        [0x11, ..] => session::reset(&mut w, part, request),
        [0x14, ..] => clear::answer(&mut w, part, request),
        [0x19, ..] => read_codes::answer(&w, part, request),
        [0x22, ..] => read_data::answer(&mut w, part, request),
        [0x27, ..] => security::answer(&mut w, part, request),
        [0x2E, ..] => write_data::answer(&mut w, part, request),
        [0x2F, ..] => control::answer(&mut w, part, request),
        [0x31, ..] => routine::answer(&mut w, part, request),
        [0x3E, ..] => session::present(request),
        _ => Err(SERVICE_NOT_SUPPORTED),
    };
    // A positive answer is left out where the suppress bit asks for it (ISO 14229-1 8.2.2).
    let has_sub_function = matches!(request, [0x10 | 0x11 | 0x3E, _]);
    match result {
        Ok(_) if has_sub_function && request[1] & 0x80 != 0 => Vec::new(),
        Ok(data) => [&[request[0].wrapping_add(0x40)][..], &data].concat(),
        Err(code) => vec![0x7F, request[0], code],
    }
}

/// Somebody turns the starter while a module is busy with a request: it starts anew, and what it wrote is half
/// written.
fn sags(w: &mut World, part: PartIx, request: &[u8]) {
    if let [0x2E, ..] = request {
        write_data::break_off(w, part, request);
    }
    w.default_session(part);
    let key = vehicle::KeyPosition::Start;
    let state = vehicle::OperatingState { key, ..w.hand.clone() };
    w.set(state);
}

/// Monitors of a module, as indices.
fn monitors(w: &World, part: PartIx) -> Vec<MonitorIx> {
    let id = &w.circuit.vehicle.parts[part].id;
    let all = w.circuit.vehicle.monitors.iter_enumerated();
    all.filter(|(_, m)| &m.module == id).map(|(k, _)| k).collect()
}
