//! How the next check is chosen.

use crate::model::Model;
use crate::next::Ranked;
use crate::next::candidates::What;
use circuit::{BODY, Instrument, NodeId, Of};
use rand::Rng;
use serde::Serialize;
use std::collections::VecDeque;
use vehicle::{TiSlice, TiVec};

/// A way to choose the next check among those that can tell something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Strategy {
    /// Most information per minute, as the product does.
    Engine,
    /// Voltages from the source to the load, in order.
    SourceToLoad,
    /// The voltage that divides the suspicion most evenly, wherever it is.
    Halving,
    /// Any check that can tell something.
    Random,
}

impl Strategy {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Engine, Self::SourceToLoad, Self::Halving, Self::Random];

    /// In words.
    pub fn text(self) -> &'static str {
        match self {
            Self::Engine => "engine",
            Self::SourceToLoad => "source to load",
            Self::Halving => "halving",
            Self::Random => "random useful",
        }
    }

    /// Chooses one of the checks, which come best first.
    pub(super) fn choose(
        self,
        model: &Model,
        steps: &TiSlice<NodeId, Option<usize>>,
        checks: &[Ranked],
        rng: &mut impl Rng,
    ) -> Option<usize> {
        let plain = |r: &Ranked| match &r.candidate.what {
            What::Reading(p)
                if p.instrument == Instrument::Volts && p.black == model.circuit.reference =>
            {
                model.circuit.node(&p.red).ok()
            }
            _ => None,
        };
        // With everything plugged, as one goes along a circuit.
        let voltages = || {
            checks
                .iter()
                .enumerate()
                .filter(|(_, r)| r.candidate.state.is_plugged())
                .filter_map(|(k, r)| Some((k, plain(r)?, r)))
        };
        let chosen = match self {
            Self::Engine => Some(0),
            Self::SourceToLoad => voltages()
                .min_by(|a, b| {
                    // What no way leads to comes last.
                    let step = |n: NodeId| {
                        let steps = steps.get(n).copied().flatten();
                        (steps.is_none(), steps)
                    };
                    step(a.1).cmp(&step(b.1)).then(a.2.minutes.total_cmp(&b.2.minutes))
                })
                .map(|x| x.0),
            Self::Halving => voltages().max_by(|a, b| a.2.bits.total_cmp(&b.2.bits)).map(|x| x.0),
            Self::Random => (!checks.is_empty()).then(|| rng.random_range(0..checks.len())),
        };
        // Where no voltage is left, whatever can still tell something.
        chosen.filter(|k| *k < checks.len()).or_else(|| (!checks.is_empty()).then_some(0))
    }
}

/// Steps from the battery to every node, along conductors, contacts, fuses and terminals.
pub(super) fn steps(model: &Model) -> TiVec<NodeId, Option<usize>> {
    let c = &model.circuit;
    let mut steps: TiVec<NodeId, Option<usize>> = vec![None; c.nodes].into();
    let Some(start) = c.supply else { return steps };
    let mut next: TiVec<NodeId, Vec<NodeId>> = vec![Vec::new(); c.nodes].into();
    for b in &c.branches {
        // Not through the body: that is the way back.
        if b.from != BODY && b.to != BODY && !matches!(b.of, Of::Ground(_) | Of::Lead(_)) {
            next[b.from].push(b.to);
            next[b.to].push(b.from);
        }
    }
    steps[start] = Some(0);
    let mut queue = VecDeque::from([start]);
    while let Some(n) = queue.pop_front() {
        for m in &next[n] {
            if steps[*m].is_none() {
                steps[*m] = steps[n].map(|s| s + 1);
                queue.push_back(*m);
            }
        }
    }
    steps
}
