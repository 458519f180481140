//! What a capture of a CAN bus shows at the cavities it was tapped at: each sender's level against what
//! is predicted there, and what of it is worth weighing.

use crate::evidence::{self, Finding};
use crate::model::{Model, ModelError};
use circuit::Change;
use std::collections::BTreeMap;
use vehicle::element::Ears;
use vehicle::{OperatingState, PartId};

/// Senders that differ by more than this from the others say something of themselves, volts; nearer ones
/// would only repeat what the others say. Drivers of sound transceivers lie within 1.5 to 3.0 V
/// (ISO 11898-2), those of one vehicle much nearer.
const APART_VOLTS: f64 = 0.15;

/// Where a bus is tapped: at a member's own pins.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tap {
    /// The bus.
    pub bus: String,
    /// The member.
    pub at: PartId,
    /// Cavity of its high line.
    pub high: String,
    /// Cavity of its low line.
    pub low: String,
}

impl Tap {
    /// At a member of a bus.
    ///
    /// # Errors
    /// [`ModelError::Unknown`] for a part that is no CAN member of that bus.
    pub fn of(model: &Model, bus: &str, at: &str) -> Result<Self, ModelError> {
        let c = &model.circuit;
        let part = evidence::part(model, at)?;
        let ends = c.vehicle.parts[part].elements.iter().filter_map(|e| e.bus_end());
        let own = ends.filter(|end| end.bus == bus).find_map(|end| match end.ears {
            Ears::Can { high, low, .. } => Some((high, low)),
            Ears::Lin { .. } => None,
        });
        let none = || ModelError::Unknown { what: "CAN member of the bus", id: at.to_owned() };
        let (high, low) = own.ok_or_else(none)?;
        let cavity = |pin: &str| crate::next::candidates::cavity_of(&c.vehicle, part, pin);
        Ok(Self { bus: bus.to_owned(), at: at.into(), high: cavity(high), low: cavity(low) })
    }
}

/// Levels in a capture: the difference of the two lines, volts.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Seen {
    /// While nobody sends.
    pub recessive: f64,
    /// While each sender drives, the usual one of its frames, with their number.
    pub senders: BTreeMap<PartId, (f64, usize)>,
    /// Frames whose identifier the vehicle file does not have.
    pub unknown: usize,
    /// Members whose messages should have come several times, and did not come at all.
    pub missing: Vec<PartId>,
}

/// Times a message must fit into a capture before its absence tells something.
const SEVERAL: f64 = 3.0;

/// The part that sends a frame on a bus: who the file says, or the gateway where it passes it on.
pub fn sender_of(model: &Model, bus: &str, identifier: u32) -> Option<PartId> {
    let v = &model.circuit.vehicle;
    let of = |m: &&vehicle::Message| m.identifier == identifier;
    if let Some(own) = v.messages.iter().filter(|m| m.bus == bus).find(of) {
        return Some(own.sender.clone());
    }
    v.messages.iter().find(of)?;
    let gateway = &v.parts[circuit::hearing::gateway(v)?];
    let is_on = gateway.elements.iter().any(|e| e.bus() == Some(bus));
    is_on.then(|| gateway.id.clone())
}

impl Seen {
    /// From the levels of frames by their identifiers: recessive and dominant, volts each.
    pub fn of(
        model: &Model,
        bus: &str,
        frames: impl IntoIterator<Item = (u32, [f64; 2])>,
    ) -> Option<Self> {
        let (mut recessive, mut unknown) = (Vec::new(), 0);
        let mut all: BTreeMap<PartId, Vec<f64>> = BTreeMap::new();
        for (identifier, [rest, driven]) in frames {
            recessive.push(rest);
            match sender_of(model, bus, identifier) {
                Some(part) => all.entry(part).or_default().push(driven),
                None => unknown += 1,
            }
        }
        let senders = all.into_iter().filter_map(|(part, volts)| {
            let frames = volts.len();
            Some((part, (median(volts)?, frames)))
        });
        let missing = Vec::new();
        Some(Self { senders: senders.collect(), recessive: median(recessive)?, unknown, missing })
    }

