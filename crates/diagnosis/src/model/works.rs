//! What works in a state of a sound vehicle, as anybody can see.

use super::Model;
use vehicle::{OperatingState, PartIx};

/// Effect from which on a thing works, of its rating.
pub(crate) const WORKS: f64 = 0.83;

impl Model {
    /// Parts that work in a state of a sound vehicle, by their index: first what an output of it drives.
    pub fn working(&self, state: &OperatingState) -> Vec<PartIx> {
        let c = &self.circuit;
        let driven = c.vehicle.outputs.iter().filter(|o| state.outputs.contains(&o.id));
        let mut out: Vec<PartIx> = driven.filter_map(|o| c.part(&o.load)).collect();
        let sound = self.predict(state);
        for part in c.vehicle.parts.keys() {
            let works = sound.solution.effect(c, part).is_some_and(|effect| effect > WORKS);
            if works && !out.contains(&part) {
                out.push(part);
            }
        }
        out
    }
}
