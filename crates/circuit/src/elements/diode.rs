//! Silicon diode.

use super::{Device, Failure, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Diode(Law);

impl Placing for element::Diode {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { anode, cathode, forward_volts, rated_amps, ohms } = self;
        b.branch(anode, cathode);
        Box::new(Diode(Law::junction(*forward_volts, *rated_amps, *ohms, 1.0)))
    }
    fn rate(&self) -> Rate {
        rates::DIODE
    }
}

impl Device for Diode {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        self.0
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        Failure::open_or_short(0.5, 0.5, 0.05, "diode")
    }
}
