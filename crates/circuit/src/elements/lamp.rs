//! Incandescent lamp: the filament's resistance rises twelvefold from cold to hot, and the current with
//! the 0.55th power of the voltage; the light with about the 3.4th (the usual re-rating exponents).

use super::{Device, Failure, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Lamp {
    law: Law,
    rated: f64,
}

impl Placing for element::Lamp {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, rated_volts, rated_watts, .. } = self;
        b.branch(plus, minus);
        Box::new(Lamp { law: Law::filament(*rated_volts, *rated_watts), rated: *rated_volts })
    }
    fn rate(&self) -> Rate {
        rates::FILAMENT
    }
}

impl Device for Lamp {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        self.law
    }
    fn effect(&self, law: Law, volts: f64) -> Option<f64> {
        match law {
            Law::Filament { .. } => Some((volts.abs() / self.rated).powf(3.4)),
            _ => Some(0.0),
        }
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        Failure::open_or_short(2.0, 0.05, 0.1, "filament")
    }
}
