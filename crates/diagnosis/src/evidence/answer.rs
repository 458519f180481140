//! A module answers or is silent: it answers when the model says it works and the gateway and it
//! hear each other.

use super::{BESIDE_COMPLAINT, Scorer, part};
use crate::model::{Model, ModelError, Snapshot};
use circuit::NodeId;
use vehicle::{OperatingState, PartIx};

/// Chance that a working module is missed although it was asked again.
const MISSED: f64 = 0.01;
/// Chance that one answers that should not be able to: its supply is low, but not so low.
const DEAD_ANSWERS: f64 = 0.01;

/// The same where nothing at its pins is other than on a sound vehicle.
const MISSED_UNTOUCHED: f64 = 2e-4;
/// A pin counts as moved from here, volts.
const MOVED_VOLTS: f64 = 0.02;

/// The nodes at the pins of a module, with their voltages on a sound vehicle.
pub(crate) struct Pins(Vec<(NodeId, f64)>);

impl Pins {
    pub(crate) fn of(model: &Model, part: PartIx, sound: &Snapshot) -> Self {
        let c = &model.circuit;
        let branches = c.part_devices[part].iter().flat_map(|d| &c.devices[*d].branches);
        let mut nodes: Vec<NodeId> =
            branches.flat_map(|b| [c.branches[*b].from, c.branches[*b].to]).collect();
        nodes.sort_unstable();
        nodes.dedup();
        Self(nodes.into_iter().map(|n| (n, sound.volts(n))).collect())
    }

    /// Whether a hypothesis moves any of them.
    pub(crate) fn is_moved(&self, s: &Snapshot) -> bool {
        s.differs() && self.0.iter().any(|(n, was)| (s.volts(*n) - was).abs() > MOVED_VOLTS)
    }
}

/// Log-likelihood of an answer, or of silence, of a module that works or does not; `moved` says whether
/// anything at its pins is other than on a sound vehicle.
pub(crate) fn log(alive: bool, answers: bool, moved: bool) -> f64 {
    match (alive, answers) {
        (true, true) => 1.0 - MISSED,
        (true, false) if moved => MISSED,
        (true, false) => MISSED_UNTOUCHED,
        (false, false) => 1.0 - DEAD_ANSWERS,
        (false, true) => DEAD_ANSWERS,
    }
    .ln()
}

/// The same outside of the file.
pub(super) fn elsewhere() -> f64 {
    0.5f64.ln()
}

pub(super) fn scorer<'a>(
    model: &'a Model,
    state: &OperatingState,
    module: &str,
    answers: bool,
    complaint: bool,
) -> Result<Scorer<'a>, ModelError> {
    let p = part(model, module)?;
    let pins = Pins::of(model, p, &model.predict(state).healthy);
    Ok(Box::new(move |s| match s.answers(p) {
        true if complaint && !answers => BESIDE_COMPLAINT.ln(),
        alive => log(alive, answers, !answers && pins.is_moved(s)),
    }))
}
