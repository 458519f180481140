//! The levels in a capture, and what of them is worth weighing.

use super::{Tap, Who, median};
use crate::evidence::Finding;
use crate::model::Model;
use std::collections::{BTreeMap, BTreeSet};
use vehicle::{OperatingState, PartId};

/// Senders that differ by more than this from the others say something of themselves, volts; nearer ones
/// would only repeat what the others say. Drivers of sound transceivers lie within 1.5 to 3.0 V
/// (ISO 11898-2), those of one vehicle much nearer.
const APART_VOLTS: f64 = 0.15;
/// Times a message must fit into a capture, or be asked for, before its absence tells something.
const SEVERAL: f64 = 3.0;

/// Who drives at what levels, one of each measured span (see [`Tap::spans`]), volts.
#[derive(Debug, Clone, PartialEq)]
pub struct Frame {
    /// Who.
    pub who: Who,
    /// While nobody drives.
    pub rest: Vec<f64>,
    /// While it drives.
    pub driven: Vec<f64>,
}

/// Levels in a capture.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Seen {
    /// While nobody sends, of each span, volts.
    pub recessive: Vec<f64>,
    /// While each sender drives, the usual ones of its frames, with their number.
    pub senders: BTreeMap<PartId, (Vec<f64>, usize)>,
    /// Frames whose identifier the vehicle file does not have.
    pub unknown: usize,
    /// Members whose messages should have come several times, and did not come at all.
    pub missing: Vec<PartId>,
}

/// The usual value of each span.
fn usual<'a>(all: impl Iterator<Item = &'a Vec<f64>> + Clone) -> Vec<f64> {
    let spans = all.clone().map(Vec::len).min().unwrap_or(0);
    (0..spans).filter_map(|k| median(all.clone().map(|v| v[k]).collect())).collect()
}

impl Seen {
    /// From the levels of frames; none without a frame.
    pub fn of(model: &Model, bus: &str, frames: &[Frame]) -> Option<Self> {
        let mut unknown = 0;
        let mut all: BTreeMap<PartId, Vec<&Vec<f64>>> = BTreeMap::new();
        for frame in frames {
            match frame.who.part(model, bus) {
                Some(part) => all.entry(part).or_default().push(&frame.driven),
                None => unknown += 1,
            }
        }
        let recessive = usual(frames.iter().map(|f| &f.rest));
        let of = |(part, levels): (PartId, Vec<&Vec<f64>>)| {
            (part, (usual(levels.iter().copied()), levels.len()))
        };
        let senders = all.into_iter().map(of).collect();
        let some = !recessive.is_empty();
        some.then_some(Self { recessive, senders, unknown, missing: Vec::new() })
    }

    /// With who should have sent on a CAN bus in so many seconds and did not, in a state of the sound
    /// vehicle.
    #[must_use]
    pub fn with_missing(
        self,
        model: &Model,
        state: &OperatingState,
        bus: &str,
        seconds: f64,
    ) -> Self {
        let often = |m: &&vehicle::Message| {
            m.bus == bus && SEVERAL * f64::from(m.period_ms) * 1e-3 <= seconds
        };
        let due = model.circuit.vehicle.messages.iter().filter(often);
        self.without(model, state, due.map(|m| m.sender.clone()).collect())
    }

    /// With who was asked several times on a LIN bus and never answered; `asked` has the identifiers
    /// asked for without an answer, as often as they were.
    #[must_use]
    pub fn with_unanswered(
        self,
        model: &Model,
        state: &OperatingState,
        bus: &str,
        asked: &[u32],
    ) -> Self {
        let often = |id: &&u32| asked.iter().filter(|x| x == id).count() as f64 >= SEVERAL;
        let silent = asked.iter().filter(often);
        let due = silent.filter_map(|id| Who::Identifier(*id).part(model, bus)).collect();
        self.without(model, state, due)
    }

    fn without(mut self, model: &Model, state: &OperatingState, mut due: BTreeSet<PartId>) -> Self {
        let sound = model.predict(state);
        let works = |id: &PartId| model.circuit.part(id).is_some_and(|p| sound.healthy.answers(p));
        due.retain(|id| works(id) && !self.senders.contains_key(id));
        self.missing = due.into_iter().collect();
        self
    }

    /// What is worth weighing: the resting levels, who did not come, the usual sender's levels, and every
    /// other that differs from those. The rest would only say the same again.
    pub fn findings(&self, tap: &Tap) -> Vec<Finding> {
        let level = |span: usize, sender: Option<&PartId>, value: f64| Finding::Level {
            bus: tap.bus.clone(),
            red: tap.spans[span][0].clone(),
            black: tap.spans[span][1].clone(),
            dominant: sender.is_some(),
            sender: sender.cloned(),
            value: (1000.0 * value).round() / 1000.0,
        };
        let spans = tap.spans.len();
        let rest = self.recessive.iter().take(spans).enumerate();
        let mut out: Vec<Finding> = rest.map(|(k, v)| level(k, None, *v)).collect();
        // Who hears whom is asked of members: nobody listens in between.
        out.extend(tap.at.iter().flat_map(|at| {
            let others = self.missing.iter().filter(move |id| *id != at);
            others.map(|from| Finding::Heard {
                bus: tap.bus.clone(),
                from: from.clone(),
                at: at.clone(),
                heard: false,
            })
        }));
        // Of the high line alone only that is new which does not follow from the two lines together.
        let own = |volts: &[f64], span: usize| match span {
            0 => volts[0],
            k => volts[k] - volts[0] / 2.0,
        };
        let known = self.senders.values().map(|(volts, _)| volts.len()).min().unwrap_or(0);
        for span in 0..spans.min(known) {
            let all = self.senders.iter().map(|(part, (volts, _))| (part, volts));
            let values = all.clone().map(|(_, volts)| own(volts, span)).collect();
            let Some(usual) = median(values) else { continue };
            let off = |volts: &[f64]| (own(volts, span) - usual).abs();
            let typical = all.clone().min_by(|a, b| off(a.1).total_cmp(&off(b.1)));
            let others = all.filter(|(_, volts)| off(volts) > APART_VOLTS);
            let telling = typical.into_iter().chain(others);
            out.extend(telling.map(|(part, volts)| level(span, Some(part), volts[span])));
        }
        out
    }
}
