//! Given checks weighed by themselves.

use super::candidates::Candidate;
use super::value::Scales;
use super::{
    Ask, Outcome, Ranked, Valued, WORTHLESS_BITS, heads, likeliest, live_of, rank, ranked_of,
    solve_ahead,
};

/// A check weighed by itself, with what its outcomes would mean.
#[derive(Debug, Clone)]
pub(crate) struct Weighed {
    pub(crate) ranked: Ranked,
    pub(crate) outcomes: Vec<Outcome>,
}

/// Weighs given checks by the likeliest way each suspect is wrong, best first; those that tell nothing are
/// left out.
pub(crate) fn weigh(ask: &Ask<'_>, candidates: Vec<Candidate>) -> Vec<Weighed> {
    let rough = heads(&likeliest(&live_of(ask)));
    let scales = Scales::new(ask.model, ask.posterior, &rough);
    solve_ahead(ask.model, &candidates, &rough);
    let valued = rank(ask, &scales, WORTHLESS_BITS, None, 0.0, candidates);
    let weighed = |v: Valued| Weighed { outcomes: scales.outcomes(&v.table), ranked: ranked_of(v) };
    valued.into_iter().map(weighed).collect()
}
