//! Who falls silent on a bus under a hypothesis.

use super::saved::Part;
use super::{Model, Predictions, Snapshot};
use crate::counted::{Counted, Which};
use crate::model::HypIx;
use circuit::hearing::Hearing;
use circuit::{Change, Sweep};
use rayon::prelude::*;
use vehicle::OperatingState;

/// From so many hypotheses on it pays to solve each bus with its middle sending first.
const MANY: usize = 200;
/// Below this a rate counts as that of the sound vehicle, hertz.
const SAME_HERTZ: f64 = 0.05;

impl Model {
    /// Works out who is heard under the hypotheses wanted that were solved.
    pub(super) fn listen(
        &self,
        state: &OperatingState,
        p: &Predictions,
        wanted: impl Fn(HypIx) -> bool + Sync,
    ) {
        let Some(hearing) = self.circuit.hearing() else { return };
        let missing = |h: &HypIx| wanted(*h) && p.heard.get(*h).is_none();
        if p.heard.is_full() || !self.faults.keys().any(|h| missing(&h)) {
            return;
        }
        self.recall(state, p, Part::Heard, |h| missing(&h));
        let open: Vec<HypIx> = self.faults.keys().filter(missing).collect();
        if open.is_empty() {
            return;
        }
        let plain = |h: HypIx| p.fault(h).unwrap_or(&p.healthy);
        let counts = self.counts_otherwise(state, &open);
        let matters =
            |h: &HypIx| self.on_bus[*h] || counts(*h) || stirs(hearing, plain(*h), &p.healthy);
        let (on, off): (Vec<HypIx>, Vec<HypIx>) = open.into_iter().partition(matters);
        let dominant = (on.len() >= MANY).then(|| hearing.dominant(&self.circuit, p.sweep.state()));
        let stretch = on.len().div_ceil(4 * rayon::current_num_threads()).max(16);
        let parts: Vec<Vec<(HypIx, Option<Box<Snapshot>>)>> = on
            .par_chunks(stretch)
            .map(|part| {
                let mut sweep = p.sweep.clone();
                let mut dominant = dominant.clone();
                let mut heard = |h: &HypIx| {
                    let changes = &self.faults[*h].changes;
                    let unheard =
                        hearing.unheard(&mut sweep, dominant.as_mut(), changes, Some(&p.sound));
                    let mut made = plain(*h).clone();
                    made.set_unheard(&self.circuit, &unheard);
                    (made.software() != plain(*h).software()).then(|| Box::new(made))
                };
                part.iter().map(|h| (*h, heard(h))).collect()
            })
            .collect();
        // Another thread may have been as quick: both made the same.
        for h in off {
            p.take_in_heard(h, None);
        }
        for (h, made) in parts.into_iter().flatten() {
            p.take_in_heard(h, made);
        }
    }

    /// Tells of hypotheses whether some rate is counted as on the sound vehicle.
    fn counts_otherwise<'a>(
        &'a self,
        state: &OperatingState,
        some: &[HypIx],
    ) -> impl Fn(HypIx) -> bool + Sync + use<'a> {
        let c = &self.circuit;
        let rates: Vec<_> =
            c.vehicle.signals.keys().filter(|k| c.software.ring(*k).is_some()).collect();
        let counted = match rates.is_empty() {
            true => None,
            false => Counted::of(self, state, Which::Some(some)),
        };
        move |h| {
            counted.as_ref().is_some_and(|counted| {
                let differs = |k: &vehicle::SignalIx| {
                    let now = counted.under(c, *k, h).unwrap_or_default();
                    (now - counted.sound(c, *k)).abs() > SAME_HERTZ
                };
                rates.iter().any(differs)
            })
        }
    }

    /// What changes predict, who answers included.
    pub(super) fn take(&self, p: &Predictions, sweep: &mut Sweep, changes: &[Change]) -> Snapshot {
        let mut made = Snapshot::of(&self.circuit, &p.base, &sweep.solve(changes));
        if let Some(hearing) = self.circuit.hearing()
            && (hearing.touches(&self.circuit, changes)
                || self.circuit.teeth_on(p.sweep.state()).is_some()
                || stirs(hearing, &made, &p.healthy))
        {
            let unheard = hearing.unheard(sweep, None, changes, Some(&p.sound));
            made.set_unheard(&self.circuit, &unheard);
        }
        made
    }
}

/// Whether a hypothesis moves a resting bus line or takes the life of a module in the middle of one.
fn stirs(hearing: &Hearing, s: &Snapshot, sound: &Snapshot) -> bool {
    s.differs()
        && (hearing.middles().any(|m| s.alive(m) != sound.alive(m))
            || hearing.stirs(|a, b| s.between(a, b), |a, b| sound.between(a, b)))
}
