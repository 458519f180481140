//! Module supply input: mode 0 off or out of range, 1 awake. It draws by its mode and carries the module's life.

use super::{Device, Nothing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

/// Pull-down of a wake-up input, ohms.
const WAKE_OHMS: f64 = 47_000.0;

#[derive(Debug)]
struct Supply {
    awake_ohms: f64,
    asleep_ohms: f64,
    min: f64,
    max: f64,
    has_wake: bool,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Supply { plus, minus, awake_amps, asleep_amps, min_volts, max_volts, wake } =
        element
    else {
        return Box::new(Nothing);
    };
    b.branch(plus, minus);
    if let Some(wake) = wake {
        b.branch(wake, minus);
    }
    Box::new(Supply {
        awake_ohms: 12.0 / awake_amps,
        asleep_ohms: 12.0 / asleep_amps,
        min: *min_volts,
        max: *max_volts,
        has_wake: wake.is_some(),
    })
}

impl Device for Supply {
    fn law(&self, role: usize, mode: u8) -> Law {
        match (role, mode) {
            (0, 1) => Law::Ohms(self.awake_ohms),
            (0, _) => Law::Ohms(self.asleep_ohms),
            _ => Law::Ohms(WAKE_OHMS),
        }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        let supply = seen.volts[0];
        let woken = !self.has_wake || seen.volts[1] > 0.5 * supply;
        u8::from(woken && supply >= self.min && supply <= self.max)
    }
    fn alive(&self, mode: u8) -> Option<bool> {
        Some(mode == 1)
    }
}
