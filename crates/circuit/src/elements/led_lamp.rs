//! A chain of light-emitting diodes with its series resistor.

use super::{Device, Failure, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Current at which the forward voltage is stated, amperes.
const AT_AMPS: f64 = 0.01;
/// Forward voltage of one junction of the chain, volts.
const ONE_VOLTS: f64 = 2.0;

#[derive(Debug)]
struct LedLamp {
    law: Law,
    rated: f64,
}

impl Placing for element::LedLamp {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, forward_volts, ohms, rated_amps, .. } = self;
        b.branch(plus, minus);
        let chain = (forward_volts / ONE_VOLTS).max(1.0);
        let law = Law::junction(*forward_volts, AT_AMPS, 0.0, chain).in_series(*ohms);
        Box::new(LedLamp { law, rated: *rated_amps })
    }
    fn rate(&self) -> Rate {
        rates::LED
    }
}

impl Device for LedLamp {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        self.law
    }
    fn effect(&self, law: Law, volts: f64) -> Option<f64> {
        match law {
            Law::Junction { .. } => Some((law.amps(volts) / self.rated).max(0.0)),
            _ => Some(0.0),
        }
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        Failure::open_or_short(0.6, 0.05, 10.0, "light-emitting diodes")
    }
}
