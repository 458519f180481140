//! What a check is worth: the expected fall of uncertainty over what would be repaired.
//!
//! One file per kind of check makes the [`Table`] of its outcomes.

mod agree;
mod effect;
mod hands;
mod reading;
mod scan;
mod table;
mod values;

use super::candidates::{Candidate, MOST_BINS, What};
use super::{Outcome, short};
use crate::evidence::reading::Unsure;
use crate::evidence::{ANYTHING, substituted};
use crate::grids::NO_NUMBER;
use crate::model::{HypIx, ItemIx, Model, Predictions, Snapshot};
use crate::posterior::{Explains, Live, Posterior, Repair, UNFORESEEN};
use crate::words;
use circuit::Change;
use std::collections::{HashMap, HashSet};
use std::hash::Hash;
use std::ops::Deref;
use std::sync::Arc;
pub(super) use table::Table;
use table::Words;

/// Chance that any outcome comes up for no reason.
const SLIP: f64 = 0.02;

/// Share of the suspicion from which on something is named among what a check sets apart.
const NAMED: f64 = 0.01;

/// Everything a check is weighed against.
pub(super) struct Scales<'a> {
    pub(super) model: &'a Model,
    pub(super) posterior: &'a Posterior,
    pub(super) live: &'a [Live],
    /// Number of each explanation's group, dense from 0.
    groups: Vec<usize>,
    count: usize,
    weights: Vec<f64>,
    /// Hypotheses whose predictions are used: those that are weighed, and some more that were solved for
    /// it. What else happens to be solved already must not matter, or the same evidence would be answered
    /// differently the second time.
    used: HashSet<HypIx>,
    /// A voltmeter's own load is reckoned with, wherever it matters.
    loaded: bool,
}

/// What is not in the file often shows what the faults show that it is like, and otherwise what nobody
/// could know. See [`Posterior::alike`].
struct Alike<'a> {
    posterior: &'a Posterior,
    sound: &'a [f64],
    /// Chance of each outcome where it is not like any fault of the file.
    otherwise: Vec<f64>,
    /// Share that is like explanations seen so far, and what these show.
    share: f64,
    shows: Vec<f64>,
}

impl<'a> Alike<'a> {
    fn of(posterior: &'a Posterior, sound: &'a [f64], otherwise: Vec<f64>) -> Self {
        Self { posterior, sound, otherwise, share: 0.0, shows: vec![0.0; sound.len()] }
    }

    /// Takes in the chance of each outcome under an explanation.
    fn take_in(&mut self, l: &Live, row: &[f64]) {
        let Explains::Fault(h) = l.what else { return };
        let share = self.posterior.alike[h];
        self.share += share;
        self.shows.iter_mut().zip(row).for_each(|(sum, x)| *sum += share * x);
    }

    /// The chance of each outcome, once all that it can be like is taken in; of the rest of that it is taken
    /// to leave the outcome as it is on a sound vehicle.
    fn row(&self) -> impl Iterator<Item = f64> {
        let as_sound = (1.0 - UNFORESEEN) * (1.0 - self.share);
        let all = self.shows.iter().zip(self.sound).zip(&self.otherwise);
        all.map(move |((x, sound), otherwise)| {
            (1.0 - UNFORESEEN) * x + as_sound * sound + UNFORESEEN * otherwise
        })
    }
}

/// Chance of each outcome under an unknown fault, which leaves it as on a sound vehicle or makes it anything.
fn unforeseen(sound: &[f64]) -> Vec<f64> {
    let anything = ANYTHING / sound.len() as f64;
    sound.iter().map(|s| (1.0 - ANYTHING) * s + anything).collect()
}

