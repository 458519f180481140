//! Figures over many jobs.

use super::{Ending, Worked};
use serde::Serialize;

/// Figures of one strategy over many jobs of a kind.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
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
    checks: usize,
    minutes: f64,
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
        self.minutes += w.minutes;
    }

    fn share(&self, n: usize) -> f64 {
        n as f64 / self.jobs.max(1) as f64
    }

    /// Share of jobs in which the item named first was at fault, 0 to 1.
    pub fn accuracy(&self) -> f64 {
        self.share(self.right)
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
        self.minutes / self.jobs.max(1) as f64
    }
}
