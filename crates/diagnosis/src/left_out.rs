//! Each piece of evidence left out in turn: what would be believed if it were wrong.

use crate::model::Model;
use crate::posterior::{CERTAIN, Posterior};
use crate::prior::Priors;
use rayon::prelude::*;

/// What all evidence but one piece says, for each piece in turn; findings of one moment, as those of a
/// scan, are one piece.
#[derive(Debug, Clone)]
pub struct LeftOut {
    /// In the order of [`Posterior::moments`]; single faults only.
    pub without: Vec<Posterior>,
}

impl LeftOut {
    /// Of all evidence that a posterior was made from.
    pub fn of(model: &Model, priors: &Priors, posterior: &Posterior) -> Self {
        let weigh = |k: usize| {
            let mut rest = posterior.moments.clone();
            rest.remove(k);
            Posterior::weigh(model, priors, rest)
        };
        Self { without: (0..posterior.moments.len()).into_par_iter().map(weigh).collect() }
    }

    /// The piece of evidence without which an item would stand worst, by its moment, and how it would
    /// stand then, 0 to 1. None without evidence.
    pub fn weakest(&self, item: usize) -> Option<(usize, f64)> {
        let stands = self.without.iter().map(|p| p.items[item]).enumerate();
        stands.min_by(|a, b| a.1.total_cmp(&b.1))
    }

    /// Whether an item is proven: any one piece of evidence could be wrong, and it would still be
    /// nearly certain.
    pub fn proves(&self, item: usize) -> bool {
        self.weakest(item).is_some_and(|(_, p)| p > CERTAIN)
    }

    /// What would be believed if the leading item were as likely as not and one piece of evidence,
    /// whichever, were wrong: what a proof has to stand against. `all` is what it was made of.
    pub fn challenged(&self, model: &Model, all: &Posterior, top: usize) -> Posterior {
        let mut others = vec![0.0; all.hypotheses.len()];
        let mut wavering = vec![0.0; model.faults.len()];
        let is_top = |h: usize| model.item_of.get(h) == Some(&top);
        for without in &self.without {
            let left: f64 = 1.0 - without.items[top];
            for (h, p) in without.hypotheses.iter().enumerate().filter(|(h, _)| !is_top(*h)) {
                others[h] += p / left.max(f64::MIN_POSITIVE);
                if let Some(w) = wavering.get_mut(h) {
                    *w += without.wavering[h] / left.max(f64::MIN_POSITIVE);
                }
            }
        }
        let total: f64 = others.iter().sum();
        let own: f64 = all.items[top] - all.pairs_of(model, top);
        let mut out = all.clone();
        out.pairs.clear();
        for (h, slot) in out.hypotheses.iter_mut().enumerate() {
            let (p, w) = match is_top(h) {
                true => (all.hypotheses[h] / own, all.wavering[h] / own),
                false => (others[h] / total, wavering.get(h).copied().unwrap_or(0.0) / total),
            };
            *slot = 0.5 * p;
            if let Some(slot) = out.wavering.get_mut(h) {
                *slot = 0.5 * w;
            }
        }
        out
    }
}
