//! Weighing: prior times likelihood, over hypotheses, over pairs of them and over repair items.

use crate::evidence::{Evidence, Likelihood, Moment, Present, THERE_BY_CHANCE, TURNS, moments};
use crate::left_out::LeftOut;
use crate::model::{Model, ModelError};
use crate::number::{At, Readings};
use crate::pairs::{self, Pair};
use crate::prior::Priors;
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::{Arc, OnceLock};

/// Probability above which a suspect is to be proven instead of searched for.
pub const CERTAIN: f64 = 0.95;
/// Share of "not in this vehicle file" before any evidence.
const ELSEWHERE_PRIOR: f64 = 0.002;

/// Share of what "not in this vehicle file" does that no fault of the file would do.
pub(crate) const UNFORESEEN: f64 = 0.1;

/// Share of "not in this vehicle file" from which on no single fault is taken to explain it all,
/// and pairs are tried.
const PAIRS_FROM: f64 = 0.02;

/// Probabilities after some evidence.
#[derive(Debug, Clone)]
pub struct Posterior {
    /// Probability of each hypothesis and, last, of "not in this vehicle file".
    pub hypotheses: Vec<f64>,
    /// How much of each hypothesis' probability is that it comes and goes.
    pub wavering: Vec<f64>,
    /// Pairs of faults, likeliest first; empty while a single one explains the evidence.
    pub pairs: Vec<Pair>,
    /// Probability that each repair item is at fault, in the order of [`Model::items`]; with pairs
    /// they add up to more than one.
    pub items: Vec<f64>,
    /// The evidence, sorted into moments.
    pub moments: Vec<Moment>,
    /// Log of the evidence's probability under the whole model.
    pub surprise: f64,
    /// Where the numbers of hypotheses lie that readings tell the number of.
    pub(crate) numbers: Arc<HashMap<usize, At>>,
    /// Logs of the weights, not normalised.
    logs: Vec<f64>,
    /// What it was weighed from, and what is believed without each piece of that.
    basis: Arc<Basis>,
}

/// See [`Posterior::left_out`].
#[derive(Debug, Default)]
struct Basis {
    weighed: Option<(Weighed, Vec<i64>)>,
    left_out: OnceLock<LeftOut>,
}

/// Something that can be wrong, as far as it still matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Explains {
    /// A hypothesis, by its number.
    Fault(usize),
    /// A pair, by its number in [`Posterior::pairs`].
    Pair(usize),
    /// Not in this vehicle file.
    Elsewhere,
}

/// What still matters.
#[derive(Debug, Clone, Copy)]
pub struct Live {
    /// What is wrong.
    pub what: Explains,
    /// Its probability.
    pub p: f64,
    /// Explanations with the same number call for the same repair: a repair item, or two of them.
    pub group: usize,
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
            let agreed = |chosen: &[usize]| match &posterior.basis.weighed {
                Some((weighed, _)) => weighed.agreed(model, chosen),
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
        let beyond = weighed.beyond(priors);
        let posterior = weighed.posterior(model, priors, &beyond, None);
        let moments = weighed.moments.clone();
        let basis = Basis { weighed: Some((weighed, beyond)), left_out: OnceLock::new() };
        Self { moments, basis: Arc::new(basis), ..posterior }
    }

    /// What is believed without each piece of the evidence, by the priors it was weighed with; worked out
    /// once.
    pub fn left_out(&self, model: &Model, priors: &Priors) -> &LeftOut {
        self.basis.left_out.get_or_init(|| match &self.basis.weighed {
            Some((weighed, beyond)) => LeftOut::of(model, priors, weighed, beyond),
            None => {
                let weighed = Weighed::of(model, self.moments.clone());
                LeftOut::of(model, priors, &weighed, &weighed.beyond(priors))
            }
        })
    }

