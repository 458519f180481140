//! Figures over many jobs.

use super::{Ending, Worked};
use serde::Serialize;
use std::collections::BTreeMap;

/// A band of probabilities claimed for the item named.
#[derive(Debug, Clone, Copy)]
pub struct Band {
    /// In words.
    pub name: &'static str,
    /// Its upper end, 0 to 1.
    pub below: f64,
}

/// Bands that are told apart, rising.
pub const BANDS: [Band; 5] = [
    Band { name: "below 50 %", below: 0.5 },
    Band { name: "50 to 90 %", below: 0.9 },
    Band { name: "90 to 95 %", below: 0.95 },
    Band { name: "95 to 99 %", below: 0.99 },
    Band { name: "over 99 %", below: f64::INFINITY },
];

/// Jobs that ended in a band.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct Claimed {
    /// Jobs.
    pub jobs: usize,
    /// Of them, named what was at fault.
    pub right: usize,
    /// Sum of minus the logarithm of what was claimed for what turned out.
    pub log_loss: f64,
}

impl Claimed {
    /// 95 % interval of the true share (Wilson 1927).
    pub fn interval(&self) -> (f64, f64) {
        interval(self.right, self.jobs)
    }
}

/// 95 % interval of a share of which `right` of `jobs` were seen (Wilson 1927).
fn interval(right: usize, jobs: usize) -> (f64, f64) {
    const Z: f64 = 1.96;
    let n = jobs.max(1) as f64;
    let p = right as f64 / n;
    let middle = p + Z * Z / (2.0 * n);
    let half = Z * (p * (1.0 - p) / n + Z * Z / (4.0 * n * n)).sqrt();
    let scale = 1.0 + Z * Z / n;
    ((middle - half) / scale, (middle + half) / scale)
}

/// Checks of a kind.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
pub struct Checked {
    /// How many.
    pub times: usize,
    /// Information promised together, bits.
    pub promised: f64,
    /// By how much the uncertainty fell together, bits.
    pub gained: f64,
    /// Checks that moved it by less than a tenth of a bit.
    pub idle: usize,
}

/// Less than this is nothing gained, bits.
const IDLE_BITS: f64 = 0.1;

/// Figures of one strategy over many jobs of a kind.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Tally {
    /// Jobs.
    pub jobs: usize,
    /// Named a part that was at fault.
    pub right: usize,
    /// Ended with one item above the threshold.
    pub proven: usize,
    /// Of those, named a part that was at fault.
    pub right_when_proven: usize,
    /// Named a module that was good.
    pub good_modules: usize,
    /// Ended because nothing in reach could tell more.
    pub nothing_left: usize,
    /// Ended because of too many checks.
    pub gave_up: usize,
    /// By what was claimed at the end, as in [`BANDS`].
    pub bands: [Claimed; 5],
    /// By kind of check, those that were chosen for what they tell.
    pub by_check: BTreeMap<&'static str, Checked>,
    /// Of two faults at once, jobs in which both were found, one after the other.
    pub both: usize,
    /// Of what is not in the file, jobs in which something it touches was named.
    pub touched: usize,
    /// Parts fitted to see.
    pub fitted: usize,
    checks: usize,
    minutes: Vec<f64>,
    cost: f64,
}

impl Tally {
    /// Takes in a job; `is_module` says whether an item is a module.
    pub fn add(&mut self, w: &Worked, is_module: bool) {
        self.jobs += 1;
        self.right += usize::from(w.right);
        self.proven += usize::from(w.ending == Ending::Proven);
        self.right_when_proven += usize::from(w.ending == Ending::Proven && w.right);
        self.good_modules += usize::from(is_module && !w.right);
        self.nothing_left += usize::from(w.ending == Ending::NothingLeft);
        self.gave_up += usize::from(w.ending == Ending::GaveUp);
        self.checks += w.checks;
        self.minutes.push(w.minutes);
        self.fitted += w.fitted;
        self.cost += w.cost;
        let band = BANDS.iter().position(|b| w.probability < b.below).unwrap_or(BANDS.len() - 1);
        let of = &mut self.bands[band];
        of.jobs += 1;
        of.right += usize::from(w.right);
        let told = if w.right { w.probability } else { 1.0 - w.probability };
        of.log_loss -= told.max(1e-6).ln();
        for taken in &w.taken {
            let of = self.by_check.entry(taken.kind).or_default();
            of.times += 1;
            of.promised += taken.promised;
            of.gained += taken.gained;
            // What raises the uncertainty has told something, too.
            of.idle += usize::from(taken.gained.abs() < IDLE_BITS);
        }
    }

    fn share(&self, n: usize) -> f64 {
        n as f64 / self.jobs.max(1) as f64
    }

    /// Share of jobs in which the item named first was at fault, 0 to 1.
    pub fn accuracy(&self) -> f64 {
        self.share(self.right)
    }

    /// 95 % interval of the accuracy.
    pub fn interval(&self) -> (f64, f64) {
        interval(self.right, self.jobs)
    }

    /// Share of the checks that were chosen for what they tell and moved the uncertainty by next to nothing.
    pub fn idle(&self) -> f64 {
        let (idle, times) =
            self.by_check.values().fold((0, 0), |(i, t), of| (i + of.idle, t + of.times));
        idle as f64 / times.max(1) as f64
    }

    /// Mean logarithmic loss of what was claimed for the item named.
    pub fn log_loss(&self) -> f64 {
        self.bands.iter().map(|of| of.log_loss).sum::<f64>() / self.jobs.max(1) as f64
    }

    /// The same among those that ended above the threshold.
    pub fn accuracy_when_proven(&self) -> f64 {
        self.right_when_proven as f64 / self.proven.max(1) as f64
    }

    /// Share of jobs in which a good module was named.
    pub fn condemned(&self) -> f64 {
        self.share(self.good_modules)
    }

    /// Mean number of checks.
    pub fn mean_checks(&self) -> f64 {
        self.checks as f64 / self.jobs.max(1) as f64
    }

    /// Mean minutes.
    pub fn mean_minutes(&self) -> f64 {
        self.minutes.iter().sum::<f64>() / self.jobs.max(1) as f64
    }

    /// Mean money to the end of a job, mending included.
    pub fn mean_cost(&self) -> f64 {
        self.cost / self.jobs.max(1) as f64
    }

    /// Minutes that nine jobs of ten stay below.
    pub fn worst_tenth(&self) -> f64 {
        let mut sorted = self.minutes.clone();
        sorted.sort_by(f64::total_cmp);
        sorted.get(sorted.len() * 9 / 10).copied().unwrap_or(0.0)
    }
}
