//! Each piece of evidence left out in turn: what would be believed if it were wrong.

use crate::model::{HypIx, ItemIx, Model};
use crate::posterior::{Posterior, Weighed};
use crate::prior::Priors;
use rayon::prelude::*;
use vehicle::TiVec;

/// How likely a proven item still is without any one piece of evidence. Less than what makes it nearly
/// certain: one of the pieces left may be a probe that slipped, too.
const STANDS: f64 = 0.8;

/// What all evidence but one piece says, for each piece in turn; findings of one moment, as those of a
/// scan, are one piece.
#[derive(Debug, Clone)]
pub struct LeftOut {
    /// In the order of [`Posterior::moments`]; single faults only.
    pub without: Vec<Posterior>,
    /// Which of them are what the vehicle came for: nobody errs about that, so nothing hangs on it.
    firm: Vec<bool>,
    /// What all of it says if all things failed nearly alike.
    pub even: Posterior,
}

impl LeftOut {
    /// Of all evidence that was weighed.
    pub(crate) fn of(model: &Model, priors: &Priors, weighed: &Weighed) -> Self {
        let even = priors.even(model);
        let weigh = |k: usize| weighed.posterior(model, priors, Some(k));
        Self {
            without: (0..weighed.moments.len()).into_par_iter().map(weigh).collect(),
            firm: weighed.moments.iter().map(|m| m.complaint).collect(),
            even: weighed.posterior(model, &even, None),
        }
    }

    /// What can be wrong, with what is believed without it.
    fn doubtful(&self) -> impl Iterator<Item = (usize, &Posterior)> {
        self.without.iter().enumerate().filter(|(k, _)| !self.firm[*k])
    }

    /// The piece of evidence without which an item would stand worst, by its moment, and how it would
    /// stand then, 0 to 1. None without evidence.
    pub fn weakest(&self, item: ItemIx) -> Option<(usize, f64)> {
        let stands = self.doubtful().map(|(k, p)| (k, p.items[item]));
        stands.min_by(|a, b| a.1.total_cmp(&b.1))
    }

    /// How likely an item is when all things are taken to fail nearly alike, where it hangs on that more
    /// than on any piece of evidence.
    pub fn on_rates(&self, item: ItemIx) -> Option<f64> {
        let p = self.even.items[item];
        let worst = self.weakest(item).map_or(1.0, |(_, p)| p);
        (p <= STANDS && p < worst).then_some(p)
    }

    /// Whether an item is proven: any one piece of evidence could be wrong, and it would still lead by
    /// far; and so it would if such things failed no more often than others.
    pub fn proves(&self, item: ItemIx) -> bool {
        self.even.items[item] > STANDS && self.weakest(item).is_some_and(|(_, p)| p > STANDS)
    }

    /// What would be believed if the leading item were as likely as not and one piece of evidence,
    /// whichever, or the rates were wrong: what a proof has to stand against. `all` is what it was made of.
    pub fn challenged(&self, model: &Model, all: &Posterior, top: ItemIx) -> Posterior {
        let mut others: TiVec<HypIx, f64> = vec![0.0; all.hypotheses.len()].into();
        let mut wavering: TiVec<HypIx, f64> = vec![0.0; model.faults.len()].into();
        let is_top = |h: HypIx| model.item_of.get(h) == Some(&top);
        for without in self.doubtful().map(|(_, p)| p).chain([&self.even]) {
            // Where the leading item stands nevertheless little is left for others: what counts is the
            // piece of evidence that it hangs on.
            for (h, p) in without.hypotheses.iter_enumerated().filter(|(h, _)| !is_top(*h)) {
                others[h] += p;
                if let Some(w) = wavering.get_mut(h) {
                    *w += without.wavering[h];
                }
            }
        }
        let total: f64 = others.iter().sum::<f64>().max(f64::MIN_POSITIVE);
        let own: f64 = all.items[top] - all.pairs_of(model, top);
        let mut out = all.clone();
        out.pairs.clear();
        for (h, slot) in out.hypotheses.iter_mut_enumerated() {
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
