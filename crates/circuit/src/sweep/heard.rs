//! Requests that travel by message: what is asked for hangs on what arrives, what arrives on the voltages
//! of the buses, and these on what is asked for. Hypotheses of which no request hangs on a bus, or whose
//! buses are as ever, cost nothing.

use super::{Found, Sweep};
use crate::compile::{Circuit, NodeId};
use crate::fault::Change;
use crate::hearing::{Dominant, Hearing, ROUNDS, Resting, Sound};
use crate::software::{ArrivalIx, View};
use std::sync::{Arc, OnceLock};
use vehicle::{OperatingState, PartIx, TiSlice};

/// What it takes to ask the buses: made when it is first needed, shared by all copies of a sweep.
#[derive(Debug, Clone, Default)]
pub(super) struct Ears {
    shared: Arc<OnceLock<Quiet>>,
    /// Sweeps of one's own to ask them with.
    own: Option<Box<Asking>>,
}

/// The sound vehicle with nothing held.
#[derive(Debug)]
struct Quiet {
    rest: Sweep,
    /// For each bus, its middle sends a dominant bit; made when it is first needed.
    sending: Vec<OnceLock<Sweep>>,
    sound: Sound,
}

/// Sweeps that hypotheses are asked with.
#[derive(Debug, Clone)]
struct Asking {
    rest: Sweep,
    dominant: Dominant,
}

impl Quiet {
    fn of(circuit: &Arc<Circuit>, state: &OperatingState, lost: &[ArrivalIx]) -> Self {
        let rest = Sweep::lacking(circuit, state, &[], lost);
        let hearing = circuit.request_hearing();
        let sound = hearing.map(|h| h.sound(&mut rest.clone())).unwrap_or_default();
        let sending = vec![OnceLock::new(); hearing.map_or(0, Hearing::count)];
        Self { rest, sending, sound }
    }
}

/// A sweep that looks at what arrives.
pub(super) fn listening(circuit: &Arc<Circuit>, state: &OperatingState, holds: &[Change]) -> Sweep {
    let lacking = |lost: &[ArrivalIx]| {
        let mut sweep = Sweep::lacking(circuit, state, holds, lost);
        sweep.hears = circuit.request_hearing().is_some();
        sweep
    };
    let mut sweep = lacking(&[]);
    for _ in 0..ROUNDS {
        if !sweep.hears || !sweep.base_hangs {
            break;
        }
        let quiet = Quiet::of(circuit, state, &sweep.base_lost);
        let found = quiet.sound.unheard.lost.clone();
        if found == sweep.base_lost {
            sweep.ears.shared = Arc::new(OnceLock::from(quiet));
            break;
        }
        sweep = lacking(&found);
    }
    sweep
}

impl Sweep {
    /// Takes these messages for lost from now on, whatever the buses do.
    pub(crate) fn lack(&mut self, lost: &[ArrivalIx]) {
        self.hears = false;
        if self.lost != lost {
            // What stands was solved with others.
            self.take_back();
            self.lost = lost.to_vec();
        }
    }

    /// Looks at what arrives under changes, and takes that for so until [`Sweep::hear_again`] is given what
    /// is returned.
    pub(crate) fn hold_lost(&mut self, changes: &[Change]) -> bool {
        let heard = self.hears;
        if heard {
            self.whole = false;
            self.solve_heard(changes);
            self.hears = false;
        }
        heard
    }

    /// Looks at what arrives again.
    pub(crate) fn hear_again(&mut self, heard: bool) {
        self.hears = heard;
        if heard && self.lost != self.base_lost {
            self.take_back();
            self.lost.clone_from(&self.base_lost);
        }
    }

    /// What is taken for lost at the moment.
    pub(crate) fn taken_lost(&self) -> &[ArrivalIx] {
        &self.lost
    }

    /// Solves a hypothesis until what is asked for and what arrives agree.
    pub(super) fn solve_heard(&mut self, changes: &[Change]) -> Found {
        if self.hears && self.lost != self.base_lost {
            self.take_back();
            self.lost.clone_from(&self.base_lost);
        }
        let mut found = self.solve_lost(changes);
        for _ in 0..ROUNDS {
            let ways = self.in_question(found, changes);
            if ways == 0 && !self.is_counted_otherwise(found, changes) {
                break;
            }
            let lost = self.ask(ways, found, changes);
            if lost == self.lost {
                break;
            }
            self.take_back();
            self.lost = lost;
            found = self.solve_lost(changes);
        }
        found
    }

