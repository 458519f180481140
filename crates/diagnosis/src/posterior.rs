//! Weighing: prior times likelihood, over hypotheses, over pairs of them and over repair items.

use crate::evidence::{Evidence, Likelihood, Moment, Present, THERE_BY_CHANCE, TURNS, moments};
use crate::left_out::LeftOut;
use crate::model::{HypIx, ItemIx, Model, ModelError};
use crate::number::{At, Readings};
use crate::pairs::{self, Pair};
use crate::prior::Priors;
use rayon::prelude::*;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, OnceLock};
use vehicle::TiVec;

/// Probability above which a suspect is to be proven instead of searched for.
pub const CERTAIN: f64 = 0.95;
/// Share of "not in this vehicle file" before any evidence: cavities exchanged by an earlier repair, what
/// somebody added, a diagram of another year.
const ELSEWHERE_PRIOR: f64 = 0.01;

/// Share of what "not in this vehicle file" does that the fault of the file it is most like would not do.
pub(crate) const UNFORESEEN: f64 = 0.6;

/// Share of "not in this vehicle file" from which on no single fault is taken to explain it all,
/// and pairs are tried.
const PAIRS_FROM: f64 = 0.05;

/// Probabilities after some evidence.
#[derive(Debug, Clone)]
pub struct Posterior {
    /// Probability of each hypothesis and, last, of "not in this vehicle file".
    pub hypotheses: TiVec<HypIx, f64>,
    /// How much of each hypothesis' probability is that it comes and goes.
    pub wavering: TiVec<HypIx, f64>,
    /// Pairs of faults, likeliest first; empty while a single one explains the evidence.
    pub pairs: Vec<Pair>,
    /// Probability that each repair item is at fault, in the order of [`Model::items`]; with pairs
    /// they add up to more than one.
    pub items: TiVec<ItemIx, f64>,
    /// The evidence, sorted into moments.
    pub moments: Vec<Moment>,
    /// Log of the evidence's probability under the whole model.
    pub surprise: f64,
    /// Which fault of the file what is not in it is most like: a share of each hypothesis.
    pub(crate) alike: Arc<TiVec<HypIx, f64>>,
    /// Where the numbers of hypotheses lie that readings tell the number of.
    pub(crate) numbers: Arc<HashMap<HypIx, At>>,
    /// Logs of the weights, not normalised.
    logs: TiVec<HypIx, f64>,
    /// What it was weighed from, and what is believed without each piece of that.
    basis: Arc<Basis>,
}

/// See [`Posterior::left_out`].
#[derive(Debug, Default)]
struct Basis {
    weighed: Option<Weighed>,
    left_out: OnceLock<LeftOut>,
}

/// Something that can be wrong, as far as it still matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Explains {
    /// A hypothesis, by its number.
    Fault(HypIx),
    /// A pair, by its number in [`Posterior::pairs`].
    Pair(usize),
    /// Not in this vehicle file.
    Elsewhere,
}

/// What is to be mended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Repair {
    /// A repair item.
    One(ItemIx),
    /// Two of them, the lower number first.
    Both(ItemIx, ItemIx),
}

/// What still matters.
#[derive(Debug, Clone, Copy)]
pub struct Live {
    /// What is wrong.
    pub what: Explains,
    /// Its probability.
    pub p: f64,
    /// What it calls for.
    pub repair: Repair,
    /// Chance that the fault is there at the next check; less than one for those that come and go.
    pub there: f64,
}

/// Logarithms are added as whole multiples of this, so that the order of the evidence cannot
/// matter even in the last bit.
const STEP: f64 = 1.0 / (1u64 << 36) as f64;
/// What is this much less likely than the likeliest by each reading alone is not helped by all of them
/// agreeing upon a number, natural log.
const HOPELESS: f64 = 30.0;
/// Hypotheses weighed at once by one core.
const A_PIECE: usize = 2048;
/// What is less likely than this is impossible.
const LEAST_LOG: f64 = -1e5;

fn steps(log: f64) -> i64 {
    (log.max(LEAST_LOG) / STEP).round() as i64
}

impl Posterior {
    /// Weighs all evidence, with nothing known beside it but what it tells of. The order does not matter.
    ///
    /// # Errors
    /// [`ModelError`] for evidence that does not fit the vehicle.
    pub fn new(model: &Model, evidence: &[Evidence]) -> Result<Self, ModelError> {
        Self::given(model, &Priors::told(model, evidence), evidence)
    }

