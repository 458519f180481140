//! Given checks weighed by themselves.

use super::candidates::Candidate;
use super::value::Scales;
use super::{
    Ask, Outcome, Ranked, WORTHLESS_BITS, heads, likeliest, live_of, rank, ranked_of, solve_ahead,
};
use crate::posterior::Live;

/// A check weighed by itself, with what its outcomes would mean.
#[derive(Debug, Clone)]
pub(crate) struct Weighed {
    pub(crate) ranked: Ranked,
    pub(crate) outcomes: Vec<Outcome>,
}

/// The likeliest way each suspect is wrong: what given checks are weighed by.
pub(crate) fn likeliest_ways(ask: &Ask<'_>) -> Vec<Live> {
    heads(&likeliest(&live_of(ask)))
}

/// Weighs given checks one by one.
pub(crate) struct Weigher<'a> {
    ask: &'a Ask<'a>,
    rough: &'a [Live],
    scales: Scales<'a>,
}

impl<'a> Weigher<'a> {
    pub(crate) fn new(ask: &'a Ask<'a>, rough: &'a [Live]) -> Self {
        let scales = Scales::new(ask.model, ask.posterior, rough);
        Self { ask, rough, scales }
    }

    /// Weighs a check; none where it tells nothing.
    pub(crate) fn weigh(&self, candidate: Candidate) -> Option<Weighed> {
        let candidates = vec![candidate];
        solve_ahead(self.ask.model, &candidates, self.rough);
        let valued = rank(self.ask, &self.scales, WORTHLESS_BITS, None, 0.0, candidates);
        let valued = valued.into_iter().next()?;
        let outcomes = self.scales.outcomes(&valued.table);
        Some(Weighed { outcomes, ranked: ranked_of(valued) })
    }
}
