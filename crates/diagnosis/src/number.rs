//! One fault, one number: what the numbers between those of a grid make of all readings together.
//!
//! A hypothesis stands for every number from half the way to the one below it up to half the way to the
//! one above. Each reading by itself is weighed as if any of them could be meant; together they must
//! agree upon one. Between the numbers a reading follows a curve through those that were solved.

use crate::cache::{Keep, Wanted};
use crate::evidence::reading::{self, Expected, LEAST_OHMS, Unsure};
use crate::evidence::{Moment, Read, Shown, Strength, effect};
use crate::grids::{Grids, NO_NUMBER};
use crate::model::{HypIx, Model};
use circuit::Instrument;
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use vehicle::TiVec;

/// Numbers looked at are this far apart, as a share of themselves; as near as parts tell them apart.
const APART: f64 = 0.1;
/// What the curve may be off, as a share of how far it is from a straight line.
const BENT: f64 = 0.25;
/// A reading that changes by less than this over a cell, in standard deviations of the meter, says
/// nothing of the number.
const FLAT: f64 = 0.2;

/// Where in its cell a hypothesis' number lies by all readings, in natural logarithms of the number.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct At {
    /// From the number of the grid to the likeliest, on average.
    pub shift: f64,
    /// Standard deviation.
    pub spread: f64,
}

/// What agreeing upon a number changes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Agreed {
    /// Log-likelihood added to that of all readings by themselves, for a fault that is there.
    pub(crate) steady: f64,
    /// The same for one that comes and goes.
    pub(crate) wavering: f64,
    /// Where the number lies.
    pub(crate) at: At,
}

/// What one reading makes of the numbers of one hypothesis: logs for a fault that is there, and for one
/// that comes and goes; with each number, and last as if any of them could be meant.
type Row = Box<[[f32; 2]]>;

/// What one reading makes of every hypothesis whose number it depends on.
#[derive(Debug)]
struct Rows {
    /// Hypotheses in their order, with what it makes of each.
    of: Vec<(HypIx, Row)>,
}

impl Keep for Rows {
    fn bytes(&self) -> usize {
        let row = |row: &Row| size_of::<(HypIx, Row)>() + size_of_val(&row[..]);
        self.of.iter().map(|(_, logs)| row(logs)).sum()
    }
}

/// A hypothesis whose number readings depend on: number of the moment of each, and the place in its rows.
#[derive(Debug)]
struct Numbered {
    h: HypIx,
    cell: Cell,
    rows: Vec<(usize, usize)>,
}

/// The readings of some evidence.
#[derive(Debug)]
pub(crate) struct Readings {
    /// By the number of their moment.
    taken: HashMap<usize, Arc<Rows>>,
    /// In their order.
    numbered: Vec<Numbered>,
}

/// What a reading follows between numbers, in natural logarithms of the number.
struct Curve {
    at: Vec<f64>,
    values: Vec<f64>,
    slopes: Vec<f64>,
    /// Values are logarithms.
    log: bool,
}

impl Curve {
    /// Through points with rising `at`: cubic between them and without overshoot (Fritsch and Carlson,
    /// SIAM J. Numer. Anal. 17, 1980).
    fn through(at: Vec<f64>, values: Vec<f64>, log: bool) -> Self {
        let n = at.len();
        let secant = |k: usize| (values[k + 1] - values[k]) / (at[k + 1] - at[k]);
        let slope = |k: usize| match k {
            0 => secant(0),
            _ if k + 1 == n => secant(n - 2),
            _ => {
                let (before, after) = (secant(k - 1), secant(k));
                match before * after > 0.0 {
                    // The harmonic mean keeps within what both allow.
                    true => 2.0 * before * after / (before + after),
                    false => 0.0,
                }
            }
        };
        let slopes = (0..n).map(slope).collect();
        Self { at, values, slopes, log }
    }

