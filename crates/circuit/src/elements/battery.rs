//! Lead-acid battery: open-circuit voltage behind an internal resistance; mode 1 is taken off.

use super::{Device, Nothing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct Battery {
    volts: f64,
    ohms: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Battery { plus, minus, open_volts, internal_ohms } = element else {
        return Box::new(Nothing);
    };
    b.branch(plus, minus);
    Box::new(Battery { volts: *open_volts, ohms: *internal_ohms })
}

impl Device for Battery {
    fn start(&self, state: &OperatingState) -> u8 {
        u8::from(state.battery_off)
    }
    fn law(&self, _role: usize, mode: u8) -> Law {
        match mode {
            0 => Law::Source { volts: self.volts, ohms: self.ohms },
            _ => Law::OPEN,
        }
    }
    fn is_source(&self) -> bool {
        true
    }
}
