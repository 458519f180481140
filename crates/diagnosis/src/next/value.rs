//! What a check is worth: the expected fall of uncertainty over what would be repaired.

use super::candidates::{Candidate, What};
use super::{Outcome, short};
use crate::evidence::reading::{Unsure, sigma, tool_shows};
use crate::evidence::{effect, moved, seen, substituted};
use crate::model::{Model, Predictions, Snapshot, shown};
use crate::posterior::{Explains, Live, Posterior, entropy};
use crate::words;
use circuit::meter::Leads;
use circuit::{Change, Instrument, Probe};
use statrs::function::erf::erf;
use std::collections::HashMap;
use std::ops::Deref;
use std::sync::Arc;

/// Most outcomes a check is divided into.
pub(super) const MOST_BINS: usize = 9;
/// Chance that any outcome comes up for no reason.
const SLIP: f64 = 0.02;
/// The same for a whole scan, in which many monitors stand near their thresholds.
const SCAN_SLIP: f64 = 0.06;
/// What a scan shows when it is none of the likelier outcomes.
const NO_WORDS: &str = "anything else";

/// Chance of each outcome under each explanation, and the outcomes in words.
#[derive(Debug, Clone)]
pub(super) struct Table {
    /// Chance of each outcome, one explanation after the other.
    chances: Vec<f64>,
    words: Vec<String>,
}

impl Table {
    /// The likeliest outcome of each explanation.
    pub(super) fn likeliest(&self) -> Vec<u8> {
        let rows = self.chances.chunks_exact(self.words.len());
        rows.map(|row| {
            let best = (0..row.len()).max_by(|a, b| row[*a].total_cmp(&row[*b])).unwrap_or(0);
            best as u8
        })
        .collect()
    }
}

/// Everything a check is weighed against.
pub(super) struct Scales<'a> {
    pub(super) model: &'a Model,
    pub(super) posterior: &'a Posterior,
    pub(super) live: &'a [Live],
    /// Number of each explanation's group, dense from 0.
    groups: Vec<usize>,
    count: usize,
    weights: Vec<f64>,
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

/// Standard normal distribution function.
fn phi(z: f64) -> f64 {
    match z {
        z if z < -6.0 => 0.0,
        z if z > 6.0 => 1.0,
        z => 0.5 * (1.0 + erf(z / std::f64::consts::SQRT_2)),
    }
}

/// Edges between values that can be told apart.
fn edges(mut values: Vec<(f64, f64)>) -> Vec<f64> {
    values.retain(|v| v.0.is_finite());
    values.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut edges = Vec::new();
    let Some(mut start) = values.first().map(|v| v.0) else { return edges };
    for pair in values.windows(2) {
        let ((low, s_low), (high, s_high)) = (pair[0], pair[1]);
        let width = s_low.max(s_high);
        // A gap, or a spread wider than the instrument's blur.
        if high - low > 2.0 * width || high - start > 4.0 * width {
            edges.push(0.5 * (low + high));
            start = high;
        }
    }
    while edges.len() >= MOST_BINS {
        edges = edges.into_iter().step_by(2).collect();
    }
    edges
}

fn range_words(instrument: Instrument, edges: &[f64]) -> Vec<String> {
    let text = |v: f64| words::value(instrument, v);
    let mut out = Vec::new();
    for k in 0..=edges.len() {
        out.push(match (k.checked_sub(1).map(|i| edges[i]), edges.get(k)) {
            (None, Some(high)) => format!("below {}", text(*high)),
            (Some(low), None) => format!("above {}", text(low)),
            (Some(low), Some(high)) => words::range(instrument, low, *high),
            (None, None) => "any".to_owned(),
        });
    }
    out
}

impl<'a> Scales<'a> {
    pub(super) fn new(model: &'a Model, posterior: &'a Posterior, live: &'a [Live]) -> Self {
        let mut number: HashMap<usize, usize> = HashMap::new();
        let groups: Vec<usize> = live
            .iter()
            .map(|l| {
                let next = number.len();
                *number.entry(l.group).or_insert(next)
            })
            .collect();
        let total: f64 = live.iter().map(|l| l.p).sum();
        let weights = live.iter().map(|l| l.p / total).collect();
        Self { model, posterior, live, count: number.len(), groups, weights }
    }

    /// With the explanations sorted into one item and all others: what tells whether it is that one.
    pub(super) fn whether(
        model: &'a Model,
        posterior: &'a Posterior,
        live: &'a [Live],
        top: usize,
    ) -> Self {
        let mut scales = Self::new(model, posterior, live);
        scales.groups = live.iter().map(|l| usize::from(l.group != top)).collect();
        scales.count = 2;
        scales
    }

