//! What is done with hands and eyes: moving a harness, looking, a jumper, a known-good part.

use super::minutes::{Here, go, reach};
use super::{Candidate, Field, What, owner};
use crate::coverage;
use crate::model::Model;
use crate::posterior::Explains;
use circuit::place;
use std::collections::BTreeMap;
use vehicle::{Item, OperatingState};

/// Minutes to move a harness at a place, and to look at one, once it is in reach.
pub(super) const MOVE: f64 = 1.0;
const LOOK: f64 = 0.5;
/// Places and things looked at, moved or swapped at a time, most suspected first.
const MOST: usize = 6;
/// Share of the suspicion below which a place is not worth it.
const WORTH: f64 = 0.03;
/// Minutes to swap a part, beside reaching and unplugging it twice.
const SWAP: f64 = 3.0;

pub(super) fn swap_minutes(model: &Model, here: &Here<'_>, part: &str) -> f64 {
    SWAP + go(model, here, part) + 2.0 * reach(model, part).1
}

/// Minutes to reach something and look at it; a terminal shows only with its connector apart.
pub(super) fn look_minutes(model: &Model, here: &Here<'_>, at: &str) -> f64 {
    let thing = owner(at);
    let apart = thing != at && !here.state.unplugged.contains(thing);
    LOOK + go(model, here, thing) + if apart { 2.0 * reach(model, thing).1 } else { 0.0 }
}

/// Suspicion by where it lies: connectors, conductors and ground points themselves, and places.
fn by_place(field: &Field<'_>) -> Vec<(String, f64)> {
    let c = &field.model.circuit;
    let mut sums: BTreeMap<String, f64> = BTreeMap::new();
    for l in field.live {
        let Explains::Fault(h) = l.what else { continue };
        let item = &field.model.faults[h].repair_item;
        for at in place::places(c, item) {
            *sums.entry(at.to_owned()).or_default() += l.p;
        }
        let own = match item {
            Item::Terminal(id) => {
                // One cavity of several: which of two contacts in series is spread or pushed back.
                *sums.entry(id.to_string()).or_default() += l.p;
                item.terminal_of()
            }
            Item::Connector(_) | Item::Ground(_) | Item::Wire(_) | Item::Splice(_) => item.thing(),
            Item::Pair(..) | Item::Part(_) | Item::Elsewhere => None,
        };
        if let Some(id) = own.filter(|id| place::exists(c, id)) {
            *sums.entry(id.to_owned()).or_default() += l.p;
        }
    }
    let mut list: Vec<(String, f64)> = sums.into_iter().filter(|(_, p)| *p > WORTH).collect();
    list.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    list.truncate(MOST);
    list
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let v = &field.model.circuit.vehicle;
    let named = |state: &OperatingState| {
        v.states.iter().find(|s| s.state == *state).map_or("now", |s| s.id.as_str()).to_owned()
    };
    let mut add = |what, state: &OperatingState| {
        out.push(Candidate::new(what, state.clone(), named(state)));
    };
    let wavering = field.wavering();
    for (at, _) in by_place(field) {
        add(What::Look { at: at.clone() }, field.here.state);
        // Moving tells only about what comes and goes.
        if wavering > WORTH && !place::is_cavity(&field.model.circuit, &at) {
            add(What::Move { at }, field.here.state);
        }
    }
    for offer in coverage::offers(field.model, field.posterior, field.live, field.here.state) {
        match offer {
            coverage::Offer::Jumper { red, black, part, state } => {
                add(What::Jumper { red, black, part }, &state);
            }
            coverage::Offer::Swap { swapped, part, state } => {
                add(What::Swap { swapped, part }, &state);
            }
        }
    }
}