    /// Weighs all evidence with what was known before.
    ///
    /// # Errors
    /// [`ModelError`] for evidence that does not fit the vehicle.
    pub fn given(
        model: &Model,
        priors: &Priors,
        evidence: &[Evidence],
    ) -> Result<Self, ModelError> {
        let mut posterior = Self::weigh(model, priors, moments(model, evidence)?);
        let elsewhere = posterior.items.last().copied().unwrap_or(0.0);
        if elsewhere > PAIRS_FROM && evidence.len() > 1 {
            let best = posterior.best_log();
            let agreed = |chosen: &[HypIx]| match &posterior.basis.weighed {
                Some(weighed) => weighed.agreed(model, chosen),
                None => HashMap::new(),
            };
            let pairs = pairs::best(model, priors, evidence, &posterior.moments, best, agreed)?;
            posterior.take_in(model, &pairs);
        }
        Ok(posterior)
    }

    /// Weighs evidence whose likelihoods are known already, single faults only.
    pub fn weigh(model: &Model, priors: &Priors, moments: Vec<Moment>) -> Self {
        let weighed = Weighed::of(model, moments);
        let posterior = weighed.posterior(model, priors, None);
        let moments = weighed.moments.clone();
        let basis = Basis { weighed: Some(weighed), left_out: OnceLock::new() };
        Self { moments, basis: Arc::new(basis), ..posterior }
    }

    /// What is believed without each piece of the evidence, by the priors it was weighed with; worked out
    /// once.
    pub fn left_out(&self, model: &Model, priors: &Priors) -> &LeftOut {
        self.basis.left_out.get_or_init(|| match &self.basis.weighed {
            Some(weighed) => LeftOut::of(model, priors, weighed),
            None => LeftOut::of(model, priors, &Weighed::of(model, self.moments.clone())),
        })
    }

    /// Normalises, with some pairs beside the hypotheses.
    fn take_in(&mut self, model: &Model, pairs: &[Pair]) {
        // A fresh share of each that comes and goes, relative to its hypothesis.
        let share: TiVec<HypIx, f64> = match self.hypotheses.is_empty() {
            true => std::mem::take(&mut self.wavering),
            false => {
                let of = |(w, p): (&f64, &f64)| if *p > 0.0 { w / p } else { 0.0 };
                self.wavering.iter().zip(&self.hypotheses).map(of).collect()
            }
        };
        let all = self.logs.iter().chain(pairs.iter().map(|p| &p.log));
        let most = all.clone().copied().fold(f64::NEG_INFINITY, f64::max);
        let sum: f64 = all.map(|l| (l - most).exp()).sum();
        let of = |log: f64| (log - most).exp() / sum;
        self.hypotheses = self.logs.iter().map(|l| of(*l)).collect();
        self.wavering = share.iter().zip(&self.hypotheses).map(|(s, p)| s * p).collect();
        self.pairs = pairs.iter().map(|p| Pair { p: of(p.log), ..*p }).collect();
        self.surprise = most + sum.ln();
        self.items = vec![0.0; model.items.len()].into();
        let elsewhere = model.elsewhere();
        for (h, p) in self.hypotheses.iter_enumerated() {
            self.items[model.item_of.get(h).copied().unwrap_or(elsewhere)] += p;
        }
        for pair in &self.pairs {
            self.items[model.item_of[pair.a]] += pair.p;
            self.items[model.item_of[pair.b]] += pair.p;
        }
    }

    pub(crate) fn pairs_of(&self, model: &Model, item: ItemIx) -> f64 {
        let of = |p: &&Pair| model.item_of[p.a] == item || model.item_of[p.b] == item;
        self.pairs.iter().filter(of).map(|p| p.p).sum()
    }

    /// Log of the likeliest explanation's weight, not normalised.
    fn best_log(&self) -> f64 {
        self.logs.iter().copied().fold(f64::NEG_INFINITY, f64::max)
    }

    /// Items from the likeliest down.
    pub fn ranking(&self) -> Vec<(ItemIx, f64)> {
        let mut ranked: Vec<(ItemIx, f64)> =
            self.items.iter_enumerated().map(|(k, p)| (k, *p)).collect();
        ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        ranked
    }

