//! Numbers of faults: which hypotheses are the same fault with another number, and how far apart
//! their numbers lie.
//!
//! The truth lies between two numbers of a grid; so that it is not refuted by both, each covers half
//! the way to its neighbours.

use crate::model::HypIx;
use circuit::Fault;
use std::collections::HashMap;
use vehicle::{Item, TiSlice, TiVec};

/// How unsure a fault without a number is of what it does, as a share: the parts' tolerance.
pub(crate) const NO_NUMBER: f64 = 0.08;
/// How unsure a fault is whose grid is not known, as a share.
const SOME_NUMBER: f64 = 0.25;
/// Standard deviation that covers a step of a grid, as a share of the step's logarithm.
const PER_STEP: f64 = 0.3;
/// Most of it: beyond, values would be anything.
const MOST: f64 = 0.8;

/// A last step of less than this share leaves no more to come; else the next one may do as much again.
const ALL_THERE_IS: f64 = 0.1;
const MORE_TO_COME: f64 = 2.0;

/// Grids of a vehicle's hypotheses.
#[derive(Debug, Clone, Default)]
pub struct Grids {
    /// Number of the grid of each hypothesis; none where it has no number.
    pub of: TiVec<HypIx, Option<usize>>,
    /// How unsure each hypothesis is of its number, as a share.
    pub share: TiVec<HypIx, f64>,
    /// Natural logarithm of each hypothesis' number; 0 where it has none.
    pub at: TiVec<HypIx, f64>,
    /// Hypotheses of each grid, numbers rising.
    pub members: Vec<Vec<HypIx>>,
    /// The hypothesis with the same number at the other end of the same conductor.
    other_end: HashMap<HypIx, HypIx>,
}

/// How unsure a fault is of what it does where its grid is not at hand.
pub fn share_of(fault: &Fault) -> f64 {
    if fault.id.number.is_some() { SOME_NUMBER } else { NO_NUMBER }
}

/// Standard deviation of a spot that may lie anywhere between two ends, as a share of what lies between.
const ANYWHERE: f64 = 0.289;

impl Grids {
    /// How unsure a hypothesis is of a value because the spot lies anywhere between the ends of its
    /// conductor, one standard deviation; `value` is what is predicted under each.
    pub fn along(&self, h: HypIx, value: impl Fn(HypIx) -> f64) -> f64 {
        let apart = self.other_end.get(&h).map(|other| (value(h) - value(*other)).abs());
        apart.filter(|apart| apart.is_finite()).map_or(0.0, |apart| ANYWHERE * apart)
    }

    /// How far any number of a grid moves something; `moved` says how far one of them does. Where the
    /// last number does hardly more than the one before it, that is all there is.
    pub fn furthest(&self, grid: usize, moved: impl Fn(HypIx) -> f64) -> f64 {
        let ends = match self.members[grid][..] {
            [a, b] => [(a, b), (b, a)],
            [a, b, .., y, z] => [(a, b), (z, y)],
            [a, b, c] => [(a, b), (c, b)],
            _ => return f64::INFINITY,
        };
        let [low, high] = ends.map(|(end, before)| (moved(end), moved(before)));
        let (end, before) = if low.0 > high.0 { low } else { high };
        match (end - before).abs() < ALL_THERE_IS * end {
            true => (1.0 + ALL_THERE_IS) * end,
            false => MORE_TO_COME * end,
        }
    }

    /// The numbers a hypothesis stands for: from half the way to the one below it up to half the way to
    /// the one above, as natural logarithms. None where it is the only one of its kind.
    pub fn cell(&self, h: HypIx) -> Option<(f64, f64)> {
        let members = &self.members[self.of[h]?];
        let k = members.iter().position(|m| *m == h)?;
        let half = |a: usize, b: usize| 0.5 * (self.at[members[b]] - self.at[members[a]]);
        let above = members.get(k + 1).map(|_| half(k, k + 1));
        let below = k.checked_sub(1).map(|j| half(j, k));
        let (below, above) = (below.or(above)?, above.or(below)?);
        Some((self.at[h] - below, self.at[h] + above))
    }

    /// The hypothesis with the number next above, or next below, or failing that on the other side.
    pub fn next(&self, h: HypIx, above: bool) -> Option<HypIx> {
        let members = &self.members[self.of[h]?];
        let k = members.iter().position(|m| *m == h)?;
        let (below, beyond) = (k.checked_sub(1).map(|j| members[j]), members.get(k + 1).copied());
        if above { beyond.or(below) } else { below.or(beyond) }
    }

