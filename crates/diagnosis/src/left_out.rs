//! Each piece of evidence left out in turn: what would be believed if it were wrong.

use crate::model::Model;
use crate::next::CERTAIN;
use crate::posterior::Posterior;
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
}