    /// The value at a number, and how far off it may be.
    fn value(&self, x: f64) -> (f64, f64) {
        let last = self.at.len() - 1;
        let (y, off) = if x <= self.at[0] {
            (self.values[0] + self.slopes[0] * (x - self.at[0]), 0.0)
        } else if x >= self.at[last] {
            (self.values[last] + self.slopes[last] * (x - self.at[last]), 0.0)
        } else {
            let k = self.at.partition_point(|a| *a <= x) - 1;
            let width = self.at[k + 1] - self.at[k];
            let t = (x - self.at[k]) / width;
            let (a, b) = (self.values[k], self.values[k + 1]);
            let straight = a + t * (b - a);
            let bow = t * (1.0 - t);
            let (da, db) = (self.slopes[k] * width - (b - a), self.slopes[k + 1] * width - (b - a));
            let y = straight + bow * ((1.0 - t) * da - t * db);
            (y, BENT * (y - straight).abs())
        };
        match self.log {
            true => (y.exp(), y.exp() * off.exp_m1()),
            false => (y, off),
        }
    }
}

/// The numbers a hypothesis stands for, in natural logarithms, and those of them that are looked at.
#[derive(Debug)]
struct Cell {
    low: f64,
    high: f64,
    count: usize,
    step: f64,
}

impl Cell {
    fn of((low, high): (f64, f64)) -> Self {
        let count = ((high - low) / APART).ceil().max(1.0) as usize;
        Self { low, high, count, step: (high - low) / count as f64 }
    }

    fn at(&self, j: usize) -> f64 {
        self.low + (j as f64 + 0.5) * self.step
    }
}

/// Log of the mean of what the logarithms stand for.
fn log_mean(logs: impl ExactSizeIterator<Item = f64> + Clone) -> f64 {
    let most = logs.clone().fold(f64::NEG_INFINITY, f64::max);
    if !most.is_finite() {
        return most;
    }
    let count = logs.len() as f64;
    most + (logs.map(|l| (l - most).exp()).sum::<f64>() / count).ln()
}

impl Readings {
    /// Of evidence sorted into moments.
    pub(crate) fn of(model: &Model, moments: &[Moment]) -> Self {
        let rows = |(number, moment): (usize, &Moment)| {
            let read = moment.likelihood.read.as_ref()?;
            let wanted = |id| Wanted::Numbers(id, &read.key, moment.present as u8);
            if let Some(known) = model.kept(wanted) {
                return Some((number, known));
            }
            let made = Arc::new(Rows::of(model, read, moment)?);
            model.keep(wanted, &made);
            Some((number, made))
        };
        let taken: HashMap<usize, Arc<Rows>> =
            moments.iter().enumerate().filter_map(rows).collect();
        let mut of: BTreeMap<HypIx, Vec<(usize, usize)>> = BTreeMap::new();
        for (number, rows) in &taken {
            for (at, (h, _)) in rows.of.iter().enumerate() {
                of.entry(*h).or_default().push((*number, at));
            }
        }
        let numbered = |(h, mut rows): (HypIx, Vec<(usize, usize)>)| {
            rows.sort_unstable();
            Some(Numbered { h, cell: Cell::of(model.grids.cell(h)?), rows })
        };
        Self { taken, numbered: of.into_iter().filter_map(numbered).collect() }
    }

    /// What agreeing upon a number changes for each of the hypotheses that are `wanted`, by all readings
    /// but that of one moment; nothing where they do not depend on its number.
    pub(crate) fn agree(
        &self,
        grids: &Grids,
        without: Option<usize>,
        wanted: impl Fn(HypIx) -> bool + Sync,
    ) -> Vec<(HypIx, Agreed)> {
        let of = |n: &Numbered| Some((n.h, self.agreed(grids.at[n.h], n, without)?));
        self.numbered.par_iter().filter(|n| wanted(n.h)).filter_map(of).collect()
    }

