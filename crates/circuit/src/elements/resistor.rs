//! A plain resistor; a bus terminator is one.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Resistor(f64);

impl Placing for element::Resistor {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, ohms } = self;
        b.branch(a, other);
        Box::new(Resistor(*ohms))
    }
    fn rate(&self) -> Rate {
        rates::RESISTOR
    }
}

impl Device for Resistor {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.0)
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::drifted("drifted", 0.2, number, "resistor");
        out.insert(0, Failure::new("open", 1.0, "open or missing", Local::Law(0, Law::OPEN)));
        out
    }
}
