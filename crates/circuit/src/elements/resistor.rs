//! A plain resistor; a bus terminator is one.

use super::{Device, Failure, Local};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct Resistor(f64);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Resistor { a, b: other, ohms } = element else {
        return None;
    };
    b.branch(a, other);
    Some(Box::new(Resistor(*ohms)))
}

impl Device for Resistor {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::drifted(0.2, number, "resistor");
        out.insert(0, Failure::new("open", 1.0, "open or missing", Local::Law(0, Law::OPEN)));
        out
    }
}
