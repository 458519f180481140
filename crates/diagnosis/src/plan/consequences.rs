//! What follows from fitting something else: worked out on the sound vehicle with it in, as it comes and once it is
//! set.

use super::records;
use crate::model::Model;
use circuit::software::{self, Verdict};
use circuit::{Change, fault, hearing};
use std::collections::BTreeSet;
use vehicle::vin::DID as VIN;
use vehicle::{KeyPosition, OperatingState, Origin, PartId};

/// Codes that are named at most; the rest is counted.
const MOST: usize = 3;

pub(super) fn of(
    model: &Model,
    part: &PartId,
    origin: Origin,
    differs: &[String],
    bound: bool,
) -> Vec<String> {
    let v = &model.circuit.vehicle;
    let mut out = Vec::new();
    let known = differs.iter().map(|id| (id, fault::by_id(&model.circuit, id)));
    let (mut other, mut changes): (Vec<String>, Vec<Change>) = (Vec::new(), Vec::new());
    for (id, fault) in known {
        match fault {
            Ok(f) => {
                other.push(f.text.clone());
                changes.extend(f.changes);
            }
            Err(_) => {
                other.push(format!("differs by “{id}”, which this vehicle's file does not know"))
            }
        }
    }
    if !other.is_empty() {
        out.push(format!("differs from what was built in: {}", other.join("; ")));
        out.push(match effects(model, &changes) {
            effects if effects.is_empty() => {
                "standing still the vehicle shows nothing of it; margins on its bus are smaller"
                    .to_owned()
            }
            effects => format!("with it: {}", effects.join(", ")),
        });
    }
    let records = records(v, part);
    let coded = records.iter().filter(|(did, _)| *did != VIN).count();
    let has_identity = records.len() > coded;
    match origin {
        Origin::New if coded > 0 => out.push("comes with nothing set: records are written".into()),
        Origin::Used if coded > 0 => {
            out.push("set as the vehicle it comes from: records of another equipment".into());
        }
        _ => {}
    }
    match (has_identity, bound, origin) {
        (true, true, _) => out.push(
            "bound to the vehicle it comes from: its identity stays foreign, and who asks for it refuses"
                .into(),
        ),
        (true, false, Origin::Used) => out.push("carries another vehicle's identity until it is written".into()),
        (true, false, Origin::New) => out.push("carries no identity until it is written".into()),
        (false, ..) => {}
    }
    out
}

/// Modules that fall silent and codes that come with the key on.
fn effects(model: &Model, changes: &[Change]) -> Vec<String> {
    let c = &model.circuit;
    let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let look = |changes: &[Change]| {
        let solved = hearing::solve(c, &on, changes);
        let unheard = hearing::unheard(c, &on, changes);
        let silent: BTreeSet<String> = (c.vehicle.parts.iter_enumerated())
            .filter(|(_, p)| p.module.is_some())
            .filter(|(k, _)| !solved.alive(c, *k) || unheard.has(*k))
            .map(|(_, p)| p.id.to_string())
            .collect();
        let verdicts = software::monitors(c, &solved, &unheard.lost);
        let failing = verdicts.iter_enumerated().filter(|(_, v)| **v == Verdict::Failed);
        let codes: BTreeSet<String> = failing
            .map(|(k, _)| &c.vehicle.monitors[k])
            .map(|m| format!("{} {}-{}", m.module, m.code, m.failure_type))
            .collect();
        (silent, codes)
    };
    let (before, with) = (look(&[]), look(changes));
    let mut out = Vec::new();
    let silent: Vec<&str> = with.0.difference(&before.0).map(String::as_str).collect();
    if !silent.is_empty() {
        out.push(format!("{} silent", silent.join(", ")));
    }
    let codes: Vec<&str> = with.1.difference(&before.1).map(String::as_str).collect();
    if !codes.is_empty() {
        let few = codes.iter().take(MOST).copied().collect::<Vec<_>>().join(", ");
        let more = codes.len().saturating_sub(MOST);
        out.push(if more > 0 { format!("{few} and {more} codes more") } else { few });
    }
    out
}
