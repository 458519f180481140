//! A plain resistor.

use super::{Device, Nothing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

#[derive(Debug)]
struct Resistor(f64);

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Resistor { a, b: other, ohms } = element else {
        return Box::new(Nothing);
    };
    b.branch(a, other);
    Box::new(Resistor(*ohms))
}

impl Device for Resistor {
    fn law(&self, _role: usize, _mode: u8) -> Law {
        Law::Ohms(self.0)
    }
}