    /// Everything that still matters: at least `least` times as likely as the likeliest.
    pub fn live(&self, model: &Model, least: f64, present: Present) -> Vec<Live> {
        let active = match present {
            Present::Yes => 1.0 - TURNS,
            Present::No => TURNS,
            Present::Unknown => THERE_BY_CHANCE,
        };
        let most = self.hypotheses.iter().copied().fold(0.0, f64::max);
        let most = self.pairs.iter().map(|p| p.p).fold(most, f64::max);
        let elsewhere = model.elsewhere();
        let mut live: Vec<Live> = self
            .hypotheses
            .iter_enumerated()
            .filter(|(_, p)| **p > least * most)
            .map(|(h, p)| match model.item_of.get(h) {
                Some(item) => Live {
                    what: Explains::Fault(h),
                    p: *p,
                    repair: Repair::One(*item),
                    there: 1.0 - (1.0 - active) * self.wavering[h] / p,
                },
                None => Live {
                    what: Explains::Elsewhere,
                    p: *p,
                    repair: Repair::One(elsewhere),
                    there: 1.0,
                },
            })
            .collect();
        for (k, pair) in self.pairs.iter().enumerate().filter(|(_, x)| x.p > least * most) {
            let (a, b) = (model.item_of[pair.a], model.item_of[pair.b]);
            let repair = Repair::Both(a.min(b), a.max(b));
            live.push(Live { what: Explains::Pair(k), p: pair.p, repair, there: 1.0 });
        }
        live
    }

    /// The likeliest hypothesis of an item.
    pub fn best_of(&self, model: &Model, item: ItemIx) -> Option<HypIx> {
        let own = model.variants(item);
        let in_pairs = |h: HypIx| -> f64 {
            self.pairs.iter().filter(|p| p.a == h || p.b == h).map(|p| p.p).sum()
        };
        let weight = |h: &HypIx| self.hypotheses[*h] + in_pairs(*h);
        own.iter().copied().max_by(|a, b| weight(a).total_cmp(&weight(b)))
    }

    /// How a hypothesis' probability is shared: the part of it that comes and goes, 0 to 1.
    pub fn share_wavering(&self, h: HypIx) -> f64 {
        match self.hypotheses.get(h) {
            Some(p) if *p > 0.0 => self.wavering[h] / p,
            _ => 0.0,
        }
    }
}

/// Evidence weighed piece by piece, so that any one piece can be taken out again.
#[derive(Debug)]
pub(crate) struct Weighed {
    pub(crate) moments: Vec<Moment>,
    /// What each adds to what leaves it alone.
    aside: Vec<Aside>,
    readings: Readings,
    /// What all moments add to each hypothesis: as it is steadily there, as it comes and goes, and to what
    /// is not in the file but much like it.
    sums: TiVec<HypIx, [i64; 3]>,
}

impl Weighed {
    /// What agreeing upon a number adds to each of some hypotheses that are there, natural log; nothing
    /// where it would take something: what speaks against the number may be another fault.
    fn agreed(&self, model: &Model, chosen: &[HypIx]) -> HashMap<HypIx, f64> {
        let chosen: BTreeSet<HypIx> = chosen.iter().copied().collect();
        let all = self.readings.agree(&model.grids, None, |h| chosen.contains(&h));
        all.into_iter().map(|(h, agreed)| (h, agreed.steady.max(0.0))).collect()
    }
    /// Of evidence sorted into moments.
    pub(crate) fn of(model: &Model, moments: Vec<Moment>) -> Self {
        let came_for = came_for(&moments);
        let aside: Vec<Aside> =
            moments.iter().zip(came_for).map(|(m, came_for)| Aside::of(m, came_for)).collect();
        let sum = |h: HypIx| {
            let of = |sum: [i64; 3], (moment, aside)| plus(sum, adds(moment, h, aside));
            moments.iter().zip(&aside).fold([0; 3], of)
        };
        let all = (0..model.faults.len()).into_par_iter().with_min_len(A_PIECE);
        let sums: Vec<_> = all.map(|h| sum(h.into())).collect();
        Self { readings: Readings::of(model, &moments), moments, aside, sums: sums.into() }
    }

