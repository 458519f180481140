//! Heater with a positive temperature coefficient: it heats itself and takes less.

use super::{Device, Failure, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Voltage at which its power counts as rated, volts.
const RATED_VOLTS: f64 = 12.0;

#[derive(Debug)]
struct Heater(Law);

impl Placing for element::Heater {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, ohms, knee_amps, .. } = self;
        b.branch(plus, minus);
        Box::new(Heater(Law::Constriction { ohms: *ohms, knee: *knee_amps }))
    }
    fn rate(&self) -> Rate {
        rates::HEATER
    }
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
        out.extend(Failure::drifted("drifted", 0.2, number, "heating element"));
        out
    }
}
