//! Pulses that do not arrive: every hypothesis is solved once more with all that turns turned on by half a
//! tooth.

use super::{Found, Sweep};
use crate::fault::Change;
use crate::software::ArrivalIx;
use std::sync::{Arc, OnceLock};

/// The same state half a tooth on: made when it is first needed, shared by all copies of a sweep.
#[derive(Debug, Clone, Default)]
pub(super) struct Teeth {
    shared: Arc<OnceLock<Option<Box<Sweep>>>>,
    /// A copy of one's own to solve hypotheses with.
    own: Option<Box<Sweep>>,
}

impl Sweep {
    /// Pulses that do not arrive although something turns, in what was just found under these changes; in rising
    /// order.
    pub(super) fn still_of(&mut self, found: Found, changes: &[Change]) -> Vec<ArrivalIx> {
        let circuit = Arc::clone(&self.circuit);
        if circuit.software.pulses().next().is_none() {
            return Vec::new();
        }
        let shared = Arc::clone(&self.teeth.shared);
        let on = shared.get_or_init(|| {
            let state = circuit.teeth_on(&self.state)?;
            Some(Box::new(Self::lacking(&circuit, &state, &self.holds, &self.base_lost)))
        });
        let Some(on) = on else { return Vec::new() };
        let pins = |(_, p): (ArrivalIx, &crate::software::Pulses)| [p.pins.0, p.pins.1];
        let nodes: Vec<_> = circuit.software.pulses().flat_map(pins).collect();
        let lost = self.lost.clone();
        let mut own = self.teeth.own.take().unwrap_or_else(|| on.clone());
        own.lack(&lost);
        let still = {
            let now = self.point(found, &nodes);
            let later = own.solve_at(changes, &nodes);
            let arrive = |p: &crate::software::Pulses| {
                p.arrive(|a, b| now.volts[a] - now.volts[b], |a, b| later.volts[a] - later.volts[b])
            };
            circuit.software.pulses().filter(|(_, p)| !arrive(p)).map(|(k, _)| k).collect()
        };
        self.teeth.own = Some(own);
        still
    }
}
