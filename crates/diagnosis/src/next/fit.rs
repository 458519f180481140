//! A part fitted as a check: quick and cheap parts may be, where what else can be wrong would not spoil
//! them too and nothing that comes and goes would be hidden by it.

use super::value::Scales;
use super::{Ask, CannotDo, live_of};
use crate::costs::price::{self, TRY};
use crate::costs::{Prices, to_go};
use crate::coverage;
use crate::evidence::Finding;
use crate::model::{HypIx, ItemIx, Model};
use crate::posterior::{Explains, Live, Repair};
use crate::words;
use circuit::fault;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{Item, OperatingState, PartId, PartKind};

/// A part that could be fitted now instead of checking on.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Fit {
    /// Repair item.
    pub item: Item,
    /// The part.
    pub part: PartId,
    /// In words.
    pub text: String,
    /// How likely it is to be it, 0 to 1.
    pub probability: f64,
    /// Minutes to fit it and to try the complaint again.
    pub minutes: f64,
    /// Its price.
    pub price: f64,
    /// Expected money to a proven repair if it is fitted now.
    pub cost: f64,
    /// The same if the next check is done first.
    pub check_cost: f64,
    /// Sign of the currency.
    pub currency: String,
    /// The part whose effect is watched.
    pub watched: PartId,
    /// State it is watched in.
    pub state: OperatingState,
    /// The same in words.
    pub state_text: String,
}

impl Fit {
    /// Whether it is the cheaper next move.
    pub fn is_cheaper(&self) -> bool {
        self.cost < self.check_cost
    }
}

/// A part less likely than this is not fitted to see.
const LEAST: f64 = 0.1;
/// A part that costs more than so many minutes of work is condemned only when it is proven.
const DEAREST: f64 = 60.0;
/// Share of the suspicion that comes and goes from which on fitting could hide it.
const HIDES: f64 = 0.3;
/// An effect so many times its rating spoils what gives it.
const SPOILT: f64 = 1.6;
/// Suspicion from which on something is asked whether it would spoil the new part.
const ASKED: f64 = 0.02;
/// A fit that costs so many times as much as the check is not worth telling of.
const TOLD: f64 = 1.3;

/// What each of the explanations costs to mend, by group of the scales.
fn costs(model: &Model, prices: &Prices, live: &[Live], ask: &Ask<'_>) -> Vec<f64> {
    let of = |h: HypIx| prices.mending(model, &model.faults[h].repair_item);
    let cost = |l: &Live| match l.what {
        Explains::Fault(h) => of(h),
        Explains::Pair(k) => ask.posterior.pairs.get(k).map_or(0.0, |p| of(p.a) + of(p.b)),
        Explains::Elsewhere => prices.mending(model, &Item::Elsewhere),
    };
    live.iter().map(cost).collect()
}

/// Expected money to a proven repair with each of some checks first.
pub(super) fn check_costs(ask: &Ask<'_>, checks: &[super::Valued]) -> Vec<f64> {
    let (live, prices) = (live_of(ask), ask.prices);
    let scales = Scales::new(ask.model, ask.posterior, &live);
    let costs = scales.of_groups(&costs(ask.model, prices, &live, ask));
    let bit = money_per_bit(prices, checks);
    let of = |c: &super::Valued| {
        let after = scales.beliefs(&c.table).into_iter().map(|(chance, weights)| {
            let ways =
                weights.iter().zip(&costs).map(|(p, cost)| to_go::Way { p: *p, cost: *cost });
            chance * to_go::to_go(&ways.collect::<Vec<_>>(), bit)
        });
        prices.labour(c.minutes) + after.sum::<f64>()
    };
    checks.iter().map(of).collect()
}

/// Expected money to a proven repair with each of some proofs of what is nearly certain first.
pub(super) fn proof_costs(ask: &Ask<'_>, proofs: &[super::Valued]) -> Vec<f64> {
    let live = live_of(ask);
    let scales = Scales::new(ask.model, ask.posterior, &live);
    let costs = scales.of_groups(&costs(ask.model, ask.prices, &live, ask));
    let ways = scales.by_groups().into_iter().zip(costs);
    let ways: Vec<to_go::Way> = ways.map(|(p, cost)| to_go::Way { p, cost }).collect();
    let after = to_go::to_go(&ways, money_per_bit(ask.prices, proofs));
    proofs.iter().map(|proof| ask.prices.labour(proof.minutes) + after).collect()
}

