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
use std::sync::Arc;

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
struct Taken<'m> {
    moment: &'m Moment,
    instrument: Instrument,
    value: f64,
    expected: Arc<Expected>,
}

/// The readings of some evidence.
pub(crate) struct Readings<'m> {
    grids: &'m Grids,
    taken: Vec<Taken<'m>>,
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

/// Log of the mean of what the logarithms stand for.
fn log_mean(logs: &[f64]) -> f64 {
    let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    if !most.is_finite() {
        return most;
    }
    most + (logs.iter().map(|l| (l - most).exp()).sum::<f64>() / logs.len() as f64).ln()
}

impl<'m> Readings<'m> {
    /// Of evidence sorted into moments.
    pub(crate) fn of(model: &'m Model, moments: &'m [Moment]) -> Self {
        let taken = |moment: &'m Moment| {
            let read = moment.likelihood.read.as_ref()?;
            let expected = model.expect(&read.state, &read.probe).ok()?;
            Some(Taken { moment, instrument: read.probe.instrument, value: read.value, expected })
        };
        Self { grids: &model.grids, taken: moments.iter().filter_map(taken).collect() }
    }

    /// What agreeing upon a number changes for a hypothesis; none where it has no number, or where
    /// nothing read depends on it.
    pub(crate) fn agree(&self, h: usize) -> Option<Agreed> {
        let (low, high) = self.grids.cell(h)?;
        let count = ((high - low) / APART).ceil().max(1.0) as usize;
        let step = (high - low) / count as f64;
        let at = |j: usize| low + (j as f64 + 0.5) * step;
        let mut steady = vec![0.0; count];
        let mut wavering = vec![0.0; count];
        let mut alone = [0.0, 0.0];
        let mut any = false;
        for t in &self.taken {
            let Some(curve) = self.curve(h, t, (low, high)) else { continue };
            any = true;
            let l = &t.moment.likelihood;
            let waver = |log: f64| l.while_wavering(log, t.moment.present);
            alone[0] += l.there[h];
            alone[1] += waver(l.there[h]);
            for j in 0..count {
                let (value, off) = curve.value(at(j));
                let e = &t.expected;
                let unsure = Unsure::alone(NO_NUMBER.hypot(0.3 * step));
                let sigma =
                    reading::sigma(t.instrument, value, e.healthy, e.tolerance, unsure).hypot(off);
                let log = reading::log_likelihood(t.instrument, t.value, value, sigma);
                steady[j] += log;
                wavering[j] += waver(log);
            }
        }
        if !any {
            return None;
        }
        let most = steady.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let weights: Vec<f64> = steady.iter().map(|l| (l - most).exp()).collect();
        let total: f64 = weights.iter().sum();
        let mean = |of: &dyn Fn(f64) -> f64| {
            weights.iter().enumerate().map(|(j, w)| w * of(at(j))).sum::<f64>() / total
        };
        let middle = mean(&|x| x);
        let spread = (mean(&|x| (x - middle).powi(2)) + step * step / 12.0).sqrt();
        Some(Agreed {
            steady: log_mean(&steady) - alone[0],
            wavering: log_mean(&wavering) - alone[1],
            at: At { shift: middle - self.grids.at[h], spread },
        })
    }

    /// What a reading follows over a hypothesis' cell; none where it does not depend on the number.
    fn curve(&self, h: usize, t: &Taken<'_>, (low, high): (f64, f64)) -> Option<Curve> {
        let members = &self.grids.members[self.grids.of[h]?];
        let k = members.iter().position(|m| *m == h)?;
        let near = &members[k.saturating_sub(2)..(k + 3).min(members.len())];
        let log = t.instrument == Instrument::Ohms;
        let value = |m: &usize| t.expected.faults[*m].0;
        // Where it goes over limit within reach there is no curve.
        if near.len() < 2 || near.iter().any(|m| !value(m).is_finite()) {
            return None;
        }
        let scaled = |m: &usize| if log { value(m).max(LEAST_OHMS).ln() } else { value(m) };
        let at = near.iter().map(|m| self.grids.at[*m]).collect();
        let curve = Curve::through(at, near.iter().map(scaled).collect(), log);
        let (a, b) = (curve.value(low).0, curve.value(high).0);
        let least = FLAT * t.instrument.sigma(value(&h));
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