    /// With who should have sent in so many seconds and did not, in a state of the sound vehicle.
    #[must_use]
    pub fn with_missing(
        mut self,
        model: &Model,
        state: &OperatingState,
        bus: &str,
        seconds: f64,
    ) -> Self {
        let sound = model.predict(state);
        let c = &model.circuit;
        let often = |m: &&vehicle::Message| {
            m.bus == bus && SEVERAL * f64::from(m.period_ms) * 1e-3 <= seconds
        };
        let works = |id: &PartId| c.part(id).is_some_and(|p| sound.healthy.answers(p));
        let due = c.vehicle.messages.iter().filter(often).map(|m| &m.sender);
        let mut missing: Vec<PartId> =
            due.filter(|id| works(id) && !self.senders.contains_key(*id)).cloned().collect();
        missing.sort();
        missing.dedup();
        self.missing = missing;
        self
    }

    /// The level that senders usually have, volts.
    fn usual(&self) -> Option<f64> {
        median(self.senders.values().map(|(volts, _)| *volts).collect())
    }

    /// What is worth weighing: the resting level, who did not come, the usual sender's level, and every other
    /// that differs from that. The rest would only say the same again.
    pub fn findings(&self, tap: &Tap) -> Vec<Finding> {
        let level = |sender: Option<&PartId>, value: f64| Finding::Level {
            bus: tap.bus.clone(),
            red: tap.high.clone(),
            black: tap.low.clone(),
            dominant: sender.is_some(),
            sender: sender.cloned(),
            value: (1000.0 * value).round() / 1000.0,
        };
        let mut out = vec![level(None, self.recessive)];
        out.extend(self.missing.iter().filter(|id| **id != tap.at).map(|from| Finding::Heard {
            bus: tap.bus.clone(),
            from: from.clone(),
            at: tap.at.clone(),
            heard: false,
        }));
        let Some(usual) = self.usual() else { return out };
        let off = |volts: f64| (volts - usual).abs();
        let typical = self.senders.iter().min_by(|a, b| off(a.1.0).total_cmp(&off(b.1.0)));
        let others = self.senders.iter().filter(|(_, (volts, _))| off(*volts) > APART_VOLTS);
        out.extend(typical.into_iter().chain(others).map(|(part, (v, _))| level(Some(part), *v)));
        out
    }
}

/// A sender that does not work in a state of the sound vehicle: the capture was taken in another.
pub fn asleep<'s>(model: &Model, state: &OperatingState, seen: &'s Seen) -> Option<&'s PartId> {
    let sound = model.predict(state);
    let works = |id: &PartId| model.circuit.part(id).is_some_and(|p| sound.healthy.alive(p));
    seen.senders.keys().find(|id| !works(id))
}

/// A level, measured and predicted.
#[derive(Debug, Clone, PartialEq)]
pub struct Compared {
    /// Who drives; none while nobody does.
    pub sender: Option<PartId>,
    /// Frames it was measured in; 0 for the resting level.
    pub frames: usize,
    /// As measured, volts.
    pub measured: f64,
    /// On a sound vehicle, volts.
    pub expected: f64,
    /// Under a suspect, volts.
    pub under: Option<f64>,
}

/// Every level beside what is predicted at the tap; `under` is what a suspect changes.
///
/// # Errors
/// [`ModelError`] for points that do not exist.
pub fn compared(
    model: &Model,
    state: &OperatingState,
    tap: &Tap,
    seen: &Seen,
    under: Option<&[Change]>,
) -> Result<Vec<Compared>, ModelError> {
    let rest = (None, (seen.recessive, 0));
    let all = seen.senders.iter().map(|(part, of)| (Some(part), *of));
    let sets: Vec<&[Change]> = std::iter::once(&[][..]).chain(under).collect();
    let points = [tap.high.as_str(), tap.low.as_str()];
    let row = |(sender, (measured, frames)): (Option<&PartId>, (f64, usize))| {
        let volts = evidence::level::predicted(model, state, &tap.bus, points, sender, &sets)?;
        let (expected, under) = (volts[0], volts.get(1).copied());
        Ok(Compared { sender: sender.cloned(), frames, measured, expected, under })
    };
    std::iter::once(rest).chain(all).map(row).collect()
}

fn median(mut all: Vec<f64>) -> Option<f64> {
    all.sort_by(f64::total_cmp);
    all.get(all.len() / 2).copied()
}