    /// What is believed by all of it but one moment; the moments are not kept.
    pub(crate) fn posterior(
        &self,
        model: &Model,
        priors: &Priors,
        without: Option<usize>,
    ) -> Posterior {
        let n = self.sums.len();
        let left_out = without.map(|k| (&self.moments[k], &self.aside[k]));
        let sum = |h: HypIx| match &left_out {
            Some((moment, aside)) => plus(self.sums[h], adds(moment, h, aside).map(|x| -x)),
            None => self.sums[h],
        };
        let known = (1.0 - ELSEWHERE_PRIOR).ln();
        let weights = |h: HypIx, [steady, wavering, _]: [i64; 3]| {
            [(&priors.steady_log, steady), (&priors.wavering_log, wavering)]
                .map(|(prior, sum)| prior[h] + known + sum as f64 * STEP)
        };
        let all = (0..n).into_par_iter().with_min_len(A_PIECE);
        let of = |h: usize| {
            let h = HypIx::from(h);
            let sum = sum(h);
            let alike = (priors.steady[h] + priors.wavering[h]).ln() + sum[2] as f64 * STEP;
            (weights(h, sum), alike)
        };
        let (both, alike): (Vec<[f64; 2]>, Vec<f64>) = all.map(of).unzip();
        let mut both: TiVec<HypIx, [f64; 2]> = both.into();
        let likeliest = both.iter().map(|[s, w]| s.max(*w)).fold(f64::NEG_INFINITY, f64::max);
        let hopeful = |h: HypIx| both[h][0].max(both[h][1]) > likeliest - HOPELESS;
        let agreed = self.readings.agree(&model.grids, without, hopeful);
        for (h, agreed) in &agreed {
            let more = [steps(agreed.steady), steps(agreed.wavering), 0];
            both[*h] = weights(*h, plus(sum(*h), more));
        }
        let numbers = agreed.into_iter().map(|(h, agreed)| (h, agreed.at)).collect();
        // Of both ways the weightier counts as one, the other as a share of it.
        let together = |[s, w]: [f64; 2]| {
            let most = s.max(w);
            if !most.is_finite() {
                return (most, 0.0);
            }
            let less = (s.min(w) - most).exp();
            let share = if w > s { 1.0 } else { less } / (1.0 + less);
            (most + less.ln_1p(), share)
        };
        let both = both.raw.into_par_iter().with_min_len(A_PIECE);
        let (mut logs, wavering): (Vec<f64>, Vec<f64>) = both.map(together).unzip();
        let most = alike.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let mut alike: Vec<f64> = alike.iter().map(|log| (log - most).exp()).collect();
        let total: f64 = alike.iter().sum();
        alike.iter_mut().for_each(|share| *share /= total);
        logs.push(ELSEWHERE_PRIOR.ln() + most + total.ln());
        let mut posterior = Posterior {
            hypotheses: TiVec::new(),
            wavering: wavering.into(),
            pairs: Vec::new(),
            items: TiVec::new(),
            moments: Vec::new(),
            surprise: 0.0,
            alike: Arc::new(alike.into()),
            numbers: Arc::new(numbers),
            logs: logs.into(),
            basis: Arc::default(),
        };
        posterior.take_in(model, &[]);
        posterior
    }
}

fn plus(a: [i64; 3], b: [i64; 3]) -> [i64; 3] {
    [a[0] + b[0], a[1] + b[1], a[2] + b[2]]
}

/// What a moment adds to hypotheses that leave it alone.
#[derive(Debug)]
struct Aside {
    /// See [`Weighed::sums`].
    adds: [i64; 3],
    /// It is what the vehicle came for.
    came_for: bool,
}

impl Aside {
    fn of(moment: &Moment, came_for: bool) -> Self {
        let l = &moment.likelihood;
        let away = l.away;
        Self { adds: [away, away, alike(l, away, came_for)].map(steps), came_for }
    }
}

/// Which moments are what the vehicle came for. Where nobody said so it is the clearest symptom: what some
/// fault makes most likely against a sound vehicle.
fn came_for(moments: &[Moment]) -> Vec<bool> {
    if moments.iter().any(|m| m.complaint) {
        return moments.iter().map(|m| m.complaint).collect();
    }
    let clear = |m: &Moment| {
        let l = &m.likelihood;
        steps(l.there.iter().copied().fold(l.away, f64::max) - l.away)
    };
    let clear: Vec<i64> = moments.par_iter().map(clear).collect();
    let most = clear.iter().copied().max();
    clear.into_iter().map(|c| Some(c) == most).collect()
}

/// What a moment adds to a hypothesis, see [`Weighed::sums`].
fn adds(moment: &Moment, h: HypIx, aside: &Aside) -> [i64; 3] {
    let l = &moment.likelihood;
    let there = l.there[h];
    match there == l.away && l.wavering.is_none() {
        true => aside.adds,
        false => [there, l.wavering(h, moment.present), alike(l, there, aside.came_for)].map(steps),
    }
}

/// Log-likelihood under what is not in the file but much like a fault of it that makes a finding so likely
/// as `there` says: it often does what that fault does, and for the rest what nobody could know. What the
/// vehicle came for it does as surely as that fault: whatever is wrong was noticed by that.
fn alike(l: &Likelihood, there: f64, came_for: bool) -> f64 {
    if came_for {
        return there;
    }
    ((1.0 - UNFORESEEN) * there.exp() + UNFORESEEN * l.elsewhere.exp()).ln()
}

/// Shannon entropy of a distribution, bits; it need not be normalised.
pub fn entropy(weights: &[f64]) -> f64 {
    let total: f64 = weights.iter().sum();
    if total <= 0.0 {
        return 0.0;
    }
    weights.iter().filter(|w| **w > 0.0).map(|w| -(w / total) * (w / total).log2()).sum()
}
