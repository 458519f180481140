//! Digital module input with its pull resistor.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Input(f64);

impl Placing for element::Input {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, pull_to, pull_ohms } = self;
        b.branch(pin, pull_to);
        Box::new(Input(*pull_ohms))
    }
}

impl Device for Input {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("dead", 0.1, "input dead", Local::Law(0, Law::OPEN))]
    }
}
