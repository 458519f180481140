//! Silicon diode.

use super::{Device, Failure};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct Diode(Law);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Diode { anode, cathode, forward_volts, rated_amps, ohms } = element else {
        return None;
    };
    b.branch(anode, cathode);
    Some(Box::new(Diode(Law::junction(*forward_volts, *rated_amps, *ohms, 1.0))))
}

impl Device for Diode {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        self.0
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        Failure::open_or_short(0.5, 0.5, 0.05, "diode")
    }
}
