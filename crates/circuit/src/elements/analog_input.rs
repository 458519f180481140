//! Module input pulled to an internal rail: mode 1 while the module works.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct AnalogInput {
    volts: f64,
    ohms: f64,
}

impl Placing for element::AnalogInput {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, ground, pull_volts, pull_ohms } = self;
        b.branch(pin, ground);
        Box::new(AnalogInput { volts: *pull_volts, ohms: *pull_ohms })
    }
}

impl Device for AnalogInput {
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        match mode {
            1 => Law::Source { volts: self.volts, ohms: self.ohms },
            // The dead rail hangs on everything else it feeds.
            _ => Law::Ohms(self.ohms + 1000.0),
        }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        u8::from(seen.alive)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("input_dead", 0.1, "input without its pull-up", Local::Law(0, Law::OPEN))]
    }
}
