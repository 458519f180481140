//! Weighing: prior times likelihood, over hypotheses and over repair items.

use crate::evidence::Evidence;
use crate::model::{Model, ModelError};

/// Share of "not in this vehicle file" before any evidence.
const ELSEWHERE_PRIOR: f64 = 0.005;

/// Share of what "not in this vehicle file" does that no fault of the file would do.
const UNFORESEEN: f64 = 0.2;

/// Probabilities after some evidence.
#[derive(Debug, Clone)]
pub struct Posterior {
    /// Probability of each hypothesis and, last, of "not in this vehicle file".
    pub hypotheses: Vec<f64>,
    /// Probability of each repair item, in the order of [`Model::items`].
    pub items: Vec<f64>,
    /// Log-likelihoods of each piece of evidence.
    pub likelihoods: Vec<Vec<f64>>,
    /// Log of the evidence's probability under the whole model, per piece of evidence added.
    pub surprise: f64,
}

impl Posterior {
    /// Weighs all evidence. The order does not matter.
    ///
    /// # Errors
    /// [`ModelError`] for evidence that does not fit the vehicle.
    pub fn new(model: &Model, evidence: &[Evidence]) -> Result<Self, ModelError> {
        let likelihoods =
            evidence.iter().map(|e| e.log_likelihoods(model)).collect::<Result<Vec<_>, _>>()?;
        let total: f64 = model.faults.iter().map(|f| f.prior).sum();
        let likelihoods = likelihoods.into_iter().map(|l| like_others(model, total, l)).collect();
        Ok(Self::weigh(model, likelihoods))
    }

    /// Weighs evidence whose likelihoods are known already.
    pub fn weigh(model: &Model, likelihoods: Vec<Vec<f64>>) -> Self {
        let total: f64 = model.faults.iter().map(|f| f.prior).sum();
        let mut logs: Vec<f64> =
            model.faults.iter().map(|f| (f.prior / total * (1.0 - ELSEWHERE_PRIOR)).ln()).collect();
        logs.push(ELSEWHERE_PRIOR.ln());
        // Summed in sorted order, so that the order of the evidence cannot matter even in the last bit.
        let mut column = vec![0.0; likelihoods.len()];
        for (h, log) in logs.iter_mut().enumerate() {
            for (value, l) in column.iter_mut().zip(&likelihoods) {
                *value = l[h];
            }
            column.sort_by(f64::total_cmp);
            *log += column.iter().sum::<f64>();
        }
        let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let sum: f64 = logs.iter().map(|l| (l - most).exp()).sum();
        let hypotheses: Vec<f64> = logs.iter().map(|l| (l - most).exp() / sum).collect();
        let mut items = vec![0.0; model.items.len()];
        for (h, p) in hypotheses.iter().enumerate() {
            items[model.item_of.get(h).copied().unwrap_or(model.items.len() - 1)] += p;
        }
        Self { hypotheses, items, likelihoods, surprise: most + sum.ln() }
    }

    /// Items from the likeliest down.
    pub fn ranking(&self) -> Vec<(usize, f64)> {
        let mut ranked: Vec<(usize, f64)> = self.items.iter().copied().enumerate().collect();
        ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        ranked
    }

    /// Hypotheses that still matter, with their probability, and the number of the item of each.
    pub fn live(&self, model: &Model, least: f64) -> Vec<(usize, f64, usize)> {
        let most = self.hypotheses.iter().copied().fold(0.0, f64::max);
        let elsewhere = model.items.len() - 1;
        self.hypotheses
            .iter()
            .enumerate()
            .filter(|(_, p)| **p > least * most)
            .map(|(h, p)| (h, *p, model.item_of.get(h).copied().unwrap_or(elsewhere)))
            .collect()
    }

    /// The likeliest hypothesis of an item.
    pub fn best_of(&self, model: &Model, item: usize) -> Option<usize> {
        (0..model.faults.len())
            .filter(|h| model.item_of[*h] == item)
            .max_by(|a, b| self.hypotheses[*a].total_cmp(&self.hypotheses[*b]))
    }
}

/// An unknown fault mostly does what some fault of this vehicle would do to a finding, each
/// weighed by its prior; only for the rest it predicts nothing at all.
fn like_others(model: &Model, total: f64, mut likelihood: Vec<f64>) -> Vec<f64> {
    let of_any: f64 =
        model.faults.iter().zip(&likelihood).map(|(f, l)| f.prior / total * l.exp()).sum();
    if let Some(last) = likelihood.last_mut() {
        *last = (UNFORESEEN * last.exp() + (1.0 - UNFORESEEN) * of_any).ln();
    }
    likelihood
}

/// Shannon entropy of a distribution, bits; it need not be normalised.
pub fn entropy(weights: &[f64]) -> f64 {
    let total: f64 = weights.iter().sum();
    if total <= 0.0 {
        return 0.0;
    }
    weights.iter().filter(|w| **w > 0.0).map(|w| -(w / total) * (w / total).log2()).sum()
}
