//! The exact optimum on circuits small enough to compute it.
//!
//! Every check divides what can be wrong by the outcome that each explanation makes most likely. The
//! cheapest plan to the last repair item is found by dynamic programming over all sets of what is
//! still possible, and what the engine's own rule would spend is computed on the same divisions.

use crate::evidence::Present;
use crate::model::Model;
use crate::next::candidates::{Candidate, Field, Here};
use crate::next::divide;
use crate::posterior::{Explains, Live, Posterior, Repair};
use std::collections::{BTreeMap, HashMap};
use vehicle::OperatingState;

/// Expected minutes to isolate the repair item, from one complaint.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Compared {
    /// Explanations that the first evidence left.
    pub explanations: usize,
    /// Checks that divide them.
    pub checks: usize,
    /// Of the cheapest possible plan, minutes.
    pub optimum: f64,
    /// Of the plan that information per minute makes, minutes.
    pub engine: f64,
}

/// Most explanations for which all sets are gone through.
const MOST: usize = 14;

/// A check as a division of explanations.
struct Division {
    minutes: f64,
    /// Outcome of each explanation.
    outcome: Vec<u8>,
}

struct Game<'a> {
    p: Vec<f64>,
    repair: Vec<Repair>,
    divisions: &'a [Division],
    optimum: HashMap<u32, f64>,
    engine: HashMap<u32, f64>,
}

impl Game<'_> {
    fn members(&self, set: u32) -> impl Iterator<Item = usize> {
        (0..self.p.len()).filter(move |k| set & (1 << k) != 0)
    }

    fn weight(&self, set: u32) -> f64 {
        self.members(set).map(|k| self.p[k]).sum()
    }

    /// Nothing left to tell apart: one repair item.
    fn is_done(&self, set: u32) -> bool {
        let mut items = self.members(set).map(|k| self.repair[k]);
        let first = items.next();
        items.all(|i| Some(i) == first)
    }

    fn parts(&self, set: u32, division: &Division) -> Vec<u32> {
        let mut parts: Vec<(u8, u32)> = Vec::new();
        for k in self.members(set) {
            let outcome = division.outcome[k];
            match parts.iter_mut().find(|(o, _)| *o == outcome) {
                Some((_, part)) => *part |= 1 << k,
                None => parts.push((outcome, 1 << k)),
            }
        }
        parts.into_iter().map(|(_, part)| part).collect()
    }

    /// Expected minutes, times the weight of the set, of the cheapest plan.
    fn best(&mut self, set: u32) -> f64 {
        if self.is_done(set) {
            return 0.0;
        }
        if let Some(known) = self.optimum.get(&set) {
            return *known;
        }
        let mut least = f64::INFINITY;
        for d in 0..self.divisions.len() {
            let parts = self.parts(set, &self.divisions[d]);
            if parts.len() < 2 {
                continue;
            }
            let mut cost = self.divisions[d].minutes * self.weight(set);
            for part in parts {
                if cost >= least {
                    break;
                }
                cost += self.best(part);
            }
            least = least.min(cost);
        }
        // What no check divides is left together.
        let least = if least.is_finite() { least } else { 0.0 };
        self.optimum.insert(set, least);
        least
    }

    fn entropy(&self, set: u32) -> f64 {
        let mut by_item: BTreeMap<Repair, f64> = BTreeMap::new();
        for k in self.members(set) {
            *by_item.entry(self.repair[k]).or_default() += self.p[k];
        }
        crate::posterior::entropy(&by_item.into_values().collect::<Vec<_>>())
    }

    fn fall(&self, set: u32, d: usize) -> f64 {
        let total = self.weight(set);
        let parts = self.parts(set, &self.divisions[d]);
        if parts.len() < 2 {
            return 0.0;
        }
        let after: f64 =
            parts.iter().map(|part| self.weight(*part) / total * self.entropy(*part)).sum();
        self.entropy(set) - after
    }

    /// The same for information per minute, with the second step where the first ties.
    fn greedy(&mut self, set: u32) -> f64 {
        if self.is_done(set) {
            return 0.0;
        }
        if let Some(known) = self.engine.get(&set) {
            return *known;
        }
        let mut rated: Vec<(f64, usize)> = (0..self.divisions.len())
            .map(|d| (self.fall(set, d) / self.divisions[d].minutes, d))
            .filter(|(rate, _)| *rate > 1e-9)
            .collect();
        rated.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let Some(first) = rated.first().copied() else { return 0.0 };
        let ties: Vec<usize> = rated
            .iter()
            .take_while(|(rate, _)| *rate > crate::next::TIE * first.0)
            .map(|(_, d)| *d)
            .collect();
        let following: Vec<usize> =
            rated.iter().take(crate::next::FOLLOWING).map(|(_, d)| *d).collect();
        let two_steps = |d: usize| {
            let total = self.weight(set);
            let (mut bits, mut minutes) = (self.fall(set, d), self.divisions[d].minutes);
            for part in self.parts(set, &self.divisions[d]) {
                let chance = self.weight(part) / total;
                let best = following
                    .iter()
                    .map(|f| (self.fall(part, *f), self.divisions[*f].minutes))
                    .filter(|(bits, _)| *bits > 1e-9)
                    .max_by(|a, b| (a.0 / a.1).total_cmp(&(b.0 / b.1)));
                if let Some((more, longer)) = best {
                    bits += chance * more;
                    minutes += chance * longer;
                }
            }
            bits / minutes
        };
        let chosen = match ties.len() {
            1 => first.1,
            _ => ties
                .into_iter()
                .max_by(|a, b| two_steps(*a).total_cmp(&two_steps(*b)))
                .unwrap_or(first.1),
        };
        let mut cost = self.divisions[chosen].minutes * self.weight(set);
        for part in self.parts(set, &self.divisions[chosen]) {
            cost += self.greedy(part);
        }
        self.engine.insert(set, cost);
        cost
    }
}

