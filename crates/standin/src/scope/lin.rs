//! A LIN bus at work: the master asks one identifier after the other, and whoever hears it answers.

use super::{Set, Sweep};
use bus::lin::frame::Sum;
use bus::lin::wave::{Shape, Slot, draw_answered as line};
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
    // Who hears what is asked and is heard, with the levels of its answer.
    let answer = |part: vehicle::PartIx| {
        let device = all.iter().find(|(_, p)| *p == part).map(|(d, _)| *d);
        let own = c.ear(device.filter(|d| !set.is_silent(*d))?)?;
        let sent = set.held(&c.dominant(&b.id, part)?);
        let heard = set.rest.alive(c, part)
            && own.hears(own.of(&asks.volts), own.of(&set.rest.volts))
            && ear.hears(ear.of(&sent.volts), at_rest);
        heard.then(|| set.shown(&sent))
    };
    let mut messages: Vec<_> = c.vehicle.messages.iter().filter(|m| m.bus == b.id).collect();
    messages.sort_by_key(|m| m.identifier);
    if messages.is_empty() {
        return flat();
    }
    let answers: Vec<Option<Vec<f64>>> =
        messages.iter().map(|m| c.part(&m.sender).and_then(answer)).collect();
    let slot_s = SLOT_BITS / f64::from(b.bit_rate);
    let count = (sweep.seconds / slot_s).ceil() as usize;
    let slots: Vec<Slot> = (0..count)
        .map(|k| {
            let which = k % messages.len();
            let data: Vec<u8> = (0..BYTES).map(|_| rng.random()).collect();
            let answer = answers[which].is_some().then_some((data, Sum::Enhanced));
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
            let levels = |slot: usize| {
                answers[slot % messages.len()].as_ref().map_or(shape.dominant, |all| all[*k])
            };
            let rate = f64::from(b.bit_rate);
            let trace = line(&slots, rate, slot_s, &shape, step_s, levels);
            let mut volts = trace.channels.into_iter().next().map(|c| c.volts).unwrap_or_default();
            volts.resize(sweep.samples, rest[*k] as f32);
            volts
        })
        .collect()
}