    fn snapshot<'p>(&self, p: &'p Predictions, c: &Candidate, l: &Live) -> Option<Held<'p>> {
        match l.what {
            Explains::Fault(h) => p.fault(h).map(Held::Here),
            Explains::Pair(k) => {
                let pair = self.posterior.pairs.get(k)?;
                Some(Held::Shared(self.model.pair(&c.state, pair.a, pair.b)))
            }
            Explains::Elsewhere => None,
        }
    }

    /// How unsure an explanation is of a reading that it moves from `healthy`; `of` is what other
    /// hypotheses read.
    fn unsure(&self, l: &Live, healthy: f64, of: impl Fn(usize) -> f64) -> Unsure {
        let grids = &self.model.grids;
        match l.what {
            Explains::Fault(h) => {
                let moved = |h: usize| (of(h) - healthy).abs();
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

    /// Changes of the circuit that an explanation stands for.
    fn changes(&self, l: &Live) -> Vec<Change> {
        let of = |h: usize| self.model.faults[h].changes.iter().copied();
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
        words: Vec<String>,
        sound: &[f64],
        slip: f64,
        mut there: impl FnMut(&Live, &mut Vec<f64>) -> bool,
    ) -> Table {
        let n = words.len();
        let mut chances = Vec::with_capacity(n * self.live.len());
        let mut row = Vec::with_capacity(n);
        for l in self.live {
            row.clear();
            if !there(l, &mut row) {
                chances.extend(std::iter::repeat_n(1.0 / n as f64, n));
                continue;
            }
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
            What::Effect { part, .. } => self.effect(c, part, None, None),
            What::Swap { swapped, part } => self.effect(c, part, None, Some(swapped)),
            What::Jumper { red, black, part } => {
                let leads = substituted::probe(red, black).leads(&self.model.circuit).ok()?;
                self.effect(c, part, Some(leads), None)
            }
            What::Scan => self.scan(c),
            What::Move { at } => Some(self.moved(at)),
            What::Look { at } => Some(self.look(at)),
        }
    }

    fn reading(&self, c: &Candidate, probe: &Probe) -> Option<Table> {
        let model = self.model;
        let leads = probe.leads(&model.circuit).ok()?;
        let p = model.predict(&c.state);
        let quick = |s: &Snapshot| shown(leads, &model.circuit, s);
        let loads = matches!(leads, Leads::Between(i, ..) if i != Instrument::Volts);
        let healthy = match loads {
            true => model.reads(&c.state, &[], probe).ok()?,
            false => quick(&p.healthy),
        };
        let values: Vec<Option<f64>> = match loads {
            true => {
                let mut shows = tool_shows(&model.circuit, &p, leads);
                let mut value = |l: &Live| shows(&self.changes(l));
                let known = |l: &Live| l.what != Explains::Elsewhere;
                self.live.iter().map(|l| known(l).then(|| value(l))).collect()
            }
            false => self.live.iter().map(|l| Some(quick(&*self.snapshot(&p, c, l)?))).collect(),
        };
        let least = 2.0 * probe.instrument.sigma(if healthy.is_finite() { healthy } else { 0.0 });
        let differs = |v: &f64| v.is_finite() != healthy.is_finite() || (v - healthy).abs() > least;
        if !values.iter().flatten().any(differs) {
            return None;
        }
        let tolerance = match loads {
            true => 0.05 * if healthy.is_finite() { healthy } else { 0.0 },
            false => model.rough_scatter(&p, &c.state, quick),
        };
        let blur =
            |value: f64, unsure: Unsure| sigma(probe.instrument, value, healthy, tolerance, unsure);
        // Without the tool's load the ends of a grid are at hand where they were solved.
        let at_hand = |h: usize| match loads {
            true => f64::INFINITY,
            false => p.fault(h).map_or(f64::INFINITY, quick),
        };
        // Most hypotheses leave most readings alone: theirs is the sound one.
        let sound_sigma = blur(healthy, Unsure::alone(0.0));
        let moves = |v: f64| !((v - healthy).abs() < 0.02 * sound_sigma || v == healthy);
        let both: Vec<Option<(f64, f64)>> = self
            .live
            .iter()
            .zip(&values)
            .map(|(l, v)| {
                v.map(|v| match moves(v) {
                    true => (v, blur(v, self.unsure(l, healthy, at_hand))),
                    false => (healthy, sound_sigma),
                })
            })
            .collect();
        let moved = both.iter().flatten().filter(|x| moves(x.0)).copied();
        let edges = edges(moved.chain([(healthy, sound_sigma)]).collect());
        let over = values.iter().flatten().any(|v| !v.is_finite()) || !healthy.is_finite();
        let mut words = range_words(probe.instrument, &edges);
        let n = words.len();
        if over {
            words.push(words::value(probe.instrument, f64::INFINITY));
        }
        if words.len() < 2 {
            return None;
        }
        let row = |(value, sigma): (f64, f64), into: &mut Vec<f64>| {
            if !value.is_finite() {
                into.extend(std::iter::repeat_n(0.0, n));
                into.push(1.0);
                return;
            }
            let mut below = 0.0;
            for edge in edges.iter().map(Some).chain([None]) {
                let up_to = edge.map_or(1.0, |e| phi((e - value) / sigma));
                into.push(up_to - below);
                below = up_to;
            }
            if over {
                into.push(0.0);
            }
        };
        // Their row is worked out once, too.
        let mut sound = Vec::new();
        row((healthy, sound_sigma), &mut sound);
        let mut k = 0;
        Some(self.rows(words, &sound.clone(), SLIP, |_, into| {
            let x = both[k];
            k += 1;
            match x {
                None => return false,
                Some(x) if !moves(x.0) => into.extend(&sound),
                Some(x) => row(x, into),
            }
            true
        }))
    }

    /// An effect watched; with a jumper on, or a part swapped.
    fn effect(
        &self,
        c: &Candidate,
        part: &str,
        jumper: Option<Leads>,
        swapped: Option<&String>,
    ) -> Option<Table> {
        let model = self.model;
        let at = model.circuit.part(part)?;
        let p = model.predict(&c.state);
        let chances = |strength: Option<f64>| effect::chances(strength.unwrap_or(0.0));
        let mut sweep = jumper.map(|leads| (p.sweep.clone(), leads.change()));
        let sound = match &mut sweep {
            Some((sweep, change)) => {
                let changes: Vec<Change> = change.iter().copied().collect();
                chances(sweep.solve(&changes).effect(at))
            }
            None => chances(p.healthy.effect(at)),
        };
        let item = swapped.map(|id| format!("part:{id}"));
        let words = ["normal", "weak", "nothing"].map(str::to_owned).to_vec();
        Some(self.rows(words, &sound, 0.0, |l, into| {
            let Some(s) = self.snapshot(&p, c, l) else { return false };
            let of_item =
                matches!(l.what, Explains::Fault(h) if Some(&model.faults[h].repair_item) == item.as_ref());
            into.extend(match &mut sweep {
                Some((sweep, change)) => {
                    let changes: Vec<Change> =
                        self.changes(l).into_iter().chain(change.iter().copied()).collect();
                    chances(sweep.solve(&changes).effect(at))
                }
                None if of_item => sound,
                None => chances(s.effect(at)),
            });
            true
        }))
    }

    /// A scan: its outcomes are what the modules could say together.
    fn scan(&self, c: &Candidate) -> Option<Table> {
        let p = self.model.predict(&c.state);
        let held: Vec<Option<Held<'_>>> =
            self.live.iter().map(|l| self.snapshot(&p, c, l)).collect();
        let key = |s: &Snapshot| {
            let (monitors, flipped) = s.software();
            (monitors.to_vec(), flipped.to_vec())
        };
        let mut classes: HashMap<_, f64> = HashMap::new();
        for (s, w) in held.iter().zip(&self.weights) {
            if let Some(s) = s {
                *classes.entry(key(s)).or_default() += w;
            }
        }
        classes.entry((Vec::new(), Vec::new())).or_insert(0.0);
        if classes.len() < 2 {
            return None;
        }
        let mut ranked: Vec<_> = classes.into_iter().collect();
        ranked.sort_by(|a, b| {
            b.1.total_cmp(&a.1).then_with(|| (&a.0.1, a.0.0.len()).cmp(&(&b.0.1, b.0.0.len())))
        });
        let lumped = ranked.len() >= MOST_BINS;
        ranked.truncate(MOST_BINS - 1);
        let mut words: Vec<String> =
            ranked.iter().map(|((m, f), _)| self.scan_words(&p, m, f)).collect();
        if lumped {
            words.push(NO_WORDS.to_owned());
        }
        let place: HashMap<_, usize> =
            ranked.into_iter().enumerate().map(|(k, (key, _))| (key, k)).collect();
        let n = words.len();
        let one = |k: usize| (0..n).map(move |j| f64::from(u8::from(j == k)));
        let of = |s: &Snapshot| place.get(&key(s)).copied().unwrap_or(n - 1);
        let sound: Vec<f64> = one(of(&p.healthy)).collect();
        let mut k = 0;
        Some(self.rows(words, &sound, SCAN_SLIP, |_, into| {
            let s = &held[k];
            k += 1;
            s.as_ref().map(|s| into.extend(one(of(s)))).is_some()
        }))
    }

    fn scan_words(
        &self,
        p: &Predictions,
        monitors: &[(u32, circuit::software::Verdict)],
        flipped: &[u32],
    ) -> String {
        let v = &self.model.circuit.vehicle;
        let modules: Vec<&str> = flipped
            .iter()
            .filter(|f| v.parts[**f as usize].module.is_some() && p.healthy.alive(**f as usize))
            .map(|f| v.parts[*f as usize].id.as_str())
            .collect();
        let codes: Vec<String> = monitors
            .iter()
            .filter(|(_, verdict)| *verdict == circuit::software::Verdict::Failed)
            .map(|(m, _)| &v.monitors[*m as usize])
            .map(|m| format!("{}-{}", m.code, m.failure_type))
            .collect();
        let list = |all: &[String]| match all {
            [first, second, _, ..] => format!("{first}, {second} and {} more", all.len() - 2),
            few => few.join(" and "),
        };
        match (modules.is_empty(), codes.is_empty()) {
            (true, true) => "as a sound vehicle".to_owned(),
            (true, false) => list(&codes),
            (false, true) => format!("{} silent", modules.join(" ")),
            (false, false) => format!("{} silent, {}", modules.join(" "), list(&codes)),
        }
    }

    fn moved(&self, at: &str) -> Table {
        let words = vec!["it changes".to_owned(), "no change".to_owned()];
        let faults = &self.model.faults;
        self.rows(words, &[0.0, 1.0], 0.0, |l, into| {
            let chance = match l.what {
                Explains::Fault(h) => {
                    let [steady, wavering] = moved::chances(self.model, at, &faults[h]);
                    let share = self.posterior.share_wavering(h);
                    steady * (1.0 - share) + wavering * share
                }
                Explains::Pair(k) => self.posterior.pairs.get(k).map_or(0.0, |p| {
                    let of = |h: usize| moved::chances(self.model, at, &faults[h])[0];
                    of(p.a).max(of(p.b))
                }),
                Explains::Elsewhere => return false,
            };
            // What comes and goes is already in the chance.
            let there = if l.there > 0.0 { l.there } else { 1.0 };
            let chance = (chance / there).min(1.0);
            into.extend([chance, 1.0 - chance]);
            true
        })
    }

    fn look(&self, at: &str) -> Table {
        let words = ["nothing to see", "damage", "corrosion", "water", "pushed back", "no grip"];
        let sound = [1.0, 0.0, 0.0, 0.0, 0.0, 0.0];
        let faults = &self.model.faults;
        self.rows(words.map(str::to_owned).to_vec(), &sound, 0.0, |l, into| {
            // What can be seen is there whether or not the symptom is.
            into.extend(match l.what {
                Explains::Fault(h) => seen::chances(self.model, at, &faults[h]),
                Explains::Pair(k) => match self.posterior.pairs.get(k) {
                    Some(p) => {
                        let (a, b) = (
                            seen::chances(self.model, at, &faults[p.a]),
                            seen::chances(self.model, at, &faults[p.b]),
                        );
                        if a[0] < b[0] { a } else { b }
                    }
                    None => sound,
                },
                Explains::Elsewhere => return false,
            });
            true
        })
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

    fn fall(&self, table: &Table, weights: &[f64]) -> f64 {
        let mut now = vec![0.0; self.count];
        for (w, group) in weights.iter().zip(&self.groups) {
            now[*group] += w;
        }
        let total: f64 = weights.iter().sum();
        if total <= 0.0 {
            return 0.0;
        }
        let mut after = 0.0;
        for bin in 0..table.words.len() {
            let groups = self.by_group(table, weights, bin);
            after += groups.iter().sum::<f64>() / total * entropy(&groups);
        }
        (entropy(&now) - after).max(0.0)
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
        for (bin, when) in table.words.iter().enumerate() {
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
                out.push(Outcome { when: when.clone(), probability, means: means.join(", ") });
            }
        }
        out.sort_by(|a, b| b.probability.total_cmp(&a.probability));
        out.truncate(4);
        out
    }

    fn name(&self, l: &Live) -> String {
        let of = |h: usize| short(&self.model.faults[h].repair_item);
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
