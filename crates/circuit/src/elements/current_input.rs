//! Module input that reads a sensor's current over a resistor.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct CurrentInput(f64);

impl Placing for element::CurrentInput {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, ground, sense_ohms } = self;
        b.branch(pin, ground);
        Box::new(CurrentInput(*sense_ohms))
    }
}

impl Device for CurrentInput {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("sense_open", 0.1, "input open inside", Local::Law(0, Law::OPEN))]
    }
}
