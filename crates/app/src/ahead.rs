//! Solving what will be asked for next, while the technician reads and measures.

use circuit::{Instrument, Probe};
use diagnosis::Model;
use diagnosis::next::Check;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::time::Duration;
use vehicle::OperatingState;

/// Proposed checks whose states are solved before they are taken.
const CHECKS: usize = 3;

/// Work done ahead; it gives way to whoever waits, and newer work to older.
#[derive(Debug, Clone, Default)]
pub(crate) struct Ahead {
    /// Views being made now.
    waiting: Arc<AtomicUsize>,
    /// Number of the latest proposals.
    latest: Arc<AtomicU64>,
}

impl Ahead {
    /// Does something that somebody waits for.
    pub(crate) fn first<T>(&self, make: impl FnOnce() -> T) -> T {
        self.waiting.fetch_add(1, Ordering::Relaxed);
        let made = make();
        self.waiting.fetch_sub(1, Ordering::Relaxed);
        made
    }

    fn give_way(&self) {
        while self.waiting.load(Ordering::Relaxed) > 0 {
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// Solves the named states of a vehicle: sound while the first page is being read, with every
    /// fault while the complaint is taken.
    pub(crate) fn named_states(&self, model: &Arc<Model>) {
        let (ahead, model) = (self.clone(), Arc::clone(model));
        std::thread::spawn(move || {
            model.reachable();
            for named in &model.circuit.vehicle.states {
                model.predict(&named.state);
            }
            model.loads();
            for named in &model.circuit.vehicle.states {
                ahead.give_way();
                model.prepare(&named.state);
            }
        });
    }

    /// Solves the states of the checks proposed, while the first of them is being taken.
    pub(crate) fn checks(&self, model: &Arc<Model>, proposed: &[Check]) {
        let number = self.latest.fetch_add(1, Ordering::Relaxed) + 1;
        let wanted: Vec<(OperatingState, Option<Probe>)> =
            proposed.iter().take(CHECKS).map(|c| (c.state.clone(), probe(c))).collect();
        let (ahead, model) = (self.clone(), Arc::clone(model));
        std::thread::spawn(move || {
            for (state, probe) in &wanted {
                ahead.give_way();
                if ahead.latest.load(Ordering::Relaxed) != number {
                    return;
                }
                model.predict_all(state);
                if let Some(probe) = probe {
                    // Kept for when it is read; a probe that does not fit is refused then, too.
                    let _ = model.expect(state, probe);
                }
            }
        });
    }
}

/// The reading that a check is, if it is one.
fn probe(c: &Check) -> Option<Probe> {
    let instrument = Instrument::from_name(&c.quantity)?;
    Some(Probe { instrument, red: c.red.clone(), black: c.black.clone() })
}
