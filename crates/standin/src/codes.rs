//! Memory of one monitor: status bits as ISO 14229-1 D.2 defines them, and a snapshot.

use std::time::Duration;
use vehicle::{FailureType, TroubleCode};

const FAILED: u8 = 0x01;
const FAILED_THIS_CYCLE: u8 = 0x02;
const PENDING: u8 = 0x04;
const CONFIRMED: u8 = 0x08;
const NOT_COMPLETED_SINCE_CLEAR: u8 = 0x10;
const FAILED_SINCE_CLEAR: u8 = 0x20;
const NOT_COMPLETED_THIS_CYCLE: u8 = 0x40;
const WARNING_LAMP: u8 = 0x80;
/// A code with one of these stands in the memory.
pub(crate) const IN_MEMORY: u8 = FAILED | CONFIRMED;
/// Operation cycles in a row without a failure after which a stored code is forgotten.
const AGED: u8 = 40;

/// What was recorded when a code was set.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Snapshot {
    pub(crate) odometer_km: u32,
    pub(crate) volts: f64,
    /// Time since the vehicle was built, seconds.
    pub(crate) seconds: u32,
    /// Values of its module's signals by data identifier.
    pub(crate) values: Vec<(u16, Vec<u8>)>,
}

#[derive(Debug, Clone)]
pub(crate) struct Memory {
    pub(crate) status: u8,
    pub(crate) snapshot: Option<Snapshot>,
    /// How often it failed; cycles since it last and first did.
    pub(crate) occurrences: u8,
    pub(crate) cycles_since_last: u8,
    pub(crate) cycles_since_first: u8,
    towards_failed: Duration,
    towards_passed: Duration,
}

impl Memory {
    pub(crate) fn fresh() -> Self {
        Self {
            status: NOT_COMPLETED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE,
            snapshot: None,
            occurrences: 0,
            cycles_since_last: 0,
            cycles_since_first: 0,
            towards_failed: Duration::ZERO,
            towards_passed: Duration::ZERO,
        }
    }

    pub(crate) fn left_over(odometer_km: u32, volts: f64) -> Self {
        Self {
            status: CONFIRMED | FAILED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE,
            snapshot: Some(Snapshot { odometer_km, volts, seconds: 0, values: Vec::new() }),
            occurrences: 1,
            cycles_since_last: 7,
            cycles_since_first: 7,
            ..Self::fresh()
        }
    }

    /// The key was off and on again (ISO 14229-1 D.2: what a new operation cycle does to each bit).
    pub(crate) fn new_cycle(&mut self) {
        let (tested, failed) =
            (self.status & NOT_COMPLETED_THIS_CYCLE == 0, self.status & FAILED_THIS_CYCLE != 0);
        if tested && !failed {
            self.status &= !PENDING;
        }
        if self.status & CONFIRMED != 0 {
            self.cycles_since_first = self.cycles_since_first.saturating_add(1);
            if failed {
                self.cycles_since_last = 0;
            } else if tested {
                self.cycles_since_last = self.cycles_since_last.saturating_add(1);
            }
            if self.cycles_since_last >= AGED {
                self.status &= !CONFIRMED;
                self.snapshot = None;
            }
        }
        self.status |= NOT_COMPLETED_THIS_CYCLE;
        self.status &= !FAILED_THIS_CYCLE;
        self.lamp();
    }

    /// A stored code that failed within the last three cycles asks for the lamp.
    fn lamp(&mut self) {
        match self.status & CONFIRMED != 0 && self.cycles_since_last < 3 {
            true => self.status |= WARNING_LAMP,
            false => self.status &= !WARNING_LAMP,
        }
    }

    pub(crate) fn clear(&mut self) {
        *self = Self::fresh();
    }

    pub(crate) fn pause(&mut self) {
        self.towards_failed = Duration::ZERO;
        self.towards_passed = Duration::ZERO;
    }

    pub(crate) fn passed(&mut self, by: Duration, debounce_ms: u32) {
        self.towards_failed = Duration::ZERO;
        self.towards_passed += by;
        if self.towards_passed >= Duration::from_millis(debounce_ms.into()) {
            self.status &= !(FAILED | NOT_COMPLETED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE);
        }
    }

