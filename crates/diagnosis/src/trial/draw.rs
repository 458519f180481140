//! What is hidden in a job, with numbers off the grid.

use crate::model::{ItemIx, Model};
use circuit::{Fault, fault};
use rand::Rng;
use rand::seq::IndexedRandom;
use std::collections::BTreeMap;
use vehicle::{FaultId, ItemKind};

/// How truths are drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Truths {
    /// As often as the engine itself believes: flattering.
    Believed,
    /// By the root of what the engine believes: lamps still burn out more often than crimps let go, but
    /// there are so many more crimps that contacts, conductors and parts come about alike. What reaches
    /// somebody who traces faults for a living.
    #[default]
    Hard,
    /// Each sort of thing alike, and each thing of a sort: what the engine thinks likely beforehand is
    /// mostly wrong.
    Even,
}

/// A fault to be hidden, none where the vehicle has none; its number, where it has one, anywhere between the ends of its grid.
pub fn fault(model: &Model, truths: Truths, rng: &mut impl Rng) -> Option<FaultId> {
    let of_item: Vec<&Fault> = match truths {
        Truths::Believed => model.faults.iter().collect(),
        Truths::Hard => {
            let rate = |item: ItemIx| -> f64 {
                model.variants(item).iter().map(|h| model.faults[*h].prior).sum::<f64>().sqrt()
            };
            let total: f64 = model.items.keys().map(rate).sum();
            let mut left = rng.random::<f64>() * total;
            let item = model.items.keys().find(|item| {
                left -= rate(*item);
                left <= 0.0
            });
            model.variants(item?).iter().map(|h| &model.faults[*h]).collect()
        }
        Truths::Even => {
            let mut sorts: BTreeMap<ItemKind, Vec<ItemIx>> = BTreeMap::new();
            for (k, item) in
                model.items.iter_enumerated().filter(|x| !model.variants(x.0).is_empty())
            {
                sorts.entry(item.kind()).or_default().push(k);
            }
            let sorts: Vec<Vec<ItemIx>> = sorts.into_values().collect();
            let item = sorts.choose(rng).and_then(|items| items.choose(rng)).copied();
            model.variants(item?).iter().map(|h| &model.faults[*h]).collect()
        }
    };
    let total: f64 = of_item.iter().map(|f| f.prior).sum();
    let mut left = rng.random::<f64>() * total;
    let drawn = of_item.iter().find(|f| {
        left -= f.prior;
        left <= 0.0
    });
    drawn.or(of_item.last()).map(|f| off_grid(model, &f.id, rng))
}

/// The same kind of fault with any number between the least and the largest of its grid, every
/// proportion alike.
fn off_grid(model: &Model, id: &FaultId, rng: &mut impl Rng) -> FaultId {
    if id.number.is_none() {
        return id.clone();
    }
    let of_grid = model.faults.iter().filter(|f| f.id.same_way(id)).filter_map(|f| f.id.number);
    let (low, high) = of_grid.fold((f64::INFINITY, 0.0f64), |(l, h), n| (l.min(n), h.max(n)));
    let number = low * (high / low).powf(rng.random::<f64>());
    // As few digits as somebody would read.
    let other = id.with((number * 1e5).round() / 1e5);
    if fault::named(&model.circuit, &other).is_some() { other } else { id.clone() }
}
