//! Plans that are being worked out: how far they are, and that nobody waits for them any more.

use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use utoipa::ToSchema;

/// How far a plan is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct PlanProgress {
    /// Moves that are solved.
    pub done: usize,
    /// Moves there are; 0 while nothing is worked out.
    pub of: usize,
}

type Far = Arc<Mutex<BTreeMap<(i64, String), PlanProgress>>>;

/// All plans that are being worked out.
#[derive(Debug, Default)]
pub struct Plans(Far);

fn lock(far: &Far) -> MutexGuard<'_, BTreeMap<(i64, String), PlanProgress>> {
    far.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Plans {
    /// A plan that begins; it ends with what is given back.
    pub fn begin(&self, job: i64, bus: &str) -> Planning {
        let over = Arc::default();
        Planning(Teller { far: Arc::clone(&self.0), of: (job, bus.to_owned()), over })
    }

    /// How far one is.
    pub fn progress(&self, job: i64, bus: &str) -> PlanProgress {
        lock(&self.0).get(&(job, bus.to_owned())).copied().unwrap_or_default()
    }
}

/// Somebody waits for a plan.
#[derive(Debug)]
pub struct Planning(Teller);

impl Planning {
    /// What tells how far it is.
    pub fn teller(&self) -> Teller {
        self.0.clone()
    }
}

impl Drop for Planning {
    fn drop(&mut self) {
        self.0.over.store(true, Ordering::Relaxed);
        lock(&self.0.far).remove(&self.0.of);
    }
}

/// Tells how far a plan is.
#[derive(Debug, Clone)]
pub struct Teller {
    far: Far,
    of: (i64, String),
    over: Arc<AtomicBool>,
}

impl Teller {
    /// Tells it; whether somebody still waits.
    pub fn tell(&self, done: usize, of: usize) -> bool {
        if self.over.load(Ordering::Relaxed) {
            return false;
        }
        lock(&self.far).insert(self.of.clone(), PlanProgress { done, of });
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_plan_that_nobody_waits_for_ends_and_leaves_nothing() {
        let plans = Plans::default();
        let planning = plans.begin(3, "body");
        let told = planning.teller();
        assert!(told.tell(2, 19));
        assert_eq!(plans.progress(3, "body"), PlanProgress { done: 2, of: 19 });
        assert_eq!(plans.progress(3, "drive"), PlanProgress::default());
        drop(planning);
        assert!(!told.tell(3, 19));
        assert_eq!(plans.progress(3, "body"), PlanProgress::default());
    }
}
