//! Effects looked at, driven by a module or switched by hand: from the seat, and a comparison with a
//! sibling at once.

use super::{Candidate, Field, What};
use crate::model::works::WORKS;
use crate::model::{HypIx, Model};
use crate::posterior::{Explains, Live};
use circuit::{BranchId, Change};
use vehicle::{KeyPosition, NamedState, OperatingState, PartId, PartIx, TiSlice, TiVec};

/// Current through a suspect's branch from which on what draws it is worth trying, amperes.
const DRAWN_AMPS: f64 = 0.05;
/// States beside the named ones that are weighed at a time.
const MOST: usize = 8;
/// Parts looked at in one named state at a time, those that most of the suspicion lies at first.
const OF_ONE: usize = 6;

/// A state that no named one stands for: an output driven, or a switch moved, from rest with the key on.
#[derive(Debug)]
struct Tried {
    id: String,
    state: OperatingState,
    /// What works in it and not at rest.
    parts: Vec<PartId>,
    /// Branches that it loads.
    loaded: TiVec<BranchId, bool>,
}

/// States worth trying beside the named ones, worked out once for a vehicle.
#[derive(Debug)]
pub struct Loads {
    of: Vec<Tried>,
}

impl Model {
    /// What every output and every switch loads.
    pub fn loads(&self) -> &Loads {
        self.derived(Loads::of)
    }
}

impl Loads {
    /// Of a vehicle; what has a named state of its own is left out.
    pub fn of(model: &Model) -> Self {
        let c = &model.circuit;
        let v = &c.vehicle;
        let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
        let rest = c.solve(&on, &[], None);
        let named = |is: &dyn Fn(&OperatingState) -> bool| v.states.iter().any(|s| is(&s.state));
        let mut states: Vec<(String, OperatingState)> = Vec::new();
        for o in v.outputs.iter().filter(|o| !named(&|s| s.outputs.contains(&o.id))) {
            let outputs = [o.id.clone()].into();
            states.push((format!("on+{}", o.id), OperatingState { outputs, ..on.clone() }));
        }
        for part in &v.parts {
            for position in part.positions.iter().skip(1) {
                let here = |s: &OperatingState| s.switches.get(&part.id) == Some(position);
                let switches = [(part.id.clone(), position.clone())].into();
                let state = OperatingState { switches, ..on.clone() };
                if !named(&here) && c.check_state(&state).is_ok() {
                    states.push((format!("on+{}_{position}", part.id), state));
                }
            }
        }
        let tried = |(id, state): (String, OperatingState)| {
            let s = c.solve(&state, &[], None);
            let own = v.parts.keys().filter(|p| {
                let [now, before] = [&s, &rest].map(|s| s.effect(c, *p).unwrap_or(0.0));
                now > WORKS && before < now - 0.5
            });
            let parts: Vec<PartId> = own.map(|p| v.parts[p].id.clone()).collect();
            let loaded = c
                .branches
                .keys()
                .map(|k| (s.amps(c, k) - rest.amps(c, k)).abs() > DRAWN_AMPS)
                .collect();
            (!parts.is_empty()).then_some(Tried { id, state, parts, loaded })
        };
        Self { of: states.into_iter().filter_map(tried).collect() }
    }
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let model = field.model;
    let v = &model.circuit.vehicle;
    let hypotheses: Vec<HypIx> = field.hypotheses().into_iter().collect();
    for NamedState { id, state, .. } in &v.states {
        let p = model.predict_some(state, &hypotheses);
        let lost = |part: PartIx| -> f64 {
            let of = |l: &Live| match l.what {
                Explains::Fault(h) => {
                    let effect = p.fault(h).and_then(|s| s.effect(part)).unwrap_or(1.0);
                    if effect < WORKS { l.p } else { 0.0 }
                }
                _ => 0.0,
            };
            field.live.iter().map(of).sum()
        };
        let mut parts: Vec<(f64, PartIx)> =
            model.working(state).into_iter().map(|part| (lost(part), part)).collect();
        parts.retain(|(p, _)| *p > 0.0);
        parts.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        for (_, part) in parts.into_iter().take(OF_ONE) {
            let what = What::Effect { part: v.parts[part].id.clone() };
            out.push(Candidate::new(what, state.clone(), id.as_str()));
        }
    }
    // Others, where a good share of the suspicion lies in what they load.
    let touched = |h: HypIx, loaded: &TiSlice<BranchId, bool>| {
        model.faults[h].changes.iter().any(|c| match c {
            Change::Branch(b, _) | Change::Series(b, _) | Change::Times(b, _) => loaded[*b],
            Change::Hold(d, _) => model.circuit.devices[*d].branches.iter().any(|b| loaded[*b]),
            _ => false,
        })
    };
    let mut sharing: Vec<(f64, &Tried)> = model
        .loads()
        .of
        .iter()
        .map(|tried| {
            let p: f64 = field
                .live
                .iter()
                .filter(|l| matches!(l.what, Explains::Fault(h) if touched(h, &tried.loaded)))
                .map(|l| l.p)
                .sum();
            (p, tried)
        })
        .filter(|(p, _)| *p > 0.02)
        .collect();
    sharing.sort_by(|a, b| {
        let middling = |p: f64| (p - 0.5).abs();
        middling(a.0).total_cmp(&middling(b.0)).then(a.1.id.cmp(&b.1.id))
    });
    for (_, tried) in sharing.into_iter().take(MOST) {
        for part in &tried.parts {
            let what = What::Effect { part: part.clone() };
            out.push(Candidate::new(what, tried.state.clone(), tried.id.as_str()));
        }
    }
}
