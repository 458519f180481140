//! Every check a technician could do, from the vehicle file. One file per kind of check.

use crate::model::Model;
use crate::posterior::{Explains, Live, Posterior};
use circuit::{Instrument, Probe};
use std::sync::Arc;
use vehicle::{OperatingState, Vehicle};

mod component;
mod effects;
mod hands;
mod readings;
mod scans;
mod unplugged;

pub use effects::Loads;
pub use readings::{Reachable, points};

/// Most outcomes a check is divided into.
pub(super) const MOST_BINS: usize = 9;
/// Minutes to take any reading once the leads sit.
const TAKE: f64 = 0.5;
/// Minutes to clip the black lead to the battery.
const CLIP: f64 = 0.3;
/// Minutes to bring about a state that the vehicle file does not name.
const UNNAMED_STATE: f64 = 0.3;
/// Minutes to take the battery off, or to put it on again.
const BATTERY_OFF: f64 = 1.5;
/// Minutes lost, on average, when touching a contact makes a fault that comes and goes vanish.
const DISTURBED_BY_PROBE: f64 = 1.0;
const DISTURBED_BY_UNPLUGGING: f64 = 10.0;

/// What is looked at.
#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// A meter reading.
    Reading(Probe),
    /// The effect of a driven output.
    Effect {
        /// The output driven.
        output: String,
        /// The part whose effect is looked at.
        part: String,
    },
    /// Codes cleared, the state brought about so that their monitors run, all modules asked again.
    Scan,
    /// The harness moved at a place while the symptom is watched.
    Move {
        /// Place or connector.
        at: String,
    },
    /// A look at a place or a thing.
    Look {
        /// Place, connector, conductor or ground point.
        at: String,
    },
    /// A fused jumper put between two points while an effect is watched.
    Jumper {
        /// Red end.
        red: String,
        /// Black end.
        black: String,
        /// The part whose effect is watched.
        part: String,
    },
    /// A part swapped with a known-good one while an effect is watched.
    Swap {
        /// The part swapped.
        swapped: String,
        /// The part whose effect is watched.
        part: String,
    },
}

/// A possible check in a state.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// What is looked at.
    pub what: What,
    /// The state it is looked at in.
    pub state: Arc<OperatingState>,
    /// Name of that state, for the id.
    pub state_id: Arc<str>,
    /// Information it can give at most, bits; infinite where nobody has thought about it.
    pub at_most: f64,
}

/// What the candidates are made from: the field of suspects as it stands.
pub(crate) struct Field<'a> {
    pub(crate) model: &'a Model,
    pub(crate) posterior: &'a Posterior,
    /// What is suspected most, likeliest first.
    pub(crate) live: &'a [Live],
    pub(crate) now: &'a OperatingState,
}

impl Field<'_> {
    /// Hypotheses among what is suspected, those of pairs too.
    pub(super) fn hypotheses(&self) -> Vec<usize> {
        let mut out = Vec::new();
        for l in self.live {
            match l.what {
                Explains::Fault(h) => out.push(h),
                Explains::Pair(k) => {
                    out.extend([self.posterior.pairs[k].a, self.posterior.pairs[k].b])
                }
                Explains::Elsewhere => {}
            }
        }
        out.sort_unstable();
        out.dedup();
        out
    }
}

impl Candidate {
    /// A check in a state.
    pub fn new(
        what: What,
        state: impl Into<Arc<OperatingState>>,
        state_id: impl Into<Arc<str>>,
    ) -> Self {
        Self { what, state: state.into(), state_id: state_id.into(), at_most: f64::INFINITY }
    }

    /// Stable id.
    pub fn id(&self) -> String {
        let unplugged: Vec<&str> = self.state.unplugged.iter().map(String::as_str).collect();
        let what = match &self.what {
            What::Reading(p) => format!("{:?} {} {}", p.instrument, p.red, p.black),
            What::Effect { part, .. } => format!("Effect {part}"),
            What::Scan => "Scan".to_owned(),
            What::Move { at } => format!("Move {at}"),
            What::Look { at } => format!("Look {at}"),
            What::Jumper { red, black, part } => format!("Jumper {red} {black} {part}"),
            What::Swap { swapped, part } => format!("Swap {swapped} {part}"),
        };
        format!("{what} @ {} {}", self.state_id, unplugged.join("+")).trim_end().to_owned()
    }

    /// Minutes from the present state to the value.
    pub fn minutes(&self, model: &Model, now: &OperatingState) -> f64 {
        state_minutes(model, now, &self.state, &self.state_id)
            + match &self.what {
                What::Reading(p) => probe_minutes(model, p),
                What::Effect { .. } => 0.0,
                What::Scan => scans::MINUTES,
                What::Move { at } => hands::MOVE + reach(model, at).0,
                What::Look { at } => hands::look_minutes(model, at, now),
                What::Jumper { red, black, .. } => leads_minutes(model, red, black),
                What::Swap { swapped, .. } => hands::swap_minutes(model, swapped),
            }
    }

