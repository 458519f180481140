//! Module supply input: mode 0 off or out of range, 1 awake. It draws by its mode and carries the module's life.

use super::{Device, Failure, Local, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

/// Pull-down of a wake-up input, ohms.
const WAKE_OHMS: f64 = 47_000.0;
/// Voltage at which the draw is stated, volts.
const STATED_VOLTS: f64 = 12.0;

#[derive(Debug)]
struct Supply {
    awake_ohms: f64,
    asleep_ohms: f64,
    min: f64,
    max: f64,
    has_wake: bool,
    bus_wake: bool,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Supply { plus, minus, wake, awake_amps, asleep_amps, min_volts, max_volts, bus_wake } = element else {
        return None;
    };
    b.branch(plus, minus);
    if let Some(wake) = wake {
        b.branch(wake, minus);
    }
    Some(Box::new(Supply {
        awake_ohms: STATED_VOLTS / awake_amps,
        asleep_ohms: STATED_VOLTS / asleep_amps,
        min: *min_volts,
        max: *max_volts,
        has_wake: wake.is_some(),
        bus_wake: *bus_wake,
    }))
}

impl Device for Supply {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, 1) => Law::Ohms(self.awake_ohms),
            (0, _) => Law::Ohms(self.asleep_ohms),
            _ => Law::Ohms(WAKE_OHMS),
        }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        let supply = seen.volts[0];
        let by_pin = self.has_wake && seen.volts[1] > 0.5 * supply;
        let by_bus = self.bus_wake && seen.bus_awake;
        let woken = by_pin || by_bus || !(self.has_wake || self.bus_wake);
        u8::from(woken && supply >= self.min && supply <= self.max)
    }
    fn alive(&self, mode: u8) -> Option<bool> {
        Some(mode == 1)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![
            Failure::new("dead", 0.3, "does not work though supplied", Local::Hold(0)),
            Failure::new("sleepless", 0.05, "does not sleep", Local::Hold(1)),
        ]
    }
}