/// Compares the engine's rule with the optimum after some evidence. Of each repair item only the
/// likeliest variants count, as many as fit.
pub fn compare(model: &Model, posterior: &Posterior) -> Option<Compared> {
    let mut live: Vec<Live> = posterior
        .live(model, 1e-3, Present::Yes)
        .into_iter()
        .filter(|l| matches!(l.what, Explains::Fault(_)))
        .collect();
    live.sort_by(|a, b| b.p.total_cmp(&a.p).then(a.repair.cmp(&b.repair)));
    live.truncate(MOST);
    if live.len() < 3 {
        return None;
    }
    let now = OperatingState::default();
    let here = Here::after(model, posterior, &[], &now);
    let field = Field::new(model, posterior, &live, here.clone(), Present::Yes);
    let candidates: Vec<Candidate> = crate::next::candidates::all(&field);
    let mut divisions: Vec<Division> = Vec::new();
    for c in &candidates {
        let Some(outcome) = divide(model, posterior, &live, c) else { continue };
        let minutes = c.minutes(model, &here);
        // Of checks that divide alike, the quickest.
        match divisions.iter_mut().find(|d| d.outcome == outcome) {
            Some(known) => known.minutes = known.minutes.min(minutes),
            None => divisions.push(Division { minutes, outcome }),
        }
    }
    let total: f64 = live.iter().map(|l| l.p).sum();
    let mut game = Game {
        p: live.iter().map(|l| l.p / total).collect(),
        repair: live.iter().map(|l| l.repair).collect(),
        divisions: &divisions,
        optimum: HashMap::new(),
        engine: HashMap::new(),
    };
    let all = (1u32 << live.len()) - 1;
    Some(Compared {
        explanations: live.len(),
        checks: divisions.len(),
        optimum: game.best(all),
        engine: game.greedy(all),
    })
}