    /// `own` is the natural logarithm of the number of the grid.
    fn agreed(&self, own: f64, n: &Numbered, without: Option<usize>) -> Option<Agreed> {
        let cell = &n.cell;
        let mut each = vec![[0.0f64; 2]; cell.count + 1];
        let mut any = false;
        for (moment, at) in n.rows.iter().filter(|(moment, _)| Some(*moment) != without) {
            any = true;
            for (sum, log) in each.iter_mut().zip(&self.taken[moment].of[*at].1) {
                sum[0] += f64::from(log[0]);
                sum[1] += f64::from(log[1]);
            }
        }
        let alone = each.pop().filter(|_| any)?;
        let most = each.iter().map(|l| l[0]).fold(f64::NEG_INFINITY, f64::max);
        let weights: Vec<f64> = each.iter().map(|l| (l[0] - most).exp()).collect();
        let total: f64 = weights.iter().sum();
        let mean = |of: &dyn Fn(f64) -> f64| {
            weights.iter().enumerate().map(|(j, w)| w * of(cell.at(j))).sum::<f64>() / total
        };
        let middle = mean(&|x| x);
        let spread = (mean(&|x| (x - middle).powi(2)) + cell.step * cell.step / 12.0).sqrt();
        Some(Agreed {
            steady: log_mean(each.iter().map(|l| l[0])) - alone[0],
            wavering: log_mean(each.iter().map(|l| l[1])) - alone[1],
            at: At { shift: middle - own, spread },
        })
    }
}

/// An effect that changes by less than this over a cell says nothing of the number; one that changes by
/// more from one number to the next jumps: what it does in between no curve tells.
const FLAT_EFFECT: f64 = 0.02;
const JUMP: f64 = 0.6;

/// What was found, with what is expected of it.
enum Found<'t> {
    Meter { instrument: Instrument, value: f64, expected: &'t Expected },
    Effect { strength: Strength, complaint: bool, sound: f64, values: TiVec<HypIx, f64> },
}

/// Something found in its moment.
struct Taken<'t> {
    moment: &'t Moment,
    found: Found<'t>,
}

impl Rows {
    /// Of what was found; none where its points or its part do not exist.
    fn of(model: &Model, read: &Read, moment: &Moment) -> Option<Self> {
        match &read.shown {
            Shown::Meter(probe, value) => {
                let expected = model.expect(&read.state, probe).ok()?;
                let instrument = probe.instrument;
                let found = Found::Meter { instrument, value: *value, expected: &expected };
                Some(Self::taken(model, &Taken { moment, found }))
            }
            Shown::Effect(part, strength, complaint) => {
                let part = model.circuit.part(part)?;
                let p = model.predict_all(&read.state);
                let sound = p.healthy.effect(part)?;
                let values = p.all().map(|s| s.effect(part).unwrap_or(0.0)).collect();
                let (strength, complaint) = (*strength, *complaint);
                let found = Found::Effect { strength, complaint, sound, values };
                Some(Self::taken(model, &Taken { moment, found }))
            }
        }
    }

    fn taken(model: &Model, taken: &Taken<'_>) -> Self {
        let rows = model.grids.members.par_iter().flat_map_iter(|members| {
            let of = |k| Some((members[k], taken.row(&model.grids, members, k)?));
            (0..members.len()).filter_map(of).collect::<Vec<_>>()
        });
        let mut of: Vec<(HypIx, Row)> = rows.collect();
        of.sort_unstable_by_key(|(h, _)| *h);
        Self { of }
    }
}

