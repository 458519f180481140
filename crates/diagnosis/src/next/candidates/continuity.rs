//! A conductor measured from end to end, unplugged at both: whether it is the conductor or what it
//! leads to. An end in a splice that nobody can reach is passed to the next connector behind it.

use super::{Candidate, Field, owner, readings};
use crate::model::Model;
use crate::posterior::Explains;
use std::collections::BTreeMap;
use vehicle::OperatingState;

/// Share of the suspicion below which a conductor is left alone, and conductors weighed at a time.
const WORTH: f64 = 0.03;
const MOST: usize = 4;

/// Where a probe reaches an end of a conductor: the cavity itself, or one behind a buried splice that
/// another conductor leads to.
fn reached(model: &Model, wire: usize, end: &str) -> Option<String> {
    let v = &model.circuit.vehicle;
    let splice = |id: &str| v.splices.iter().any(|s| s.id == id && !s.rail);
    if !splice(end) {
        return model.circuit.node(end).is_ok().then(|| end.to_owned());
    }
    let others = v.wires.iter().enumerate().filter(|(k, _)| *k != wire);
    let behind = others.filter_map(|(_, w)| match (w.from == end, w.to == end) {
        (true, false) => Some(&w.to),
        (false, true) => Some(&w.from),
        _ => None,
    });
    behind.filter(|id| !splice(id) && model.circuit.node(id).is_ok()).min().cloned()
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let c = &field.model.circuit;
    let v = &c.vehicle;
    let mut suspicion: BTreeMap<usize, f64> = BTreeMap::new();
    for l in field.live {
        let Explains::Fault(h) = l.what else { continue };
        if let Some(("wire", id)) = field.model.faults[h].repair_item.split_once(':')
            && let Some(wire) = c.wire(id)
        {
            *suspicion.entry(wire).or_default() += l.p;
        }
    }
    let mut ranked: Vec<(usize, f64)> = suspicion.into_iter().filter(|s| s.1 > WORTH).collect();
    ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    for (wire, _) in ranked.into_iter().take(MOST) {
        let ends = [&v.wires[wire].from, &v.wires[wire].to];
        let [Some(red), Some(black)] = ends.map(|end| reached(field.model, wire, end)) else {
            continue;
        };
        let pluggable = |id: &str| c.names.connector(id).is_some();
        let mut state = OperatingState { battery_off: true, ..OperatingState::default() };
        for end in [&red, &black] {
            let own = owner(end);
            if pluggable(own) {
                state = state.without(own);
            }
        }
        if owner(&red) != owner(&black) && c.check_state(&state).is_ok() {
            out.extend(readings::ohms(field, (&state, "dead"), (red, black)));
        }
    }
}