    /// Whether a request hangs on pulses, and others arrive than are taken to.
    fn is_counted_otherwise(&mut self, found: Found, changes: &[Change]) -> bool {
        let circuit = Arc::clone(&self.circuit);
        let software = &circuit.software;
        let hangs = match (found, &self.full) {
            (Found::Untouched, _) => self.base_hangs,
            // Whatever hangs on something is asked anew then.
            (Found::FromRest, Some((solution, alive))) => {
                return self.hears && software.hangs(solution.view(alive, &self.lost));
            }
            (Found::FromRest, None) => false,
            (Found::Updated { .. }, _) => self.now.hangs,
        };
        if !(self.hears && hangs && software.pulses().any(|(k, _)| software.is_requested(k))) {
            return false;
        }
        let still = self.still_of(found, changes);
        let counted = software.pulses().map(|(k, _)| k);
        !counted.filter(|k| self.lost.binary_search(k).is_ok()).eq(still)
    }

    /// The buses on which a request hangs, where these may not be as on the sound vehicle: a bit each.
    fn in_question(&mut self, found: Found, changes: &[Change]) -> u32 {
        let circuit = Arc::clone(&self.circuit);
        let Some(hearing) = circuit.request_hearing().filter(|_| self.hears) else { return 0 };
        let software = &circuit.software;
        // Only the buses that messages take on which something hangs.
        let ways = match (found, &self.full) {
            (Found::Untouched, _) if self.base_hangs => {
                hearing.ways(software.awaited(self.base.view(&self.base_alive, &self.base_lost)))
            }
            (Found::FromRest, Some((solution, alive))) => {
                return hearing.ways(software.awaited(solution.view(alive, &self.lost)));
            }
            (Found::Updated { .. }, _) if self.now.hangs => {
                for n in &software.read {
                    self.factor.find(&circuit.plan, *n);
                }
                hearing.ways(software.awaited(View {
                    volts: TiSlice::from_ref(&self.factor.volts),
                    alive: &self.now.alive,
                    asked: &self.now.asked,
                    percent: &self.base.percent,
                    lost: &self.lost,
                }))
            }
            _ => return 0,
        };
        if ways == 0 || hearing.touches_on(ways, &circuit, changes) {
            return ways;
        }
        if !matches!(found, Found::Updated { .. }) {
            return 0;
        }
        for n in hearing.nodes_on(ways) {
            self.factor.find(&circuit.plan, n);
        }
        let woke = |part: PartIx| self.now.alive[part] != self.base_alive[part];
        let sound = |a: NodeId, b: NodeId| self.base.volts[a] - self.base.volts[b];
        let volts: &TiSlice<NodeId, f64> = TiSlice::from_ref(&self.factor.volts);
        let differs = hearing.middles_on(ways).any(woke)
            || hearing.stirs_on(ways, |a, b| volts[a] - volts[b], sound);
        if differs { ways } else { 0 }
    }

    /// What is seen of the buses while nobody sends, under changes.
    pub(crate) fn at_rest(&mut self, hearing: &Hearing, changes: &[Change]) -> Resting {
        self.whole = false;
        let found = self.solve_heard(changes);
        self.found_at_rest(hearing, found, changes)
    }

    fn found_at_rest(&mut self, hearing: &Hearing, found: Found, changes: &[Change]) -> Resting {
        let still = self.still_of(found, changes);
        let point = self.point(found, hearing.nodes());
        hearing.resting(&point, still)
    }

    /// What does not arrive of what requests wait for, over some of the buses, given what was found under these
    /// changes.
    fn ask(&mut self, ways: u32, found: Found, changes: &[Change]) -> Vec<ArrivalIx> {
        let circuit = Arc::clone(&self.circuit);
        let Some(hearing) = circuit.request_hearing() else { return Vec::new() };
        let shared = Arc::clone(&self.ears.shared);
        let quiet = shared.get_or_init(|| Quiet::of(&circuit, &self.state, &self.base_lost));
        let mut own = self.ears.own.take().unwrap_or_else(|| {
            let dominant = Dominant(vec![None; hearing.count()]);
            Box::new(Asking { rest: quiet.rest.clone(), dominant })
        });
        for b in hearing.places(ways) {
            let lost = &self.base_lost;
            let made = || hearing.sending(b, &circuit, &self.state, lost);
            own.dominant.0[b].get_or_insert_with(|| quiet.sending[b].get_or_init(made).clone());
        }
        own.rest.lack(&self.lost);
        // What is held here is not held while the buses are asked.
        let resting = match self.holds.is_empty() {
            true => self.found_at_rest(hearing, found, changes),
            false => own.rest.at_rest(hearing, changes),
        };
        own.dominant.lack(&self.lost);
        let asking = (&mut own.rest, &mut own.dominant);
        let lost = hearing.lost_on(ways, asking, changes, &quiet.sound, resting);
        self.ears.own = Some(own);
        lost
    }
}
