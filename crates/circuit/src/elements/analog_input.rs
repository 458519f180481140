//! Module input pulled to an internal rail: mode 1 while the module works.

use super::{Device, Failure, Local, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct AnalogInput {
    volts: f64,
    ohms: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::AnalogInput { pin, ground, pull_volts, pull_ohms } = element else {
        return None;
    };
    b.branch(pin, ground);
    Some(Box::new(AnalogInput { volts: *pull_volts, ohms: *pull_ohms }))
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