/// What the best check asks for one bit.
fn money_per_bit(prices: &Prices, checks: &[super::Valued]) -> f64 {
    let best = checks.iter().map(super::Valued::rate).fold(0.0, f64::max);
    if best > 0.0 { prices.labour(1.0 / best) } else { f64::INFINITY }
}

/// The part best fitted now, where one may be and it would not cost much more than the next check.
pub(super) fn best(ask: &Ask<'_>, checks: &[super::Valued], check_cost: f64) -> Option<Fit> {
    let (model, prices) = (ask.model, ask.prices);
    let live = live_of(ask);
    let (state, watched) = coverage::missing_effect(model, &live)?;
    let wavering: f64 = live
        .iter()
        .map(|l| match l.what {
            Explains::Fault(h) => l.p * ask.posterior.share_wavering(h),
            _ => 0.0,
        })
        .sum();
    if wavering > HIDES {
        return None;
    }
    let scales = Scales::new(model, ask.posterior, &live);
    let of_groups = scales.of_groups(&costs(model, prices, &live, ask));
    let weights = scales.by_groups();
    let bit = money_per_bit(prices, checks);
    let mut best: Option<Fit> = None;
    for (item, p) in ask.posterior.ranking().into_iter().take_while(|(_, p)| *p > LEAST) {
        let Some(id) = model.items[item].as_part() else { continue };
        let Some(part) = model.circuit.part(id).map(|k| &model.circuit.vehicle.parts[k]) else {
            continue;
        };
        let mend = price::mend(model, &model.items[item]);
        let money = prices.part(model, &model.items[item], mend.part);
        let refused = ask.refused.contains(&CannotDo::Fit(id.to_owned()));
        let is_fitted = ask.evidence.iter().any(
            |e| matches!(&e.finding, Finding::Substituted { swapped: Some(s), .. } if s == id),
        );
        if matches!(part.kind, PartKind::Module | PartKind::Setup)
            || is_fitted
            || money > prices.labour(DEAREST)
            || refused
            || is_spoilt(model, &live, (&state, id), item)
        {
            continue;
        }
        let group = scales.group_of(item);
        let left: Vec<to_go::Way> = weights
            .iter()
            .zip(&of_groups)
            .enumerate()
            .filter(|(g, _)| Some(*g) != group)
            .map(|(_, (p, cost))| to_go::Way { p: *p, cost: *cost })
            .collect();
        let minutes = mend.minutes + TRY;
        let cost = prices.labour(minutes) + money + (1.0 - p) * to_go::to_go(&left, bit);
        if cost < TOLD * check_cost && best.as_ref().is_none_or(|b| cost < b.cost) {
            best = Some(Fit {
                item: model.items[item].clone(),
                part: id.into(),
                text: fault::item_text(&model.circuit, &model.items[item]),
                probability: p,
                minutes,
                price: money,
                cost,
                check_cost,
                currency: prices.currency.clone(),
                watched: watched.clone(),
                state: state.clone(),
                state_text: words::state(model, &state),
            });
        }
    }
    best
}

/// Whether something else that may be wrong would spoil a new part as well: it would be driven far above
/// its rating, or blow, if it is a fuse.
fn is_spoilt(model: &Model, live: &[Live], at: (&OperatingState, &str), item: ItemIx) -> bool {
    let (state, id) = at;
    let Some(part) = model.circuit.part(id) else { return true };
    let is_fuse = model.circuit.vehicle.parts[part].kind == PartKind::Fuse;
    let others = live.iter().filter(|l| l.repair != Repair::One(item) && l.p > ASKED);
    let p = model.predict(state);
    others.into_iter().any(|l| {
        let Explains::Fault(h) = l.what else { return false };
        let Some(s) = p.fault(h) else { return false };
        is_fuse && model.faults[h].changes.iter().any(|c| matches!(c, circuit::Change::Bridge(..)))
            || s.effect(part).is_some_and(|e| e > SPOILT)
    })
}
