//! A LIN bus at work: the master asks one identifier after the other, and whoever hears it answers.

use super::{Set, Sweep};
use bus::lin::frame::Sum;
use bus::lin::wave::{Shape, Slot, draw as line};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vehicle::Bus;

/// Bits of a slot: header, answer and a pause.
const SLOT_BITS: f64 = 150.0;
/// Capacitance of the line, farads (ISO 17987-4: at most 10 nF).
const LINE_FARADS: f64 = 4e-9;
/// Slope of a driver, seconds (slew-rate controlled).
const DRIVER_SECONDS: f64 = 2e-6;
/// Pull-up of a master, ohms.
const PULL_OHMS: f64 = 1000.0;
/// Data bytes of an answer.
const BYTES: usize = 4;

/// The channels `own` of a bus, one after the other.
pub(super) fn draw(set: &Set<'_>, b: &Bus, own: &[usize], sweep: Sweep) -> Vec<Vec<f32>> {
    let c = &set.scene.circuit;
    let mut rng = ChaCha8Rng::seed_from_u64(set.scene.seed ^ 0x11);
    let rest = set.shown(&set.rest);
    let flat = || own.iter().map(|k| vec![rest[*k] as f32; sweep.samples]).collect();
    let is_master = |part: vehicle::PartIx| {
        c.vehicle.parts[part].elements.iter().any(|e| e.is_master_of(&b.id))
    };
    let all: Vec<_> = c.transceivers(&b.id).map(|d| (d, c.devices[d].part)).collect();
    let Some((device, master)) = all.iter().find(|(_, p)| is_master(*p)).copied() else {
        return flat();
    };
    let (Some(ear), Some(sends)) = (c.ear(device), c.dominant(&b.id, master)) else {
        return flat();
    };
    let at_rest = ear.of(&set.rest.volts);
    let asks = set.held(&sends);
    // A line that is held low leaves the master nothing to ask with.
    let low = [at_rest[1], at_rest[1], at_rest[2]];
    if !set.rest.alive(c, master) || !ear.hears(low, at_rest) {
        return flat();
    }
    let hears = |part: vehicle::PartIx| {
        let device = all.iter().find(|(_, p)| *p == part).map(|(d, _)| *d);
        let own = device.filter(|d| !set.is_silent(*d)).and_then(|d| c.ear(d));
        let sends = c.dominant(&b.id, part);
        let (Some(own), Some(sends)) = (own, sends) else { return false };
        set.rest.alive(c, part)
            && own.hears(own.of(&asks.volts), own.of(&set.rest.volts))
            && ear.hears(ear.of(&set.held(&sends).volts), at_rest)
    };
    let mut messages: Vec<_> = c.vehicle.messages.iter().filter(|m| m.bus == b.id).collect();
    messages.sort_by_key(|m| m.identifier);
    if messages.is_empty() {
        return flat();
    }
    let answers: Vec<bool> =
        messages.iter().map(|m| c.part(&m.sender).is_some_and(hears)).collect();
    let slot_s = SLOT_BITS / f64::from(b.bit_rate);
    let count = (sweep.seconds / slot_s).ceil() as usize;
    let slots: Vec<Slot> = (0..count)
        .map(|k| {
            let which = k % messages.len();
            let data: Vec<u8> = (0..BYTES).map(|_| rng.random()).collect();
            let answer = answers[which].then_some((data, Sum::Enhanced));
            Slot { id: messages[which].identifier as u8 & 0x3F, answer }
        })
        .collect();
    let step_s = sweep.seconds / sweep.samples as f64;
    let dominant = set.shown(&asks);
    own.iter()
        .map(|k| {
            let shape = Shape {
                recessive: rest[*k],
                dominant: dominant[*k],
                edges: [PULL_OHMS * LINE_FARADS, DRIVER_SECONDS],
                ..Shape::default()
            };
            let trace = line(&slots, f64::from(b.bit_rate), slot_s, &shape, step_s);
            let mut volts = trace.channels.into_iter().next().map(|c| c.volts).unwrap_or_default();
            volts.resize(sweep.samples, rest[*k] as f32);
            volts
        })
        .collect()
}
