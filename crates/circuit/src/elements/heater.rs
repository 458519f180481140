//! Heater with a positive temperature coefficient: it heats itself and takes less.

use super::{Device, Failure};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

/// Voltage at which its power counts as rated, volts.
const RATED_VOLTS: f64 = 12.0;

#[derive(Debug)]
struct Heater(Law);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Heater { plus, minus, ohms, knee_amps, .. } = element else {
        return None;
    };
    b.branch(plus, minus);
    Some(Box::new(Heater(Law::Constriction { ohms: *ohms, knee: *knee_amps })))
}

impl Device for Heater {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        self.0
    }
    fn effect(&self, law: Law, volts: f64) -> Option<f64> {
        Some(volts * law.amps(volts) / (RATED_VOLTS * self.0.amps(RATED_VOLTS)))
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::open_or_short(1.0, 0.1, 0.1, "heating element");
        out.extend(Failure::drifted(0.2, number, "heating element"));
        out
    }
}
