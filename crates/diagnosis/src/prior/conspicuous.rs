//! What else a fault would take with it, so that a customer would hardly tell of one thing alone.

use crate::model::Model;
use std::collections::BTreeSet;
use vehicle::{KeyPosition, OperatingState};

/// Below this share of its sound strength an effect is missed by whoever wants it.
const MISSED: f64 = 0.5;
/// What loads the supply more than this by itself, amperes, would weaken all others: the starter.
const TOO_MUCH_AMPS: f64 = 60.0;

/// For every hypothesis the parts whose effect would be missed.
#[derive(Debug, Clone)]
pub struct Conspicuous {
    missed: Vec<Box<[u16]>>,
}

impl Model {
    /// What every hypothesis would take with it.
    pub fn conspicuous(&self) -> &Conspicuous {
        self.derived(Conspicuous::of)
    }
}

/// Everything that can be driven at once, one output a part.
fn everything(model: &Model) -> OperatingState {
    let c = &model.circuit;
    let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let rest = c.solve(&state, &[], None);
    let mut parts: BTreeSet<&str> = BTreeSet::new();
    for output in &c.vehicle.outputs {
        let mut alone = state.clone();
        alone.outputs = [output.id.clone()].into();
        let s = c.solve(&alone, &[], None);
        let more = |k: &usize| (s.amps(c, *k) - rest.amps(c, *k)).abs();
        let heavy = c.wire_branch.iter().map(more).fold(0.0, f64::max) > TOO_MUCH_AMPS;
        let shows = c.part(&output.load).and_then(|p| s.effect(c, p)).is_some_and(|e| e > MISSED);
        if shows && !heavy && parts.insert(&output.load) {
            state.outputs.insert(output.id.clone());
        }
    }
    state
}

impl Conspicuous {
    /// Of a vehicle.
    pub fn of(model: &Model) -> Self {
        let state = everything(model);
        let p = model.predict_all(&state);
        let parts = model.circuit.vehicle.parts.len();
        let shown: Vec<(usize, f64)> = (0..parts)
            .filter_map(|part| Some((part, p.healthy.effect(part)?)))
            .filter(|(_, strength)| *strength > MISSED)
            .collect();
        let missed = p
            .all()
            .map(|s| match s.differs() {
                false => Box::default(),
                true => shown
                    .iter()
                    .filter(|(part, sound)| s.effect(*part).unwrap_or(0.0) < MISSED * sound)
                    .map(|(part, _)| *part as u16)
                    .collect(),
            })
            .collect();
        model.forget(&state);
        Self { missed }
    }

    /// Chance that of everything a fault takes just these parts are told of: it might have been any.
    pub fn told_alone(&self, h: usize, told: &[usize]) -> f64 {
        let others = self.missed[h].iter().filter(|p| !told.contains(&usize::from(**p))).count();
        1.0 / (1.0 + others as f64)
    }
}
