//! One fault, one number: what the numbers between those of a grid make of all readings together.
//!
//! A hypothesis stands for every number from half the way to the one below it up to half the way to the
//! one above. Each reading by itself is weighed as if any of them could be meant; together they must
//! agree upon one. Between the numbers a reading follows a curve through those that were solved.

use crate::evidence::Moment;
use crate::evidence::reading::{self, Expected, LEAST_OHMS, Unsure};
use crate::grids::{Grids, NO_NUMBER};
use crate::model::Model;
use circuit::Instrument;
use std::sync::{Arc, OnceLock};

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

/// A reading of some evidence.
#[derive(Debug)]
struct Taken {
    /// Number of its moment.
    number: usize,
    moment: Moment,
    instrument: Instrument,
    value: f64,
    expected: Arc<Expected>,
}

/// What one reading makes of the numbers of one hypothesis: logs for a fault that is there, and for one
/// that comes and goes.
#[derive(Debug)]
struct Row {
    /// Number of the moment it was read in.
    moment: usize,
    /// With the reading weighed as if any number could be meant.
    alone: [f64; 2],
    /// With each number.
    each: Vec<[f64; 2]>,
}

/// The readings of some evidence.
#[derive(Debug)]
pub(crate) struct Readings {
    taken: Vec<Taken>,
    /// What they make of each hypothesis, as far as it was asked for.
    rows: Vec<OnceLock<Vec<Row>>>,
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
        let taken = |(number, moment): (usize, &Moment)| {
            let read = moment.likelihood.read.as_ref()?;
            let expected = model.expect(&read.state, &read.probe).ok()?;
            let (instrument, value) = (read.probe.instrument, read.value);
            Some(Taken { number, moment: moment.clone(), instrument, value, expected })
        };
        let mut rows = Vec::new();
        rows.resize_with(model.faults.len(), OnceLock::new);
        let taken = moments.iter().enumerate().filter_map(taken).collect();
        Self { taken, rows }
    }

    /// What agreeing upon a number changes for a hypothesis, by all readings but that of one moment; none
    /// where it has no number, or where nothing read depends on it.
    pub(crate) fn agree(&self, grids: &Grids, h: usize, without: Option<usize>) -> Option<Agreed> {
        let cell = Cell::of(grids.cell(h)?);
        let rows = self.rows[h].get_or_init(|| self.rows(grids, h, &cell));
        let counts = |row: &&Row| Some(row.moment) != without;
        let mut each = vec![[0.0; 2]; cell.count];
        let mut alone = [0.0; 2];
        let mut any = false;
        for row in rows.iter().filter(counts) {
            any = true;
            for (sum, log) in
                each.iter_mut().chain([&mut alone]).zip(row.each.iter().chain([&row.alone]))
            {
                sum[0] += log[0];
                sum[1] += log[1];
            }
        }
        if !any {
            return None;
        }
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
            at: At { shift: middle - grids.at[h], spread },
        })
    }

    /// What each reading makes of the numbers of a hypothesis; without those that do not depend on them.
    fn rows(&self, grids: &Grids, h: usize, cell: &Cell) -> Vec<Row> {
        let unsure = Unsure::alone(NO_NUMBER.hypot(0.3 * cell.step));
        let row = |t: &Taken| {
            let curve = curve(grids, h, t, cell)?;
            let l = &t.moment.likelihood;
            let both = |log: f64| [log, l.while_wavering(log, t.moment.present)];
            let e = &t.expected;
            let log = |j: usize| {
                let (value, off) = curve.value(cell.at(j));
                let sigma = reading::sigma(t.instrument, value, e.healthy, e.tolerance, unsure);
                let sigma = (sigma * sigma + off * off).sqrt();
                both(reading::log_likelihood(t.instrument, t.value, value, sigma))
            };
            let each = (0..cell.count).map(log).collect();
            Some(Row { moment: t.number, alone: both(l.there[h]), each })
        };
        self.taken.iter().filter_map(row).collect()
    }
}

/// What a reading follows over a hypothesis' cell; none where it does not depend on the number.
fn curve(grids: &Grids, h: usize, t: &Taken, cell: &Cell) -> Option<Curve> {
    let members = &grids.members[grids.of[h]?];
    let k = members.iter().position(|m| *m == h)?;
    let near = &members[k.saturating_sub(2)..(k + 3).min(members.len())];
    let log = t.instrument == Instrument::Ohms;
    let value = |m: &usize| t.expected.faults[*m].0;
    // Where it goes over limit within reach there is no curve.
    if near.len() < 2 || near.iter().any(|m| !value(m).is_finite()) {
        return None;
    }
    let scaled = |m: &usize| if log { value(m).max(LEAST_OHMS).ln() } else { value(m) };
    let at = near.iter().map(|m| grids.at[*m]).collect();
    let curve = Curve::through(at, near.iter().map(scaled).collect(), log);
    let (a, b) = (curve.value(cell.low).0, curve.value(cell.high).0);
    let least = FLAT * t.instrument.sigma(value(&h));
    ((a - b).abs() > least).then_some(curve)
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
