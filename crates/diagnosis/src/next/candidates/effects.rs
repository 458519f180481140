//! Outputs driven and looked at: from the seat, and a comparison with a sibling at once.

use super::{Candidate, Field, What};
use crate::model::Model;
use circuit::Change;
use vehicle::{KeyPosition, OperatingState};

/// Current through a suspect's branch from which on an output that draws it is worth driving, amperes.
const DRAWN_AMPS: f64 = 0.05;
/// Outputs beside those of the named states that are weighed at a time.
const MOST: usize = 8;

/// The state in which an output is driven from rest.
fn driven(output: &str) -> OperatingState {
    let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    state.outputs.insert(output.to_owned());
    state
}

/// Outputs with the branches that they load, worked out once for a vehicle.
#[derive(Debug)]
pub struct Loads {
    of: Vec<(String, String, Vec<bool>)>,
}

impl Model {
    /// What every output loads.
    pub fn loads(&self) -> &Loads {
        self.derived(Loads::of)
    }
}

impl Loads {
    /// Of a vehicle; outputs that have a named state of their own are left out.
    pub fn of(model: &Model) -> Self {
        let c = &model.circuit;
        let v = &c.vehicle;
        let rest = c.solve(
            &OperatingState { key: KeyPosition::On, ..OperatingState::default() },
            &[],
            None,
        );
        let of = v
            .outputs
            .iter()
            .filter(|o| !v.states.iter().any(|s| s.state.outputs.contains(&o.id)))
            .filter_map(|o| {
                let s = c.solve(&driven(&o.id), &[], None);
                s.effect(c, c.part(&o.load)?)?;
                let loaded = (0..c.branches.len())
                    .map(|k| (s.amps(c, k) - rest.amps(c, k)).abs() > DRAWN_AMPS)
                    .collect();
                Some((o.id.clone(), o.load.clone(), loaded))
            })
            .collect();
        Self { of }
    }
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let model = field.model;
    let v = &model.circuit.vehicle;
    for named in &v.states {
        for id in &named.state.outputs {
            if let Some(o) = v.outputs.iter().find(|o| &o.id == id) {
                let what = What::Effect { output: id.clone(), part: o.load.clone() };
                out.push(Candidate::new(what, named.state.clone(), named.id.as_str()));
            }
        }
    }
    // Others, where a good share of the suspicion lies in what they load.
    let touched = |h: usize, loaded: &[bool]| {
        model.faults[h].changes.iter().any(|c| match c {
            Change::Branch(b, _) | Change::Series(b, _) => loaded[*b],
            Change::Hold(d, _) => model.circuit.devices[*d].branches.iter().any(|b| loaded[*b]),
            _ => false,
        })
    };
    let mut sharing: Vec<(f64, &String, &String)> = model
        .loads()
        .of
        .iter()
        .map(|(output, part, loaded)| {
            let p: f64 = field
                .live
                .iter()
                .filter(|l| matches!(l.what, crate::posterior::Explains::Fault(h) if touched(h, loaded)))
                .map(|l| l.p)
                .sum();
            (p, output, part)
        })
        .filter(|(p, ..)| *p > 0.02)
        .collect();
    sharing.sort_by(|a, b| {
        let middling = |p: f64| (p - 0.5).abs();
        middling(a.0).total_cmp(&middling(b.0)).then(a.1.cmp(b.1))
    });
    for (_, output, part) in sharing.into_iter().take(MOST) {
        let what = What::Effect { output: output.clone(), part: part.clone() };
        out.push(Candidate::new(what, driven(output), format!("on+{output}")));
    }
}
