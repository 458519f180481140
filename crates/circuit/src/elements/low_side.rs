//! Low-side driver: mode 0 off, 1 on, 2 latched off after overcurrent.

use super::{Device, Nothing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

#[derive(Debug)]
struct LowSide {
    output: String,
    on_ohms: f64,
    limit: f64,
    sense_ohms: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::LowSide { pin, ground, output, on_ohms, limit_amps, sense_ohms } = element else {
        return Box::new(Nothing);
    };
    b.branch(pin, ground);
    Box::new(LowSide {
        output: output.clone(),
        on_ohms: *on_ohms,
        limit: *limit_amps,
        sense_ohms: *sense_ohms,
    })
}

impl Device for LowSide {
    fn law(&self, _role: usize, mode: u8) -> Law {
        Law::Ohms(if mode == 1 { self.on_ohms } else { self.sense_ohms })
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        match mode {
            2 if seen.alive => 2,
            1 if seen.amps[0] > self.limit => 2,
            _ => u8::from(seen.alive && seen.asked),
        }
    }
    fn output(&self) -> Option<&str> {
        Some(&self.output)
    }
}
