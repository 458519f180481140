//! A conductor measured from end to end, unplugged at both: whether it is the conductor or what it
//! leads to. An end in a splice that nobody can reach is passed to the next connector behind it.

use super::{Candidate, Field, owner, readings};
use crate::model::Model;
use vehicle::{ItemKind, OperatingState, WireIx};

/// Share of the suspicion below which a conductor is left alone, and conductors weighed at a time.
const WORTH: f64 = 0.03;
const MOST: usize = 4;

/// Where a probe reaches an end of a conductor: the cavity itself, or one behind a buried splice that
/// another conductor leads to.
fn reached(model: &Model, wire: WireIx, end: &str) -> Option<String> {
    let v = &model.circuit.vehicle;
    let splice = |id: &str| v.splices.iter().any(|s| s.id == id && !s.rail);
    if !splice(end) {
        return model.circuit.node(end).is_ok().then(|| end.to_owned());
    }
    let others = v.wires.iter_enumerated().filter(|(k, _)| *k != wire);
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
    let suspected = field.suspected(ItemKind::Wire, WORTH, MOST).into_iter();
    for wire in suspected.filter_map(|id| c.wire(id)) {
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
