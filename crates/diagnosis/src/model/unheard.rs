//! Who falls silent on a bus under a hypothesis.

use super::{Model, Predictions, Snapshot};
use circuit::hearing::Hearing;
use circuit::{Change, Sweep};
use rayon::prelude::*;
use std::collections::HashMap;

impl Model {
    /// Which of the hypotheses just solved may make somebody deaf, and whom.
    pub(super) fn unheard(
        &self,
        p: &Predictions,
        made: &[Option<Snapshot>],
    ) -> HashMap<usize, Vec<u32>> {
        let Some(hearing) = &self.hearing else { return HashMap::new() };
        let on: Vec<usize> = (0..made.len())
            .filter(|h| {
                let of = |s: &Snapshot| self.on_bus[*h] || stirs(hearing, s, &p.healthy);
                made[*h].as_ref().is_some_and(of)
            })
            .collect();
        if on.is_empty() {
            return HashMap::new();
        }
        let dominant = p.dominant.get_or_init(|| hearing.dominant(&self.circuit, p.sweep.state()));
        let stretch = on.len().div_ceil(4 * rayon::current_num_threads()).max(16);
        let parts: Vec<Vec<(usize, Vec<u32>)>> = on
            .par_chunks(stretch)
            .map(|part| {
                let mut sweep = p.sweep.clone();
                let mut dominant = dominant.to_vec();
                let mut deaf = |h: &usize| {
                    let changes = &self.faults[*h].changes;
                    hearing.deaf(&mut sweep, Some(&mut dominant), changes, Some(&p.sound))
                };
                part.iter().map(|h| (*h, deaf(h))).collect()
            })
            .collect();
        parts.into_iter().flatten().collect()
    }

    /// What changes predict, who answers included.
    pub(super) fn take(&self, p: &Predictions, sweep: &mut Sweep, changes: &[Change]) -> Snapshot {
        let mut made = Snapshot::of(&self.circuit, &p.base, &sweep.solve(changes));
        if let Some(hearing) = &self.hearing
            && (hearing.touches(&self.circuit, changes) || stirs(hearing, &made, &p.healthy))
        {
            made.set_deaf(&self.circuit, &hearing.deaf(sweep, None, changes, Some(&p.sound)));
        }
        made
    }
}

/// Whether a hypothesis moves a resting bus line or takes the life of a module in the middle of one.
fn stirs(hearing: &Hearing, s: &Snapshot, sound: &Snapshot) -> bool {
    s.differs()
        && (hearing.middles().any(|m| s.alive(m) != sound.alive(m))
            || hearing.stirs(|a, b| s.between(a, b) - sound.between(a, b)))
}
