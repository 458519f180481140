//! What a test that passes has proven (N36): of each repair item the share of its ways to fail that would
//! have changed the result. Worked out from what every hypothesis predicts; nothing is listed.

use crate::evidence::{Strength, effect};
use crate::model::{HypIx, ItemIx, Model, ModelError, Snapshot};
use circuit::NodeId;
use circuit::software::Verdict;
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::{Item, MonitorIx, OperatingState, PartIx, TiVec};

/// A repair item and how much of it a test sees.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Seen {
    /// Repair item.
    pub item: Item,
    /// In words.
    pub text: String,
    /// Share of its ways to fail, by how often they happen, that would have changed the result, 0 to 1.
    pub share: f64,
}

/// What a test proves.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Proven {
    /// Codes whose monitors run in it; none for an effect.
    pub runs: Vec<String>,
    /// Codes whose monitors cannot run in this state.
    pub rests: Vec<String>,
    /// What would have shown, that which is seen best first.
    pub proves: Vec<Seen>,
    /// What moves a voltage at the pins in question and would not have shown.
    pub leaves: Vec<Seen>,
}

/// Share from which on an item counts as touched by a test.
const TOUCHED: f64 = 0.05;
/// Share of an item's ways to fail that must move a pin before the item has something to do with it: a dead
/// short anywhere moves all.
const NEAR: f64 = 0.2;
/// A voltage that moves by so much has something to do with a pin, volts.
const MOVES_VOLTS: f64 = 0.1;

/// The self-test of a module in a state: every monitor of it that can run does.
///
/// # Errors
/// [`ModelError`] for a module or a state that is none.
pub fn self_test(
    model: &Model,
    state: &OperatingState,
    module: &str,
) -> Result<Proven, ModelError> {
    model.circuit.check_state(state)?;
    let at = crate::evidence::part(model, module)?;
    let v = &model.circuit.vehicle;
    let p = model.predict_heard(state);
    let own = v.monitors.iter_enumerated().filter(|(_, m)| m.module == module).map(|(k, _)| k);
    let (runs, rests): (Vec<MonitorIx>, Vec<MonitorIx>) =
        own.partition(|k| p.healthy.monitor(*k) == Verdict::Passed);
    let code = |k: &MonitorIx| format!("{}-{}", v.monitors[*k].code, v.monitors[*k].failure_type);
    let shows = |s: &Snapshot| runs.iter().any(|k| s.monitor(*k) != Verdict::Passed);
    let caught = (model.faults.keys())
        .map(|h| p.heard(h).is_some_and(|s| s.differs() && shows(s)))
        .collect();
    Ok(Proven {
        runs: runs.iter().map(code).collect(),
        rests: rests.iter().map(code).collect(),
        ..sorted(model, &caught, &near(model, &p, at))
    })
}

/// A part that shows its effect in a state, as an output test looks for it.
///
/// # Errors
/// [`ModelError`] for a part that shows none, or a state that is none.
pub fn effect(model: &Model, state: &OperatingState, part: &str) -> Result<Proven, ModelError> {
    /// Chance of a normal effect below which a fault counts as one that shows.
    const SHOWS: f64 = 0.5;
    model.circuit.check_state(state)?;
    let at = crate::evidence::part(model, part)?;
    let p = model.predict_all(state);
    let normal = |s: &Snapshot| {
        effect::chances(s.effect(at).unwrap_or(0.0))[effect::index(Strength::Normal)]
    };
    if normal(&p.healthy) < SHOWS {
        let id = part.to_owned();
        return Err(ModelError::Unknown { what: "part that does something in this state", id });
    }
    let caught = (model.faults.keys())
        .map(|h| p.fault(h).is_some_and(|s| s.differs() && normal(s) < SHOWS))
        .collect();
    Ok(sorted(model, &caught, &near(model, &p, at)))
}

/// Items whose ways to fail move a voltage at a part's pins, many enough of them.
fn near(model: &Model, p: &crate::model::Predictions, part: PartIx) -> BTreeSet<ItemIx> {
    let c = &model.circuit;
    let pins: BTreeSet<NodeId> =
        c.pin_node.iter().filter(|((at, _), _)| *at == part).map(|(_, n)| *n).collect();
    let moves = |h: &HypIx| {
        p.fault(*h).is_some_and(|s| {
            let mut near = false;
            s.each_moved(|n, by| near |= by.abs() > MOVES_VOLTS && pins.contains(&n));
            near
        })
    };
    let moved = model.faults.keys().map(|h| moves(&h)).collect();
    let shares = shares(model, &moved).into_iter_enumerated();
    shares.filter(|(_, share)| *share >= NEAR).map(|(k, _)| k).collect()
}

/// Of each item the share of its ways to fail that are marked, by how often they happen.
fn shares(model: &Model, marked: &TiVec<HypIx, bool>) -> TiVec<ItemIx, f64> {
    let mut sums: TiVec<ItemIx, [f64; 2]> = vec![[0.0; 2]; model.items.len()].into();
    for (h, fault) in model.faults.iter_enumerated() {
        let [some, all] = &mut sums[model.item_of[h]];
        *all += fault.prior;
        *some += if marked[h] { fault.prior } else { 0.0 };
    }
    sums.into_iter().map(|[some, all]| if all > 0.0 { some / all } else { 0.0 }).collect()
}

fn sorted(model: &Model, caught: &TiVec<HypIx, bool>, near: &BTreeSet<ItemIx>) -> Proven {
    let (mut proves, mut leaves) = (Vec::new(), Vec::new());
    for (k, share) in shares(model, caught).into_iter_enumerated() {
        let of =
            || Seen { item: model.items[k].clone(), text: model.item_text(&model.items[k]), share };
        if share >= TOUCHED {
            proves.push(of());
        } else if near.contains(&k) {
            leaves.push(of());
        }
    }
    proves.sort_by(|a, b| b.share.total_cmp(&a.share).then(a.item.cmp(&b.item)));
    Proven { runs: Vec::new(), rests: Vec::new(), proves, leaves }
}
