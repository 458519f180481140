//! Module input that reads a sensor's current over a resistor.

use super::{Device, Failure, Local};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct CurrentInput(f64);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::CurrentInput { pin, ground, sense_ohms } = element else {
        return None;
    };
    b.branch(pin, ground);
    Some(Box::new(CurrentInput(*sense_ohms)))
}

impl Device for CurrentInput {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("sense_open", 0.1, "input open inside", Local::Law(0, Law::OPEN))]
    }
}