impl Taken<'_> {
    /// What a hypothesis predicts.
    fn predicted(&self, h: HypIx) -> f64 {
        match &self.found {
            Found::Meter { expected, .. } => expected.faults[h].0,
            Found::Effect { values, .. } => values[h],
        }
    }

    /// What it makes of the numbers of one member of a grid; none where it does not depend on them.
    fn row(&self, grids: &Grids, members: &[HypIx], k: usize) -> Option<Row> {
        let near = &members[k.saturating_sub(2)..(k + 3).min(members.len())];
        let first = self.predicted(*near.first()?);
        // Most readings are nothing to most hypotheses, whatever their number.
        if near.len() < 2 || near.iter().all(|m| self.predicted(*m) == first) {
            return None;
        }
        let h = members[k];
        let cell = Cell::of(grids.cell(h)?);
        let curve = self.curve(grids, h, near, &cell)?;
        let l = &self.moment.likelihood;
        let along = grids.along(h, |h| self.predicted(h));
        let both =
            |log: f64| [log, l.while_wavering(log, self.moment.present)].map(|log| log as f32);
        let log = |j: usize| {
            let (value, off) = curve.value(cell.at(j));
            both(self.log((value, off.hypot(along)), cell.step))
        };
        Some((0..cell.count).map(log).chain([both(l.there[h])]).collect())
    }

    /// Log-likelihood of what was found where a number predicts a value, and may be off by so much; numbers
    /// looked at are a step apart.
    fn log(&self, (value, off): (f64, f64), step: f64) -> f64 {
        match &self.found {
            Found::Meter { instrument, value: read, expected: e } => {
                let unsure = Unsure::alone(NO_NUMBER.hypot(0.3 * step));
                let sigma = reading::sigma(*instrument, value, e.healthy, e.tolerance, unsure);
                let sigma = (sigma * sigma + off * off).sqrt();
                reading::log_likelihood(*instrument, *read, value, sigma)
            }
            Found::Effect { strength, complaint, sound, .. } => {
                let of = |shows: f64| effect::log(shows, *sound, *strength, *complaint);
                log_mean([value - off, value, value + off].into_iter().map(of))
            }
        }
    }

    /// What it follows over a hypothesis' cell, through its neighbours.
    fn curve(&self, grids: &Grids, h: HypIx, near: &[HypIx], cell: &Cell) -> Option<Curve> {
        let log = matches!(self.found, Found::Meter { instrument: Instrument::Ohms, .. });
        let value = |m: &HypIx| self.predicted(*m);
        // Where it goes over limit within reach there is no curve.
        if near.iter().any(|m| !value(m).is_finite()) {
            return None;
        }
        let scaled = |m: &HypIx| if log { value(m).max(LEAST_OHMS).ln() } else { value(m) };
        let at = near.iter().map(|m| grids.at[*m]).collect();
        let curve = Curve::through(at, near.iter().map(scaled).collect(), log);
        let (a, b) = (curve.value(cell.low).0, curve.value(cell.high).0);
        let least = match self.found {
            Found::Meter { instrument, .. } => FLAT * instrument.sigma(value(&h)),
            Found::Effect { .. } => {
                let jumps = |pair: &[HypIx]| (value(&pair[0]) - value(&pair[1])).abs() > JUMP;
                if near.windows(2).any(jumps) {
                    return None;
                }
                FLAT_EFFECT
            }
        };
        ((a - b).abs() > least).then_some(curve)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_curve_goes_through_its_points_and_follows_a_divider() {
        // 12 V over R and 10 Ohm: 12 * 10 / (10 + R) across the load.
        let at: Vec<f64> = [2.2f64, 4.7, 10.0, 22.0, 47.0].map(f64::ln).to_vec();
        let volts = |x: f64| 120.0 / (10.0 + x.exp());
        let curve = Curve::through(at.clone(), at.iter().map(|x| volts(*x)).collect(), false);
        for x in &at {
            assert!((curve.value(*x).0 - volts(*x)).abs() < 1e-9);
        }
        let mut x = at[1];
        while x < at[3] {
            let (y, off) = curve.value(x);
            assert!((y - volts(x)).abs() < 0.02 + off, "{x}: {y} {off}, {}", volts(x));
            x += 0.05;
        }
    }

    #[test]
    fn a_curve_never_overshoots() {
        let curve = Curve::through(vec![0.0, 1.0, 2.0, 3.0], vec![0.0, 0.0, 5.0, 5.0], false);
        for k in 0..=300 {
            let y = curve.value(f64::from(k) / 100.0).0;
            assert!((0.0..=5.0).contains(&y), "{k}: {y}");
        }
    }
}
