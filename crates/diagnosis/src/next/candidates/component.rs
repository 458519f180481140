//! A part measured at its own pins, unplugged: whether it is the part or what leads to it.

use super::{Candidate, Field, What, cavity_of, owner};
use crate::posterior::Explains;
use circuit::{Instrument, Probe};
use std::collections::BTreeMap;
use vehicle::OperatingState;

/// Share of the suspicion below which a part is left plugged, and parts weighed at a time.
const WORTH: f64 = 0.03;
const MOST: usize = 4;

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let c = &field.model.circuit;
    let v = &c.vehicle;
    let mut suspicion: BTreeMap<usize, f64> = BTreeMap::new();
    for l in field.live {
        let Explains::Fault(h) = l.what else { continue };
        let id = field.model.faults[h].repair_item.strip_prefix("part:");
        if let Some(part) = id.and_then(|id| c.part(id)) {
            *suspicion.entry(part).or_default() += l.p;
        }
    }
    let mut ranked: Vec<(usize, f64)> = suspicion.into_iter().filter(|s| s.1 > WORTH).collect();
    ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    for (part, _) in ranked.into_iter().take(MOST) {
        let pairs = v.parts[part].elements.iter().flat_map(|e| e.ohmic());
        for (a, b) in pairs.map(|(a, b)| (cavity_of(v, part, a), cavity_of(v, part, b))) {
            let state = OperatingState::default().without(owner(&a));
            let [red, black] = [a, b].map(|cavity| format!("{cavity}:part"));
            let reachable = c.node(&red).is_ok() && c.node(&black).is_ok();
            if owner(&red) == owner(&black) && reachable && c.check_state(&state).is_ok() {
                let probe = Probe { instrument: Instrument::Ohms, red, black };
                out.push(Candidate::new(What::Reading(probe), state, "off"));
            }
        }
    }
}
