//! Rates as modules count them while something turns: the teeth that pass, as far as the pulses reach the
//! module. What alternates is solved twice, now and half a tooth on.

use crate::model::{HypIx, Model, Predictions, Snapshot};
use circuit::{Circuit, NodeId};
use std::sync::Arc;
use vehicle::{OperatingState, SignalIx};

/// A state in which something turns, and the same half a tooth on.
pub(crate) struct Counted {
    now: Arc<Predictions>,
    on: Arc<Predictions>,
}

/// Which hypotheses are solved.
pub(crate) enum Which<'a> {
    /// None: the sound vehicle alone.
    Sound,
    /// Some.
    Some(&'a [HypIx]),
    /// Every one.
    All,
}

impl Counted {
    /// None where nothing turns.
    pub(crate) fn of(model: &Model, state: &OperatingState, which: Which<'_>) -> Option<Self> {
        let state_on = model.circuit.teeth_on(state)?;
        let predict = |state: &OperatingState| match which {
            Which::Sound => model.predict(state),
            Which::Some(some) => model.predict_some(state, some),
            Which::All => model.predict_all(state),
        };
        Some(Self { now: predict(state), on: predict(&state_on) })
    }

    /// What a sound vehicle counts, hertz.
    pub(crate) fn sound(&self, c: &Circuit, signal: SignalIx) -> f64 {
        rate(c, signal, &self.now.healthy, &self.on.healthy)
    }

    /// How far sound vehicles scatter about it, one standard deviation as a share.
    pub(crate) fn tolerance(&self, model: &Model, state: &OperatingState, signal: SignalIx) -> f64 {
        let ring = model.circuit.software.ring(signal);
        let sound = self.sound(&model.circuit, signal);
        let scatter = ring.map(|n| model.scatter(&self.now, state, |s| s.volts(n)));
        scatter.filter(|_| sound > 0.0).map_or(0.0, |hertz| hertz / sound)
    }

    /// What it counts under a hypothesis that was solved; none for "not in this vehicle file".
    pub(crate) fn under(&self, c: &Circuit, signal: SignalIx, h: HypIx) -> Option<f64> {
        Some(rate(c, signal, self.now.fault(h)?, self.on.fault(h)?))
    }
}

/// Whether the voltage between two nodes of the sound vehicle goes to and fro because something turns.
pub(crate) fn alternates(model: &Model, state: &OperatingState, a: NodeId, b: NodeId) -> bool {
    let Some(on) = model.circuit.teeth_on(state) else { return false };
    let volts = |state: &OperatingState| model.predict(state).healthy.between(a, b);
    (volts(state) - volts(&on)).abs() > ALTERNATES_VOLTS
}

/// A voltage that moves by less while something turns stands still, volts.
const ALTERNATES_VOLTS: f64 = 0.05;

/// What a signal counts, hertz, given what is predicted for a state and half a tooth on; 0 of one that counts
/// nothing.
pub(crate) fn rate(c: &Circuit, signal: SignalIx, now: &Snapshot, on: &Snapshot) -> f64 {
    let counts = c.software.counts(signal, |a, b| now.between(a, b), |a, b| on.between(a, b));
    c.software.ring(signal).filter(|_| counts).map_or(0.0, |ring| now.volts(ring).max(0.0))
}
