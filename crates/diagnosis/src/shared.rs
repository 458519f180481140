//! What some symptoms have in common (N21): which repair items would cause all of them, and which
//! of those are ruled out because they still serve something that works.
//!
//! Nothing is looked up in a plan of who feeds whom: an item causes a symptom when the solved
//! circuit says so, and it is ruled out when the same circuit says that something which works would
//! not.

use crate::evidence::{Evidence, Finding, Scorer, Strength};
use crate::model::{HypIx, ItemIx, Model, ModelError};
use crate::posterior::Posterior;
use crate::words;
use circuit::place;
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{Item, ItemKind, TiVec};

/// A repair item that causes some or all of the symptoms.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SharedItem {
    /// Repair item.
    pub item: Item,
    /// In words.
    pub text: String,
    /// How many of the symptoms it would cause at once.
    pub causes: usize,
    /// Something that works and would not if this were at fault; empty when nothing speaks so.
    pub ruled_out: String,
    /// Its probability after all evidence, 0 to 1.
    pub probability: f64,
}

/// A place that conductors behind several symptoms pass.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SharedPlace {
    /// Place.
    pub place: String,
    /// In words.
    pub text: String,
    /// How many of the symptoms have a conductor or contact there that would cause them.
    pub causes: usize,
}

/// What symptoms have in common.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Shared {
    /// The symptoms, in words.
    pub symptoms: Vec<String>,
    /// Items that cause at least two of them (or the only one), those that cause most first.
    pub items: Vec<SharedItem>,
    /// Places, those of most symptoms first.
    pub places: Vec<SharedPlace>,
}

/// Items and places listed.
const LISTED: usize = 14;
/// Of them, those that are ruled out: what was thought of first is often among them.
const RULED_OUT: usize = 3;
const PLACES: usize = 6;
/// Log-likelihood ratio from which on a hypothesis causes a finding, or is refuted by one.
const CAUSES: f64 = 1.0;

/// Whether a finding is a symptom: something that a sound vehicle does not do.
pub fn is_symptom(f: &Finding) -> bool {
    match f {
        Finding::Code { failing, .. } => *failing,
        Finding::Answer { answers, .. } => !answers,
        Finding::Effect { strength, .. } => *strength != Strength::Normal,
        _ => false,
    }
}

/// What the chosen symptoms have in common; `chosen` are numbers of pieces of evidence.
///
/// # Errors
/// [`ModelError`] for evidence that does not fit the vehicle.
pub fn shared(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    chosen: &[usize],
) -> Result<Shared, ModelError> {
    let symptoms: Vec<&Evidence> = chosen.iter().filter_map(|k| evidence.get(*k)).collect();
    let causes: Vec<TiVec<HypIx, bool>> = symptoms
        .iter()
        .map(|e| {
            let l = e.likelihood(model)?;
            Ok(l.there.iter().map(|x| x - l.away > CAUSES).collect())
        })
        .collect::<Result<_, ModelError>>()?;
    let count = |h: HypIx| causes.iter().filter(|c| c[h]).count();
    let least = symptoms.len().min(2);
    let mut best: BTreeMap<ItemIx, (usize, Vec<HypIx>)> = BTreeMap::new();
    for h in model.faults.keys() {
        let n = count(h);
        if n < least.max(1) {
            continue;
        }
        let slot = best.entry(model.item_of[h]).or_insert((0, Vec::new()));
        if n > slot.0 {
            *slot = (n, Vec::new());
        }
        if n == slot.0 {
            slot.1.push(h);
        }
    }
    let works = evidence.iter().filter(|e| {
        matches!(e.finding, Finding::Code { .. } | Finding::Answer { .. } | Finding::Effect { .. })
            && !is_symptom(&e.finding)
    });
    let works: Vec<Works<'_>> = works.filter_map(|e| Works::of(model, e)).collect();
    let mut items: Vec<SharedItem> = best
        .iter()
        .map(|(item, (n, variants))| SharedItem {
            item: model.items[*item].clone(),
            text: model.item_text(&model.items[*item]),
            causes: *n,
            ruled_out: ruled_out(model, &works, variants),
            probability: posterior.items[*item],
        })
        .collect();
    items.sort_by(|a, b| b.probability.total_cmp(&a.probability).then_with(|| a.item.cmp(&b.item)));
    let (mut out, mut items): (Vec<_>, Vec<_>) =
        items.into_iter().partition(|i| !i.ruled_out.is_empty());
    out.sort_by_key(|i| std::cmp::Reverse(i.causes));
    out.truncate(RULED_OUT);
    items.sort_by_key(|i| std::cmp::Reverse(i.causes));
    items.truncate(LISTED - out.len());
    items.extend(out);
    items.sort_by_key(|i| (std::cmp::Reverse(i.causes), !i.ruled_out.is_empty()));
    Ok(Shared {
        symptoms: symptoms.iter().map(|e| words::evidence(model, e)).collect(),
        items,
        places: places(model, &causes),
    })
}

/// Something that works, with what weighs it.
struct Works<'a> {
    evidence: &'a Evidence,
    score: Scorer<'a>,
    /// Log-likelihood on a sound vehicle.
    away: f64,
}

impl<'a> Works<'a> {
    fn of(model: &'a Model, evidence: &'a Evidence) -> Option<Self> {
        let score = evidence.scorer(model)?;
        let away = score(&model.predict(&evidence.state).healthy);
        Some(Self { evidence, score, away })
    }

    /// Log-likelihood ratio of a hypothesis against a sound vehicle.
    fn ratio(&self, model: &Model, h: HypIx) -> f64 {
        let p = model.predict_heard_some(&self.evidence.state, &[h]);
        p.heard(h).map_or(0.0, |s| (self.score)(s) - self.away)
    }
}

/// Something that works although every variant in question would stop it.
fn ruled_out(model: &Model, works: &[Works<'_>], variants: &[HypIx]) -> String {
    let mut last = String::new();
    for h in variants {
        let against = works.iter().find(|w| w.ratio(model, *h) < -CAUSES);
        match against {
            None => return String::new(),
            Some(w) if last.is_empty() => last = words::evidence(model, w.evidence),
            Some(_) => {}
        }
    }
    last
}

fn places(model: &Model, causes: &[TiVec<HypIx, bool>]) -> Vec<SharedPlace> {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for of_symptom in causes {
        let mut here = std::collections::BTreeSet::new();
        for (h, _) in of_symptom.iter_enumerated().filter(|(_, c)| **c) {
            let item = &model.faults[h].repair_item;
            if item.kind() != ItemKind::Part {
                here.extend(place::places(&model.circuit, item));
            }
        }
        for p in here {
            *counts.entry(p).or_default() += 1;
        }
    }
    let mut list: Vec<SharedPlace> = counts
        .into_iter()
        .filter(|(_, n)| *n > 1 || causes.len() == 1)
        .map(|(p, causes)| SharedPlace {
            place: p.to_owned(),
            text: words::thing(model, p),
            causes,
        })
        .collect();
    list.sort_by(|a, b| b.causes.cmp(&a.causes).then(a.place.cmp(&b.place)));
    list.truncate(PLACES);
    list
}
