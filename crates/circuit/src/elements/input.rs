//! Module input with its pull resistor.

use super::{Device, Nothing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

#[derive(Debug)]
struct Input(f64);

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Input { pin, pull_to, pull_ohms } = element else {
        return Box::new(Nothing);
    };
    b.branch(pin, pull_to);
    Box::new(Input(*pull_ohms))
}

impl Device for Input {
    fn law(&self, _role: usize, _mode: u8) -> Law {
        Law::Ohms(self.0)
    }
}