    /// Normalises, with some pairs beside the hypotheses.
    fn take_in(&mut self, model: &Model, pairs: &[Pair]) {
        // A fresh share of each that comes and goes, relative to its hypothesis.
        let share: Vec<f64> = match self.hypotheses.is_empty() {
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
        self.items = vec![0.0; model.items.len()];
        let elsewhere = model.items.len() - 1;
        for (h, p) in self.hypotheses.iter().enumerate() {
            self.items[model.item_of.get(h).copied().unwrap_or(elsewhere)] += p;
        }
        for pair in &self.pairs {
            self.items[model.item_of[pair.a]] += pair.p;
            self.items[model.item_of[pair.b]] += pair.p;
        }
    }

    pub(crate) fn pairs_of(&self, model: &Model, item: usize) -> f64 {
        let of = |p: &&Pair| model.item_of[p.a] == item || model.item_of[p.b] == item;
        self.pairs.iter().filter(of).map(|p| p.p).sum()
    }

    /// Log of the likeliest explanation's weight, not normalised.
    fn best_log(&self) -> f64 {
        self.logs.iter().copied().fold(f64::NEG_INFINITY, f64::max)
    }

    /// Items from the likeliest down.
    pub fn ranking(&self) -> Vec<(usize, f64)> {
        let mut ranked: Vec<(usize, f64)> = self.items.iter().copied().enumerate().collect();
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
        let elsewhere = model.items.len() - 1;
        let mut live: Vec<Live> = self
            .hypotheses
            .iter()
            .enumerate()
            .filter(|(_, p)| **p > least * most)
            .map(|(h, p)| match model.item_of.get(h) {
                Some(item) => Live {
                    what: Explains::Fault(h),
                    p: *p,
                    group: *item,
                    there: 1.0 - (1.0 - active) * self.wavering[h] / p,
                },
                None => Live { what: Explains::Elsewhere, p: *p, group: elsewhere, there: 1.0 },
            })
            .collect();
        let mut groups: BTreeMap<(usize, usize), usize> = BTreeMap::new();
        for (k, pair) in self.pairs.iter().enumerate().filter(|(_, x)| x.p > least * most) {
            let (a, b) = (model.item_of[pair.a], model.item_of[pair.b]);
            let next = model.items.len() + groups.len();
            let group = *groups.entry((a.min(b), a.max(b))).or_insert(next);
            live.push(Live { what: Explains::Pair(k), p: pair.p, group, there: 1.0 });
        }
        live
    }

    /// The likeliest hypothesis of an item.
    pub fn best_of(&self, model: &Model, item: usize) -> Option<usize> {
        let own = model.variants(item);
        let in_pairs = |h: usize| -> f64 {
            self.pairs.iter().filter(|p| p.a == h || p.b == h).map(|p| p.p).sum()
        };
        let weight = |h: &usize| self.hypotheses[*h] + in_pairs(*h);
        own.iter().copied().max_by(|a, b| weight(a).total_cmp(&weight(b)))
    }

    /// How a hypothesis' probability is shared: the part of it that comes and goes, 0 to 1.
    pub fn share_wavering(&self, h: usize) -> f64 {
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
    readings: Readings,
    /// What all moments add to each hypothesis: as it is steadily there, and as it comes and goes.
    sums: Vec<[i64; 2]>,
}

impl Weighed {
    /// What agreeing upon a number adds to each of some hypotheses that are there, natural log; nothing
    /// where it would take something: what speaks against the number may be another fault.
    fn agreed(&self, model: &Model, chosen: &[usize]) -> HashMap<usize, f64> {
        let chosen: BTreeSet<usize> = chosen.iter().copied().collect();
        let all = self.readings.agree(&model.grids, None, |h| chosen.contains(&h));
        all.into_iter().map(|(h, agreed)| (h, agreed.steady.max(0.0))).collect()
    }
    /// Of evidence sorted into moments.
    pub(crate) fn of(model: &Model, moments: Vec<Moment>) -> Self {
        let away: Vec<i64> = moments.iter().map(|m| steps(m.likelihood.away)).collect();
        let sum = |h: usize| {
            moments.iter().zip(&away).fold([0; 2], |[steady, wavering], (moment, away)| {
                let [s, w] = adds(moment, h, *away);
                [steady + s, wavering + w]
            })
        };
        let all = (0..model.faults.len()).into_par_iter().with_min_len(A_PIECE);
        let sums = all.map(sum).collect();
        Self { readings: Readings::of(model, &moments), moments, sums }
    }

    /// What each moment adds to what is not in the file.
    pub(crate) fn beyond(&self, priors: &Priors) -> Vec<i64> {
        let of = |moment: &Moment| {
            let l = &moment.likelihood;
            let away = l.away.exp();
            let mut beyond = Beyond::default();
            for (h, there) in l.there.iter().enumerate() {
                // Most hypotheses leave most findings alone.
                if *there == l.away && l.wavering.is_none() {
                    beyond.same += priors.steady[h] + priors.wavering[h];
                } else {
                    let there = there.exp();
                    let wavering = match (&l.wavering, moment.present) {
                        (Some(own), _) => own[h].exp(),
                        (None, Present::Yes) => there,
                        (None, Present::No) => away,
                        (None, Present::Unknown) => {
                            THERE_BY_CHANCE * there + (1.0 - THERE_BY_CHANCE) * away
                        }
                    };
                    beyond.other += priors.steady[h] * there + priors.wavering[h] * wavering;
                }
            }
            steps(beyond.log(l))
        };
        self.moments.par_iter().map(of).collect()
    }

    /// What is believed by all of it but one moment; the moments are not kept. `beyond` is by the same
    /// priors.
    pub(crate) fn posterior(
        &self,
        model: &Model,
        priors: &Priors,
        beyond: &[i64],
        without: Option<usize>,
    ) -> Posterior {
        let n = self.sums.len();
        let left_out = without.map(|k| (&self.moments[k], steps(self.moments[k].likelihood.away)));
        let sum = |h: usize| {
            let [s, w] = self.sums[h];
            let [less_s, less_w] = left_out.map_or([0; 2], |(m, away)| adds(m, h, away));
            [s - less_s, w - less_w]
        };
        let known = (1.0 - ELSEWHERE_PRIOR).ln();
        let weights = |h: usize, sum: [i64; 2]| {
            [(&priors.steady_log, sum[0]), (&priors.wavering_log, sum[1])]
                .map(|(prior, sum)| prior[h] + known + sum as f64 * STEP)
        };
        let all = (0..n).into_par_iter().with_min_len(A_PIECE);
        let mut both: Vec<[f64; 2]> = all.map(|h| weights(h, sum(h))).collect();
        let likeliest = both.iter().map(|[s, w]| s.max(*w)).fold(f64::NEG_INFINITY, f64::max);
        let hopeful = |h: usize| both[h][0].max(both[h][1]) > likeliest - HOPELESS;
        let agreed = self.readings.agree(&model.grids, without, hopeful);
        for (h, agreed) in &agreed {
            let [steady, wavering] = sum(*h);
            let more = [steady + steps(agreed.steady), wavering + steps(agreed.wavering)];
            both[*h] = weights(*h, more);
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
        let both = both.into_par_iter().with_min_len(A_PIECE);
        let (mut logs, wavering): (Vec<f64>, Vec<f64>) = both.map(together).unzip();
        let elsewhere = beyond.iter().enumerate().filter(|(k, _)| Some(*k) != without);
        let elsewhere: i64 = elsewhere.map(|(_, log)| log).sum();
        logs.push(ELSEWHERE_PRIOR.ln() + elsewhere as f64 * STEP);
        let mut posterior = Posterior {
            hypotheses: Vec::new(),
            wavering,
            pairs: Vec::new(),
            items: Vec::new(),
            moments: Vec::new(),
            surprise: 0.0,
            numbers: Arc::new(numbers),
            logs,
            basis: Arc::default(),
        };
        posterior.take_in(model, &[]);
        posterior
    }
}

/// What a moment adds to a hypothesis; `away` is what it adds to those that leave it alone.
fn adds(moment: &Moment, h: usize, away: i64) -> [i64; 2] {
    let l = &moment.likelihood;
    let there = l.there[h];
    match there == l.away && l.wavering.is_none() {
        true => [away; 2],
        false => [steps(there), steps(l.wavering(h, moment.present))],
    }
}

/// What an unknown fault makes of a finding: mostly what some fault of this vehicle would do, each
/// weighed by its prior; only for the rest it predicts nothing at all.
#[derive(Debug, Default)]
struct Beyond {
    /// Weight of what leaves the finding as on a sound vehicle.
    same: f64,
    /// Weight times likelihood of what does not.
    other: f64,
}

impl Beyond {
    fn log(&self, l: &Likelihood) -> f64 {
        let any = self.same * l.away.exp() + self.other;
        (UNFORESEEN * l.elsewhere.exp() + (1.0 - UNFORESEEN) * any).ln()
    }
}

/// Shannon entropy of a distribution, bits; it need not be normalised.
pub fn entropy(weights: &[f64]) -> f64 {
    let total: f64 = weights.iter().sum();
    if total <= 0.0 {
        return 0.0;
    }
    weights.iter().filter(|w| **w > 0.0).map(|w| -(w / total) * (w / total).log2()).sum()
}