/// What explanations show, the weightiest first; of those that weigh alike the one that came up first, so that
/// always the same are listed.
fn by_weight<T: Clone + Eq + Hash>(shown: impl Iterator<Item = (T, f64)>) -> Vec<T> {
    let mut ranked: Vec<(T, f64)> = Vec::new();
    let mut number: HashMap<T, usize> = HashMap::new();
    for (shows, weight) in shown {
        let k = *number.entry(shows).or_insert_with_key(|shows| {
            ranked.push((shows.clone(), 0.0));
            ranked.len() - 1
        });
        ranked[k].1 += weight;
    }
    ranked.sort_by(|a, b| b.1.total_cmp(&a.1));
    ranked.into_iter().map(|(shows, _)| shows).collect()
}

/// A prediction, wherever it is kept.
enum Held<'a> {
    Here(&'a Snapshot),
    Shared(Arc<Snapshot>),
}

impl Deref for Held<'_> {
    type Target = Snapshot;
    fn deref(&self) -> &Snapshot {
        match self {
            Self::Here(s) => s,
            Self::Shared(s) => s,
        }
    }
}

/// Single faults among explanations.
pub(super) fn hypotheses(live: &[Live]) -> impl Iterator<Item = HypIx> {
    live.iter().filter_map(|l| if let Explains::Fault(h) = l.what { Some(h) } else { None })
}

impl<'a> Scales<'a> {
    pub(super) fn new(model: &'a Model, posterior: &'a Posterior, live: &'a [Live]) -> Self {
        let mut number: HashMap<Repair, usize> = HashMap::new();
        let groups: Vec<usize> = live
            .iter()
            .map(|l| {
                let next = number.len();
                *number.entry(l.repair).or_insert(next)
            })
            .collect();
        let total: f64 = live.iter().map(|l| l.p).sum();
        let weights = live.iter().map(|l| l.p / total).collect();
        let used = hypotheses(live).collect();
        Self { model, posterior, live, count: number.len(), groups, weights, used, loaded: false }
    }

    /// The same with predictions of some more hypotheses, which must be solved in the states asked about.
    pub(super) fn with(mut self, more: &[HypIx]) -> Self {
        self.used.extend(more);
        self
    }

    /// The same with a voltmeter's own load, which takes longer.
    pub(super) fn loaded(self) -> Self {
        Self { loaded: true, ..self }
    }

    /// With the explanations sorted into one item and all others: what tells whether it is that one.
    pub(super) fn whether(
        model: &'a Model,
        posterior: &'a Posterior,
        live: &'a [Live],
        top: ItemIx,
    ) -> Self {
        let mut scales = Self::new(model, posterior, live);
        scales.groups = live.iter().map(|l| usize::from(l.repair != Repair::One(top))).collect();
        scales.count = 2;
        scales
    }

