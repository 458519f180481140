//! One connector unplugged: what is left then shows on which side of it the fault lies. Voltages and
//! codes with the key on; ohms to ground on the open harness side with it off.

use super::{Candidate, Field, What, owner, readings};
use crate::posterior::Explains;
use rayon::prelude::*;
use std::collections::BTreeMap;
use vehicle::{Item, KeyPosition, OperatingState, Point};

/// Connectors weighed at a time, and cavities of each for ohms.
const MOST: usize = 7;
const CAVITIES: usize = 3;
/// Share of the suspicion below which a connector or a cavity is left alone.
const WORTH: f64 = 0.04;

/// Suspicion at each connector, and at each of its cavities: of its terminals, of conductors that end
/// there, of the part behind it.
pub(super) fn suspicion(field: &Field<'_>) -> (BTreeMap<String, f64>, BTreeMap<String, f64>) {
    let c = &field.model.circuit;
    let v = &c.vehicle;
    let (mut connectors, mut cavities) = (BTreeMap::new(), BTreeMap::new());
    let pluggable = |id: &str| {
        c.names.connector(id).is_some()
            || c.terminal_branch
                .range((id.into(), String::new())..)
                .next()
                .is_some_and(|((socket, _), _)| socket == id)
    };
    for l in field.live {
        let Explains::Fault(h) = l.what else { continue };
        let item = &field.model.faults[h].repair_item;
        let mut at: Vec<String> = Vec::new();
        match item {
            Item::Wire(id) => {
                if let Some(w) = c.wire(id) {
                    let ends = [&v.wires[w].from, &v.wires[w].to];
                    at.extend(ends.map(|e| Point::of(e).cavity().to_owned()));
                }
            }
            Item::Terminal(id) => at.push(id.to_string()),
            Item::Connector(id) => at.push(id.to_string()),
            Item::Part(id) => {
                let own = v.connectors.iter().filter(|x| x.part.as_ref() == Some(id));
                at.extend(own.map(|x| x.id.to_string()));
            }
            Item::Ground(_) | Item::Splice(_) | Item::Pair(..) | Item::Elsewhere => {}
        }
        let mut owners: Vec<&str> = at.iter().map(|a| owner(a)).filter(|o| pluggable(o)).collect();
        owners.sort_unstable();
        owners.dedup();
        for o in owners {
            *connectors.entry(o.to_owned()).or_insert(0.0) += l.p;
        }
        for cavity in at.into_iter().filter(|a| a.contains('.')) {
            *cavities.entry(cavity).or_insert(0.0) += l.p;
        }
    }
    (connectors, cavities)
}

/// The named state with the key on that most of the suspicion shows in, the quickest of the like.
pub(super) fn telling(field: &Field<'_>) -> Option<(OperatingState, String)> {
    let states = field.model.circuit.vehicle.states.iter();
    let awake = states.filter(|s| s.state.key == KeyPosition::On);
    let plugged = field.here.state.plugged();
    let shown = awake.map(|named| {
        let p = field.model.predict(&named.state);
        let shows = |l: &&crate::posterior::Live| match l.what {
            Explains::Fault(h) => p.fault(h).is_some_and(crate::model::Snapshot::differs),
            _ => false,
        };
        let share: f64 = field.live.iter().filter(shows).map(|l| l.p).sum();
        // The state one is in costs nothing; of others the plainest.
        let is_now = named.state == plugged;
        let plain = named.state.outputs.is_empty() && named.state.switches.is_empty();
        ((share * 10.0).round(), is_now, plain, -named.minutes, named)
    });
    shown
        .max_by(|a, b| {
            a.0.total_cmp(&b.0).then((a.1, a.2).cmp(&(b.1, b.2))).then(a.3.total_cmp(&b.3))
        })
        .map(|(.., named)| (named.state.clone(), named.id.clone()))
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let model = field.model;
    let (connectors, cavities) = suspicion(field);
    let mut ranked: Vec<(String, f64)> =
        connectors.into_iter().filter(|(_, p)| *p > WORTH).collect();
    ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    ranked.truncate(MOST);
    let Some((on, on_id)) = telling(field) else { return };
    let of_one = |connector: &String| {
        let mut out = Vec::new();
        let pulled = on.without(connector);
        if model.circuit.check_state(&pulled).is_err() {
            return out;
        }
        readings::in_state(field, &pulled, &on_id, &mut out);
        if field.on_bus(connector) {
            out.push(Candidate::new(What::RollCall, pulled.clone(), on_id.as_str()));
        }
        out.push(Candidate::new(What::Scan, pulled, on_id.as_str()));
        let dead =
            OperatingState { battery_off: true, ..OperatingState::default() }.without(connector);
        let mut own: Vec<(&String, f64)> = cavities
            .iter()
            .filter(|(cavity, p)| owner(cavity) == *connector && **p > WORTH)
            .map(|(cavity, p)| (cavity, *p))
            .collect();
        own.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(b.0)));
        for (cavity, _) in own.into_iter().take(CAVITIES) {
            let sides = match model.circuit.names.connector(connector) {
                Some(k) => match &model.circuit.vehicle.connectors[k].sides {
                    Some((a, b)) => vec![format!("{cavity}:{a}"), format!("{cavity}:{b}")],
                    None => vec![cavity.clone()],
                },
                None => vec![cavity.clone()],
            };
            for red in sides.into_iter().filter(|red| model.circuit.node(red).is_ok()) {
                let black = model.circuit.reference.clone();
                out.extend(readings::ohms(field, (&dead, "dead"), (red, black)));
            }
        }
        out
    };
    let all: Vec<Vec<Candidate>> = ranked.par_iter().map(|(id, _)| of_one(id)).collect();
    out.extend(all.into_iter().flatten());
}
