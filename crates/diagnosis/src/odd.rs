//! The odd one out: the piece of evidence without which the rest makes sense.

use crate::evidence::Evidence;
use crate::left_out::LeftOut;
use crate::model::{HypIx, Model};
use crate::posterior::Posterior;
use crate::words;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::Item;

/// A piece of evidence that does not fit the rest.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Odd {
    /// Number of the piece of evidence.
    pub evidence: usize,
    /// What it says, in words.
    pub text: String,
    /// Repair item that explains the rest.
    pub item: Item,
    /// In words.
    pub item_text: String,
    /// Its probability without the odd piece, 0 to 1.
    pub probability: f64,
}

/// Natural logarithm by which a piece must be less likely than what was expected of it to be odd: a
/// probe that missed is about as unlikely.
const ODD: f64 = 3.0;
/// How likely the rest must make its explanation.
const EXPLAINED: f64 = 0.5;

/// The oddest piece, when there is one: taken away, the rest is explained much better.
pub fn odd_one_out(
    model: &Model,
    evidence: &[Evidence],
    posterior: &Posterior,
    left_out: &LeftOut,
) -> Option<Odd> {
    if posterior.moments.len() < 3 {
        return None;
    }
    let mut best: Option<(f64, Odd)> = None;
    for (moment, without) in posterior.moments.iter().zip(&left_out.without) {
        let [piece] = moment.pieces[..] else { continue };
        let (top, probability) = without.ranking()[0];
        if model.items[top] == Item::Elsewhere || probability < EXPLAINED {
            continue;
        }
        // What leads with everything weighed may well be at ease with it.
        let leader = posterior.ranking()[0].0;
        let of = |h: &HypIx| posterior.hypotheses[*h] * moment.likelihood.there[*h].exp();
        let own: f64 = model.variants(leader).iter().map(|h| posterior.hypotheses[*h]).sum();
        let at_ease = (model.variants(leader).iter().map(of).sum::<f64>() / own).ln();
        // How surprising the piece is to whoever believes the rest, against what it is to anybody.
        let surprise = posterior.surprise - without.surprise;
        let usual = moment.likelihood.elsewhere.max(moment.likelihood.away);
        let expected = moment.likelihood.there.iter().copied().fold(usual, f64::max);
        if posterior.items[leader] > EXPLAINED && expected - at_ease < ODD {
            continue;
        }
        let oddness = expected - surprise;
        if oddness > ODD && best.as_ref().is_none_or(|(o, _)| oddness > *o) {
            let odd = Odd {
                evidence: piece,
                text: words::evidence(model, &evidence[piece]),
                item: model.items[top].clone(),
                item_text: model.item_text(&model.items[top]),
                probability,
            };
            best = Some((oddness, odd));
        }
    }
    best.map(|(_, odd)| odd)
}