    /// What an explanation predicts; with who is heard, as far as that was worked out, if wanted.
    fn snapshot<'p>(
        &self,
        p: &'p Predictions,
        c: &Candidate,
        l: &Live,
        heard: bool,
    ) -> Option<Held<'p>> {
        match l.what {
            Explains::Fault(h) if heard => p.heard(h).map(Held::Here),
            Explains::Fault(h) => p.fault(h).map(Held::Here),
            Explains::Pair(k) => {
                let pair = self.posterior.pairs.get(k)?;
                Some(Held::Shared(self.model.pair(&c.state, [pair.a, pair.b], heard)))
            }
            Explains::Elsewhere => None,
        }
    }

    /// How unsure an explanation is of a reading that it moves from `healthy`; `of` is what other
    /// hypotheses read.
    fn unsure(&self, l: &Live, healthy: f64, of: impl Fn(HypIx) -> f64) -> Unsure {
        let grids = &self.model.grids;
        match l.what {
            Explains::Fault(h) => {
                let moved = |h: HypIx| (of(h) - healthy).abs();
                let furthest = grids.of[h].map(|grid| grids.furthest(grid, moved));
                // Where the ends of the grid were not solved they seem to move nothing.
                let furthest = furthest.filter(|f| *f > moved(h)).unwrap_or(f64::INFINITY);
                Unsure { share: grids.share[h], furthest }
            }
            Explains::Pair(k) => Unsure::alone(
                self.posterior.pairs.get(k).map_or(0.0, |p| grids.share[p.a].max(grids.share[p.b])),
            ),
            Explains::Elsewhere => Unsure::alone(0.0),
        }
    }

    /// Hypotheses whose numbers stand beside those that are weighed, as far as earlier readings tell
    /// something of the number: to know what lies between them both are wanted.
    pub(super) fn beside(posterior: &Posterior, model: &Model, live: &[Live]) -> Vec<HypIx> {
        let next = |h: HypIx| {
            let at = posterior.numbers.get(&h)?;
            model.grids.next(h, at.shift > 0.0)
        };
        hypotheses(live).filter_map(next).collect()
    }

    /// What an explanation reads at the number that earlier readings have left it, and how unsure it
    /// still is of that, as a share; none where they tell nothing of the number, or where what the
    /// number next to it reads is not at hand.
    fn numbered(
        &self,
        l: &Live,
        value: f64,
        of: impl Fn(HypIx) -> Option<f64>,
    ) -> Option<(f64, f64)> {
        let Explains::Fault(h) = l.what else { return None };
        let at = self.posterior.numbers.get(&h)?;
        let next = self.model.grids.next(h, at.shift > 0.0)?;
        let slope = (of(next)? - value) / (self.model.grids.at[next] - self.model.grids.at[h]);
        let value = value + slope * at.shift;
        value.is_finite().then_some((value, NO_NUMBER.hypot(at.spread)))
    }

    /// Changes of the circuit that an explanation stands for.
    fn changes(&self, l: &Live) -> Vec<Change> {
        let of = |h: HypIx| self.model.faults[h].changes.iter().copied();
        match l.what {
            Explains::Fault(h) => of(h).collect(),
            Explains::Pair(k) => match self.posterior.pairs.get(k) {
                Some(p) => of(p.a).chain(of(p.b)).collect(),
                None => Vec::new(),
            },
            Explains::Elsewhere => Vec::new(),
        }
    }

    /// A table from the chance of each outcome with the fault there, and with nothing wrong.
    fn rows(
        &self,
        words: Words,
        sound: &[f64],
        slip: f64,
        there: impl FnMut(&Live, &mut Vec<f64>) -> bool,
    ) -> Table {
        self.rows_otherwise(words, sound, unforeseen(sound), slip, there)
    }

    /// The same with what an unknown fault does.
    fn rows_otherwise(
        &self,
        words: Words,
        sound: &[f64],
        otherwise: Vec<f64>,
        slip: f64,
        mut there: impl FnMut(&Live, &mut Vec<f64>) -> bool,
    ) -> Table {
        let n = words.len();
        let mut chances = Vec::with_capacity(n * self.live.len());
        let mut row = Vec::with_capacity(n);
        let mut alike = Alike::of(self.posterior, sound, otherwise);
        for l in self.live {
            row.clear();
            if !there(l, &mut row) {
                chances.extend(alike.row());
                continue;
            }
            alike.take_in(l, &row);
            chances.extend(row.iter().zip(sound).map(|(x, s)| {
                (l.there * x + (1.0 - l.there) * s) * (1.0 - slip) + slip / n as f64
            }));
        }
        Table { chances, words }
    }

    /// The outcomes of a check with their chances; none when it cannot tell anything.
    pub(super) fn table(&self, c: &Candidate) -> Option<Table> {
        match &c.what {
            What::Reading(probe) => self.reading(c, probe),
            What::Record(probe) => self.recorded(c, probe),
            What::Effect { part } => self.effect(c, part, None, None),
            What::Swap { swapped, part } => self.effect(c, part, None, Some(swapped)),
            What::Jumper { red, black, part } => {
                let leads = substituted::probe(red, black).leads(&self.model.circuit).ok()?;
                self.effect(c, part, Some(leads), None)
            }
            What::Scan => self.scan(c, true),
            What::RollCall => self.scan(c, false),
            What::Values { signals } => self.values(c, signals),
            What::Agree { signals, apart } => self.agree(c, signals, *apart),
            What::Move { at } => Some(self.moved(at)),
            What::Look { at } => Some(self.look(at)),
        }
    }

    /// Weight of each group under one outcome.
    fn by_group(&self, table: &Table, weights: &[f64], bin: usize) -> Vec<f64> {
        let mut sums = vec![0.0; self.count];
        let rows = table.chances.chunks_exact(table.words.len());
        for ((w, group), row) in weights.iter().zip(&self.groups).zip(rows) {
            sums[*group] += w * row[bin];
        }
        sums
    }

    /// Weight of each group before the check.
    pub(super) fn by_groups(&self) -> Vec<f64> {
        let mut sums = vec![0.0; self.count];
        for (w, group) in self.weights.iter().zip(&self.groups) {
            sums[*group] += w;
        }
        sums
    }

    /// What is told of each explanation, of each group: of all in a group the same is asked.
    pub(super) fn of_groups(&self, of_live: &[f64]) -> Vec<f64> {
        let mut out = vec![0.0; self.count];
        for (value, group) in of_live.iter().zip(&self.groups) {
            out[*group] = *value;
        }
        out
    }

    /// The group of a repair item, where it is among the explanations.
    pub(super) fn group_of(&self, item: ItemIx) -> Option<usize> {
        self.live.iter().position(|l| l.repair == Repair::One(item)).map(|k| self.groups[k])
    }

    /// Each outcome with its chance and the weight of each group after it.
    pub(super) fn beliefs(&self, table: &Table) -> Vec<(f64, Vec<f64>)> {
        let of = |bin: usize| {
            let weights = self.by_group(table, &self.weights, bin);
            (weights.iter().sum(), weights)
        };
        (0..table.words.len()).map(of).collect()
    }

    fn fall(&self, table: &Table, weights: &[f64]) -> f64 {
        let total: f64 = weights.iter().sum();
        if total <= 0.0 {
            return 0.0;
        }
        // Weight of each group under each outcome, one group after the other.
        let bins = table.words.len();
        let mut of = vec![0.0; self.count * bins];
        let rows = table.chances.chunks_exact(bins);
        for ((w, group), row) in weights.iter().zip(&self.groups).zip(rows) {
            for (sum, chance) in of[group * bins..].iter_mut().zip(row) {
                *sum += w * chance;
            }
        }
        // What is learnt about the group is what the outcome and the group say of each other.
        let mut of_bin = vec![0.0; bins];
        let mut bits = 0.0;
        for row in of.chunks_exact(bins) {
            let group: f64 = row.iter().sum();
            for (bin, w) in row.iter().enumerate().filter(|(_, w)| **w > 0.0) {
                of_bin[bin] += w;
                bits += w * (w / group).log2();
            }
        }
        let outcomes: f64 =
            of_bin.iter().filter(|w| **w > 0.0).map(|w| w * (w / total).log2()).sum();
        ((bits - outcomes) / total).max(0.0)
    }

    /// Expected fall of the entropy over what would be repaired, bits.
    pub(super) fn information(&self, table: &Table) -> f64 {
        self.fall(table, &self.weights)
    }

    /// Bits per minute of a check together with the best that can follow it.
    pub(super) fn two_steps(&self, first: (&Table, f64), second: &[(Table, f64)]) -> f64 {
        let (table, minutes) = first;
        let (mut bits, mut time) = (self.information(table), minutes);
        let n = table.words.len();
        for bin in 0..n {
            let weights: Vec<f64> = self
                .weights
                .iter()
                .zip(table.chances.chunks_exact(n))
                .map(|(w, row)| w * row[bin])
                .collect();
            let chance: f64 = weights.iter().sum();
            if chance < 0.02 {
                continue;
            }
            let best = second
                .iter()
                .map(|(t, m)| (self.fall(t, &weights), *m))
                .filter(|(bits, _)| *bits > 0.05)
                .max_by(|a, b| (a.0 / a.1).total_cmp(&(b.0 / b.1)));
            if let Some((more, longer)) = best {
                bits += chance * more;
                time += chance * longer;
            }
        }
        bits / time
    }

    /// The likely outcomes with what each would leave.
    pub(super) fn outcomes(&self, table: &Table) -> Vec<Outcome> {
        let mut out = Vec::new();
        // Names by the first explanation of each group.
        let mut names = vec![String::new(); self.count];
        for (l, group) in self.live.iter().zip(&self.groups) {
            if names[*group].is_empty() {
                names[*group] = self.name(l);
            }
        }
        for (bin, when) in table.words.list().into_iter().enumerate() {
            let groups = self.by_group(table, &self.weights, bin);
            let probability: f64 = groups.iter().sum();
            let mut ranked: Vec<(usize, f64)> = groups.into_iter().enumerate().collect();
            ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
            let means: Vec<String> = ranked
                .iter()
                .take(2)
                .filter(|(_, w)| w / probability > 0.1)
                .map(|(g, w)| format!("{} {:.0} %", names[*g], 100.0 * w / probability))
                .collect();
            if probability > 0.02 {
                out.push(Outcome { when, probability, means: means.join(", ") });
            }
        }
        out.sort_by(|a, b| b.probability.total_cmp(&a.probability));
        out.truncate(4);
        out
    }

    /// What a check sets apart, in words: those that its two weightiest outcomes speak for, the
    /// weightiest of each named.
    pub(super) fn sets_apart(&self, table: &Table) -> Option<String> {
        let bins = table.words.len();
        let of_bin: Vec<Vec<f64>> =
            (0..bins).map(|bin| self.by_group(table, &self.weights, bin)).collect();
        let mut sides: Vec<Vec<(usize, f64)>> = vec![Vec::new(); bins];
        for group in 0..self.count {
            let weight: f64 = of_bin.iter().map(|b| b[group]).sum();
            let likeliest =
                (0..bins).max_by(|a, b| of_bin[*a][group].total_cmp(&of_bin[*b][group]));
            // What is not in the file is on no side: it may do anything.
            let is_known = self.first(group).is_some_and(|l| l.what != Explains::Elsewhere);
            if let Some(bin) = likeliest.filter(|_| weight > NAMED && is_known) {
                sides[bin].push((group, weight));
            }
        }
        let weight = |side: &[(usize, f64)]| side.iter().map(|x| x.1).sum::<f64>();
        sides.sort_by(|a, b| weight(b).total_cmp(&weight(a)));
        let mut named = sides.iter_mut().filter(|side| !side.is_empty()).take(2).map(|side| {
            side.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
            let names: Vec<String> = side.iter().take(2).map(|(g, _)| self.long_name(*g)).collect();
            match side.len() {
                1 | 2 => names.join(" and "),
                n => format!("{} and {} more", names.join(", "), n - 2),
            }
        });
        Some(format!("Tells {} from {}.", named.next()?, named.next()?))
    }

    /// The first explanation of a group.
    fn first(&self, group: usize) -> Option<&Live> {
        self.groups.iter().position(|g| *g == group).map(|k| &self.live[k])
    }

    /// What would be repaired, as a sentence names it.
    fn long_name(&self, group: usize) -> String {
        let of = |h: HypIx| {
            let item = &self.model.faults[h].repair_item;
            item.thing().map_or_else(String::new, |id| words::thing(self.model, id))
        };
        match self.first(group).map(|l| l.what) {
            Some(Explains::Fault(h)) => of(h),
            Some(Explains::Pair(k)) => match self.posterior.pairs.get(k) {
                Some(p) => format!("{} with {}", of(p.a), of(p.b)),
                None => String::new(),
            },
            _ => String::new(),
        }
    }

    fn name(&self, l: &Live) -> String {
        let of = |h: HypIx| short(&self.model.faults[h].repair_item);
        match l.what {
            Explains::Fault(h) => of(h),
            Explains::Pair(k) => match self.posterior.pairs.get(k) {
                Some(p) => format!("{} and {}", of(p.a), of(p.b)),
                None => String::new(),
            },
            Explains::Elsewhere => "not in this file".to_owned(),
        }
    }
}
