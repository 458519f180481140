//! Memory of one monitor: status bits as ISO 14229-1 D.2 defines them, and a snapshot.

use std::time::Duration;

const FAILED: u8 = 0x01;
const FAILED_THIS_CYCLE: u8 = 0x02;
const PENDING: u8 = 0x04;
const CONFIRMED: u8 = 0x08;
const NOT_COMPLETED_SINCE_CLEAR: u8 = 0x10;
const FAILED_SINCE_CLEAR: u8 = 0x20;
const NOT_COMPLETED_THIS_CYCLE: u8 = 0x40;

/// What was recorded when a code was set.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Snapshot {
    pub(crate) odometer_km: u32,
    pub(crate) volts: f64,
}

#[derive(Debug, Clone)]
pub(crate) struct Memory {
    pub(crate) status: u8,
    pub(crate) snapshot: Option<Snapshot>,
    towards_failed: Duration,
    towards_passed: Duration,
}

/// Odometer of the simulated vehicle, kilometres.
pub(crate) const ODOMETER_KM: u32 = 61_240;

impl Memory {
    pub(crate) fn fresh() -> Self {
        Self {
            status: NOT_COMPLETED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE,
            snapshot: None,
            towards_failed: Duration::ZERO,
            towards_passed: Duration::ZERO,
        }
    }

    pub(crate) fn left_over(odometer_km: u32, volts: f64) -> Self {
        Self {
            status: CONFIRMED | FAILED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE,
            snapshot: Some(Snapshot { odometer_km, volts }),
            ..Self::fresh()
        }
    }

    pub(crate) fn new_cycle(&mut self) {
        self.status |= NOT_COMPLETED_THIS_CYCLE;
        self.status &= !FAILED_THIS_CYCLE;
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

    pub(crate) fn failed(&mut self, by: Duration, debounce_ms: u32, volts: f64) {
        self.towards_passed = Duration::ZERO;
        self.towards_failed += by;
        if self.towards_failed >= Duration::from_millis(debounce_ms.into()) {
            if self.status & FAILED == 0 {
                self.snapshot = Some(Snapshot { odometer_km: ODOMETER_KM, volts });
            }
            self.status &= !(NOT_COMPLETED_SINCE_CLEAR | NOT_COMPLETED_THIS_CYCLE);
            self.status |= FAILED | FAILED_THIS_CYCLE | PENDING | CONFIRMED | FAILED_SINCE_CLEAR;
        }
    }
}

/// Code bytes as SAE J2012-DA packs them.
pub(crate) fn bytes(code: &str, failure_type: &str) -> [u8; 3] {
    let letter = code.chars().next().and_then(|c| "PCBU".find(c)).unwrap_or(0) as u8;
    let rest = code.get(1..).and_then(|r| u16::from_str_radix(r, 16).ok()).unwrap_or(0);
    let [high, low] = rest.to_be_bytes();
    [letter << 6 | high, low, u8::from_str_radix(failure_type, 16).unwrap_or(0)]
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
        assert_eq!(m.status, 0x2F);
        for _ in 0..10 {
            m.passed(step, 500);
        }
        assert_eq!(m.status & (FAILED | CONFIRMED), CONFIRMED);
        m.clear();
        assert_eq!(m.status, 0x50);
    }
}
