//! A chain of light-emitting diodes with its series resistor.

use super::{Device, Failure};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

/// Current at which the forward voltage is stated, amperes.
const AT_AMPS: f64 = 0.01;
/// Forward voltage of one junction of the chain, volts.
const ONE_VOLTS: f64 = 2.0;

#[derive(Debug)]
struct LedLamp {
    law: Law,
    rated: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::LedLamp { plus, minus, forward_volts, ohms, rated_amps, .. } = element else {
        return None;
    };
    b.branch(plus, minus);
    let chain = (forward_volts / ONE_VOLTS).max(1.0);
    let law = Law::junction(*forward_volts, AT_AMPS, 0.0, chain).in_series(*ohms);
    Some(Box::new(LedLamp { law, rated: *rated_amps }))
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
