//! A module's self-test: its monitors run one after the other, each through its whole debounce at once.

use crate::world::World;
use circuit::software::Verdict;
use std::time::Duration;
use vehicle::{MonitorIx, PartIx};

/// What one monitor takes.
const EACH: Duration = Duration::from_millis(80);

/// A self-test that runs or has run.
#[derive(Debug, Clone, Default)]
pub(crate) struct SelfTest {
    /// Monitors, those that ran first.
    all: Vec<MonitorIx>,
    ran: usize,
    passed: Duration,
    stopped: bool,
    /// Those that failed.
    pub(crate) failing: Vec<MonitorIx>,
}

impl SelfTest {
    /// Whether monitors are still to run.
    pub(crate) fn is_running(&self) -> bool {
        !self.stopped && self.ran < self.all.len()
    }

    /// How far it is, percent.
    pub(crate) fn percent(&self) -> u8 {
        match self.all.len() {
            0 => 100,
            all => (100 * self.ran / all) as u8,
        }
    }

    /// Ends it where it is.
    pub(crate) fn stop(&mut self) {
        self.stopped = true;
    }
}

impl World {
    /// Starts the self-test of a module, anew where one runs.
    pub(crate) fn start_test(&mut self, part: PartIx) {
        let monitors = self.circuit.vehicle.monitors.iter_enumerated();
        let module = &self.circuit.vehicle.parts[part].id;
        let all = monitors.filter(|(_, m)| m.module == *module).map(|(k, _)| k).collect();
        self.tested.insert(part, SelfTest { all, ..SelfTest::default() });
    }

    /// Lets the self-tests that run go on.
    pub(crate) fn test_on(&mut self, by: Duration) {
        let mut due: Vec<(PartIx, MonitorIx)> = Vec::new();
        for (part, test) in self.tested.iter_mut().filter(|(_, t)| t.is_running()) {
            test.passed += by;
            let until = (test.passed.as_millis() / EACH.as_millis()) as usize;
            let until = until.min(test.all.len());
            due.extend(test.all[test.ran..until].iter().map(|k| (*part, *k)));
            test.ran = until;
        }
        for (part, monitor) in due {
            if self.runs_through(monitor)
                && let Some(test) = self.tested.get_mut(&part)
            {
                test.failing.push(monitor);
            }
        }
    }

    /// Runs a monitor through its whole debounce; whether it fails.
    fn runs_through(&mut self, k: MonitorIx) -> bool {
        let (verdict, supply) = self.judged(k);
        let debounce_ms = self.circuit.vehicle.monitors[k].debounce_ms;
        let whole = Duration::from_millis(debounce_ms.into());
        match verdict {
            Verdict::NotRun => {}
            Verdict::Passed => self.memory[k].passed(whole, debounce_ms),
            Verdict::Failed => {
                if self.memory[k].failed(whole, debounce_ms, supply) {
                    self.record(k);
                }
            }
        }
        verdict == Verdict::Failed
    }
}
