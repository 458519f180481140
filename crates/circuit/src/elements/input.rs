//! Digital module input with its pull resistor.

use super::{Device, Failure, Local};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct Input(f64);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Input { pin, pull_to, pull_ohms } = element else {
        return None;
    };
    b.branch(pin, pull_to);
    Some(Box::new(Input(*pull_ohms)))
}

impl Device for Input {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("dead", 0.1, "input dead", Local::Law(0, Law::OPEN))]
    }
}