    /// Of hypotheses in their order.
    pub fn of(faults: &TiSlice<HypIx, Fault>) -> Self {
        let mut grids = Self { share: faults.iter().map(share_of).collect(), ..Self::default() };
        let mut known: HashMap<(&Item, &str), usize> = HashMap::new();
        let mut numbers: TiVec<HypIx, f64> = vec![0.0; faults.len()].into();
        for (h, fault) in faults.iter_enumerated() {
            grids.of.push(fault.id.number.map(|number| {
                numbers[h] = number;
                let grid =
                    *known.entry((&fault.id.of, &fault.id.mode)).or_insert(grids.members.len());
                if grid == grids.members.len() {
                    grids.members.push(Vec::new());
                }
                grids.members[grid].push(h);
                grid
            }));
        }
        grids.other_end = ends(faults);
        grids.at = numbers.iter().map(|n: &f64| if *n > 0.0 { n.ln() } else { 0.0 }).collect();
        for members in &mut grids.members {
            members.sort_by(|a, b| numbers[*a].total_cmp(&numbers[*b]));
            let step = |a: HypIx, b: HypIx| (numbers[b] / numbers[a]).ln();
            for (k, h) in members.iter().enumerate() {
                let below = k.checked_sub(1).map(|j| step(members[j], *h));
                let above = members.get(k + 1).map(|j| step(*h, *j));
                let widest = below.into_iter().chain(above).fold(0.0, f64::max);
                if widest > 0.0 {
                    grids.share[*h] = (PER_STEP * widest).min(MOST);
                }
            }
        }
        grids
    }
}

/// Hypotheses that a conductor is chafed at one end with those that it is at the other.
fn ends(faults: &TiSlice<HypIx, Fault>) -> HashMap<HypIx, HypIx> {
    let key = |f: &Fault| Some((f.id.of.clone(), f.id.number?.to_bits()));
    let at = |mode: &'static str| faults.iter_enumerated().filter(move |(_, f)| f.id.mode == mode);
    let near: HashMap<_, HypIx> = at("ground").filter_map(|(h, f)| Some((key(f)?, h))).collect();
    let both = at("ground_far").filter_map(|(h, f)| Some((h, *near.get(&key(f)?)?)));
    both.flat_map(|(far, near)| [(far, near), (near, far)]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fault(id: &str) -> Fault {
        Fault {
            id: id.parse().unwrap(),
            repair_item: vehicle::Item::Elsewhere,
            prior: 1.0,
            text: String::new(),
            changes: Vec::new(),
        }
    }

    #[test]
    fn a_chafed_spot_may_lie_between_the_ends_that_were_tried() {
        let ids =
            ["wire:1:ground:2", "wire:1:ground:5", "wire:1:ground_far:2", "wire:2:ground_far:2"];
        let faults: TiVec<HypIx, Fault> = ids.iter().map(|id| fault(id)).collect();
        let grids = Grids::of(&faults);
        let along = |h| grids.along(h, |h| [1.0, 9.0, 2.0, 9.0][h.at()]);
        assert_eq!([0, 1, 2, 3].map(|h| along(HypIx(h))), [ANYWHERE, 0.0, ANYWHERE, 0.0]);
    }

    #[test]
    fn each_number_covers_the_way_to_its_neighbours() {
        let ids = ["wire:1:series:10", "wire:1:open", "wire:1:series:1", "wire:1:series:2.2"];
        let faults: TiVec<HypIx, Fault> = ids.iter().map(|id| fault(id)).collect();
        let grids = Grids::of(&faults);
        assert_eq!(grids.of.raw, [Some(0), None, Some(0), Some(0)]);
        assert_eq!(grids.members, [[2, 3, 0].map(HypIx)]);
        // ln 2.2 = 0.788 and ln (10 / 2.2) = 1.514, of the wider one three tenths.
        let expected = [0.454, 0.08, 0.2365, 0.454];
        // A divider that has given all it has, and one that has not.
        let moved = |all: [f64; 3]| move |h: HypIx| [all[2], 0.0, all[0], all[1]][h.at()];
        assert!((grids.furthest(0, moved([2.0, 9.5, 10.0])) - 11.0).abs() < 1e-9);
        assert!((grids.furthest(0, moved([1.0, 2.0, 9.0])) - 18.0).abs() < 1e-9);
        for (share, expected) in grids.share.iter().zip(expected) {
            assert!((share - expected).abs() < 1e-3, "{:?}", grids.share);
        }
    }
}
