//! Pairs of faults: tried, best first, when no single fault explains the evidence.

use crate::evidence::{Evidence, Likelihood, Moment, Prepared};
use crate::model::{HypIx, ItemIx, Model, ModelError, Snapshot};
use crate::prior::Priors;
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;
use vehicle::OperatingState;

/// Two faults at once.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pair {
    /// Number of one hypothesis.
    pub a: HypIx,
    /// Number of the other.
    pub b: HypIx,
    /// Its probability.
    pub p: f64,
    /// Log of its weight, not normalised.
    pub(crate) log: f64,
}

/// Share of vehicles with two faults at once.
const BOTH: f64 = 0.03;
/// Repair items tried for each piece of evidence, variants of each, and pairs solved exactly.
const PER_FINDING: usize = 20;
const VARIANTS: usize = 3;
const EXACT: usize = 80;
/// Pairs solved before looking again whether the rest can still matter, and how much less likely than
/// the best explanation, as a logarithm, a pair must be at most to be left out.
const AT_A_TIME: usize = 16;
const FAR: f64 = 9.0;
/// Log-likelihood ratio against a sound vehicle from which on a finding calls for a fault.
const CALLS: f64 = 2.0;
/// Log-likelihoods nearer than this are the same.
const SAME: f64 = 0.05;

/// Log-likelihood that a pair has at most, from what each alone makes of a finding: where only
/// one of them moves it, the other leaves it alone.
fn bound(l: &Likelihood, a: HypIx, b: HypIx) -> f64 {
    let (of_a, of_b) = (l.there[a], l.there[b]);
    let moves = |x: f64| (x - l.away).abs() > SAME;
    match (moves(of_a), moves(of_b)) {
        (false, _) => of_b,
        (_, false) => of_a,
        _ => of_a.max(of_b),
    }
}

/// Hypotheses that could be one of a pair: for each finding that a sound vehicle does not make,
/// those that explain it best and that what else was found does not speak against.
fn candidates(model: &Model, priors: &Priors, moments: &[Moment]) -> Vec<HypIx> {
    let mut chosen = BTreeSet::new();
    for (k, l) in moments.iter().map(|m| &m.likelihood).enumerate() {
        let most = l.there.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        if most - l.away < CALLS {
            continue;
        }
        let mut scored: Vec<(f64, HypIx)> = model
            .faults
            .keys()
            .collect::<Vec<_>>()
            .into_par_iter()
            .filter(|h| l.there[*h] - l.away > CALLS)
            .map(|h| {
                let against: f64 = moments
                    .iter()
                    .map(|m| &m.likelihood)
                    .enumerate()
                    .filter(|(j, _)| *j != k)
                    .map(|(_, o)| (o.there[h] - o.away).min(0.0))
                    .sum();
                (priors.steady[h].ln() + l.there[h] - l.away + against, h)
            })
            .collect();
        scored.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let mut of_item: BTreeMap<ItemIx, usize> = BTreeMap::new();
        for (_, h) in scored {
            let item = model.item_of[h];
            if of_item.len() >= PER_FINDING && !of_item.contains_key(&item) {
                continue;
            }
            let n = of_item.entry(item).or_insert(0);
            if *n < VARIANTS {
                *n += 1;
                chosen.insert(h);
            }
        }
    }
    chosen.into_iter().collect()
}

/// The best pairs with their weights on the same scale as the single hypotheses; `best` is the log of
/// the weight of the likeliest of these, and `agreed` tells what agreeing upon a number adds to
/// hypotheses: each of two faults has one number in all that it moves.
pub(crate) fn best(
    model: &Model,
    priors: &Priors,
    evidence: &[Evidence],
    moments: &[Moment],
    mut best: f64,
    agreed: impl FnOnce(&[HypIx]) -> HashMap<HypIx, f64>,
) -> Result<Vec<Pair>, ModelError> {
    let chosen = candidates(model, priors, moments);
    let agreed = agreed(&chosen);
    let prior = |a: HypIx, b: HypIx| {
        let of = |h: HypIx| priors.steady[h] + priors.wavering[h];
        let number = |h: &HypIx| agreed.get(h).copied().unwrap_or(0.0);
        (BOTH * 2.0 * of(a) * of(b)).ln() + number(&a) + number(&b)
    };
    let mut bounded: Vec<(f64, HypIx, HypIx)> = chosen
        .par_iter()
        .enumerate()
        .flat_map_iter(|(k, a)| chosen[k + 1..].iter().map(move |b| (*a, *b)))
        .filter(|(a, b)| model.item_of[*a] != model.item_of[*b])
        .map(|(a, b)| {
            let sum: f64 = moments.iter().map(|m| bound(&m.likelihood, a, b)).sum();
            (prior(a, b) + sum, a, b)
        })
        .collect();
    bounded.sort_by(|x, y| y.0.total_cmp(&x.0).then((x.1, x.2).cmp(&(y.1, y.2))));
    bounded.truncate(EXACT);
    let trial = Trial::new(model, evidence)?;
    let mut pairs: Vec<Pair> = Vec::new();
    for some in bounded.chunks(AT_A_TIME) {
        if some[0].0 < best - FAR {
            break;
        }
        let numbers: Vec<[HypIx; 2]> = some.iter().map(|(_, a, b)| [*a, *b]).collect();
        for ([a, b], log) in numbers.iter().zip(trial.logs(&numbers)?) {
            let log = prior(*a, *b) + log;
            best = best.max(log);
            pairs.push(Pair { a: *a, b: *b, p: 0.0, log });
        }
    }
    pairs.sort_by(|x, y| y.log.total_cmp(&x.log).then((x.a, x.b).cmp(&(y.a, y.b))));
    Ok(pairs)
}

/// Evidence ready to be weighed against pairs.
struct Trial<'a> {
    model: &'a Model,
    prepared: Vec<Prepared<'a>>,
    /// States whose predictions some evidence is weighed by, and whether it matters who is heard.
    states: BTreeMap<&'a OperatingState, bool>,
}

impl<'a> Trial<'a> {
    fn new(model: &'a Model, evidence: &'a [Evidence]) -> Result<Self, ModelError> {
        let prepared =
            evidence.iter().map(|e| e.prepare(model)).collect::<Result<Vec<_>, ModelError>>()?;
        let mut states: BTreeMap<&OperatingState, bool> = BTreeMap::new();
        for (e, _) in evidence.iter().zip(&prepared).filter(|(_, p)| p.is_predicted()) {
            *states.entry(&e.state).or_default() |= e.finding.is_heard();
        }
        Ok(Self { model, prepared, states })
    }

    /// Log-likelihood of all evidence under each of some pairs.
    fn logs(&self, numbers: &[[HypIx; 2]]) -> Result<Vec<f64>, ModelError> {
        let model = self.model;
        let predicted: BTreeMap<&OperatingState, Vec<Arc<Snapshot>>> = self
            .states
            .iter()
            .map(|(state, heard)| (*state, model.pairs(state, numbers, *heard)))
            .collect();
        let of = |p: &Prepared<'_>| {
            p.under_pairs(model, numbers, predicted.get(p.state).map(Vec::as_slice))
        };
        let logs = self.prepared.par_iter().map(of).collect::<Result<Vec<_>, ModelError>>()?;
        // Added in sorted order, so that the order of the evidence does not matter.
        let sum = |k: usize| {
            let mut of: Vec<f64> = logs.iter().map(|l| l[k]).collect();
            of.sort_by(f64::total_cmp);
            of.iter().sum::<f64>()
        };
        Ok((0..numbers.len()).map(sum).collect())
    }
}