    /// Whether it was set just now: what is to be recorded is taken then.
    pub(crate) fn failed(&mut self, by: Duration, debounce_ms: u32, volts: f64) -> bool {
        let mut set = false;
        self.towards_passed = Duration::ZERO;
        self.towards_failed += by;
        if self.towards_failed >= Duration::from_millis(debounce_ms.into()) {
            if self.status & FAILED == 0 {
                set = true;
                self.snapshot = Some(Snapshot {
                    // The vehicle fills in what belongs to the moment.
                    odometer_km: 0,
                    volts,
                    seconds: 0,
                    values: Vec::new(),
                });
                self.occurrences = self.occurrences.saturating_add(1);
                self.cycles_since_last = 0;
            }
            self.status &= !(NOT_COMPLETED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE);
            self.status |= FAILED | FAILED_THIS_CYCLE | PENDING | CONFIRMED | FAILED_SINCE_CLEAR;
            self.lamp();
        }
        set
    }
}

/// The three bytes of a code; where the file has no failure type it is 00, which says nothing (SAE J2012-DA).
pub(crate) fn bytes(code: TroubleCode, failure_type: FailureType) -> [u8; 3] {
    let [high, low] = code.bytes();
    [high, low, failure_type.byte().unwrap_or(0)]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_needs_its_time_and_stays_stored() {
        let mut m = Memory::fresh();
        assert_eq!(m.status, 0x50);
        let step = Duration::from_millis(50);
        for _ in 0..9 {
            m.failed(step, 500, 12.0);
        }
        assert_eq!(m.status & FAILED, 0, "450 ms of 500");
        m.failed(step, 500, 12.0);
        // All of failed, pending, confirmed, and the lamp; both "not completed" bits clear.
        assert_eq!(m.status, 0xAF);
        for _ in 0..10 {
            m.passed(step, 500);
        }
        assert_eq!(m.status & (FAILED | CONFIRMED), CONFIRMED);
        m.clear();
        assert_eq!(m.status, 0x50);
    }

    /// The bits over four operation cycles, as ISO 14229-1 D.2 has them.
    #[test]
    fn each_bit_follows_the_operation_cycles() {
        let mut m = Memory::fresh();
        let whole = Duration::from_millis(500);
        m.failed(whole, 500, 12.0);
        assert_eq!((m.occurrences, m.cycles_since_last), (1, 0));
        m.new_cycle();
        // Still failing as far as anyone knows, not tested yet in this cycle.
        assert_eq!(m.status, 0xED & !FAILED_THIS_CYCLE);
        m.passed(whole, 500);
        assert_eq!(m.status, PENDING | CONFIRMED | FAILED_SINCE_CLEAR | WARNING_LAMP);
        m.new_cycle();
        assert_eq!(m.status & PENDING, 0, "a whole cycle without a failure");
        assert_eq!(m.status & CONFIRMED, CONFIRMED);
        for _ in 0..3 {
            m.passed(whole, 500);
            m.new_cycle();
        }
        assert_eq!(m.status & WARNING_LAMP, 0, "three good cycles put the lamp out");
        m.failed(whole, 500, 12.0);
        assert_eq!((m.occurrences, m.status & WARNING_LAMP), (2, WARNING_LAMP));
        for _ in 0..50 {
            m.passed(whole, 500);
            m.new_cycle();
        }
        assert_eq!((m.status & CONFIRMED, m.snapshot.clone()), (0, None), "aged");
    }

    /// A cycle in which the monitor did not run says nothing.
    #[test]
    fn a_cycle_without_a_test_neither_clears_nor_ages() {
        let mut m = Memory::fresh();
        m.failed(Duration::from_millis(500), 500, 12.0);
        m.new_cycle();
        for _ in 0..60 {
            m.new_cycle();
        }
        assert_eq!(m.status & (PENDING | CONFIRMED), PENDING | CONFIRMED);
        assert_eq!(m.cycles_since_last, 0);
    }
}