    /// Connectors whose contacts it touches, with the minutes lost on average if that makes a fault
    /// that comes and goes there vanish.
    pub fn disturbs<'c>(&'c self, now: &'c OperatingState) -> Vec<(&'c str, f64)> {
        let pulled = self.state.unplugged.symmetric_difference(&now.unplugged);
        let mut out: Vec<(&str, f64)> =
            pulled.map(|c| (c.as_str(), DISTURBED_BY_UNPLUGGING)).collect();
        match &self.what {
            What::Reading(Probe { red, black, instrument }) if *instrument != Instrument::Amps => {
                out.extend([red, black].map(|p| (owner(p), DISTURBED_BY_PROBE)));
            }
            What::Swap { swapped, .. } => out.push((swapped, DISTURBED_BY_UNPLUGGING)),
            _ => {}
        }
        out
    }
}

/// Minutes from the present state to another, and to take any reading in it.
pub(super) fn state_minutes(
    model: &Model,
    now: &OperatingState,
    state: &OperatingState,
    state_id: &str,
) -> f64 {
    let mut minutes = TAKE;
    if !state.alike_plugged(now) {
        let named = model.circuit.vehicle.states.iter().find(|s| s.id == state_id);
        minutes += named.map_or(UNNAMED_STATE, |s| s.minutes);
        if state.battery_off != now.battery_off {
            minutes += BATTERY_OFF;
        }
    }
    for connector in state.unplugged.symmetric_difference(&now.unplugged) {
        minutes += reach(model, connector).1;
    }
    minutes
}

/// Minutes to place the leads, or a clamp.
pub(super) fn probe_minutes(model: &Model, p: &Probe) -> f64 {
    let c = &model.circuit;
    match c.wire(&p.red).filter(|_| p.instrument == Instrument::Amps) {
        // A clamp goes round the conductor at whichever end is nearer.
        Some(w) => {
            let w = &c.vehicle.wires[w];
            [&w.from, &w.to].map(|e| reach(model, e).0).into_iter().fold(9.0, f64::min)
        }
        None => leads_minutes(model, &p.red, &p.black),
    }
}

fn leads_minutes(model: &Model, red: &str, black: &str) -> f64 {
    let clip = |id: &str| match id == model.circuit.reference {
        true => CLIP,
        false => reach(model, id).0,
    };
    match owner(red) == owner(black) {
        true => clip(red),
        false => clip(red) + clip(black),
    }
}

pub(super) fn owner(id: &str) -> &str {
    id.split('.').next().unwrap_or(id)
}

/// The cavity that belongs to a pin of a part, by its index: `X3.7`, or `K9.87` in a socket.
pub(crate) fn cavity_of(v: &Vehicle, part: usize, pin: &str) -> String {
    let id = &v.parts[part].id;
    let connector = v.connectors.iter().find(|c| {
        c.part.as_ref() == Some(id)
            && c.cavities.iter().any(|x| x.pin.as_ref().unwrap_or(&x.no) == pin)
    });
    match connector {
        Some(c) => {
            let own = c.cavities.iter().find(|x| x.pin.as_ref().unwrap_or(&x.no) == pin);
            format!("{}.{}", c.id, own.map_or(pin, |x| &x.no))
        }
        None => format!("{id}.{pin}"),
    }
}

/// Minutes to reach and to unplug whatever a point belongs to.
pub(super) fn reach(model: &Model, id: &str) -> (f64, f64) {
    let c = &model.circuit;
    let (v, n) = (&c.vehicle, &c.names);
    let id = owner(id);
    let m = (n.connector(id).map(|k| v.connectors[k].minutes))
        .or_else(|| n.part(id).map(|k| v.parts[k].minutes))
        .or_else(|| n.ground(id).map(|k| v.grounds[k].minutes))
        .or_else(|| n.splice(id).map(|k| v.splices[k].minutes));
    match m {
        Some(m) => (m.reach, m.unplug),
        // A place or a conductor: as near as the nearest thing there.
        None => (nearest(model, id).unwrap_or(1.0), 0.0),
    }
}

/// Minutes to reach the nearest connector in a place, or at an end of a conductor.
fn nearest(model: &Model, id: &str) -> Option<f64> {
    let v = &model.circuit.vehicle;
    let in_place = v.connectors.iter().filter(|c| c.place == id).map(|c| c.minutes.reach);
    let at_ends = model.circuit.names.wire(id).map(|k| {
        let w = &v.wires[k];
        [&w.from, &w.to].map(|e| reach(model, e).0)
    });
    in_place.chain(at_ends.into_iter().flatten()).min_by(f64::total_cmp)
}

/// All candidates that bear on what is suspected, in a fixed order.
pub(crate) fn all(field: &Field<'_>) -> Vec<Candidate> {
    let mut out = Vec::new();
    readings::generate(field, &mut out);
    effects::generate(field, &mut out);
    scans::generate(field, &mut out);
    unplugged::generate(field, &mut out);
    component::generate(field, &mut out);
    hands::generate(field, &mut out);
    out
}
