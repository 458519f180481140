//! Permanent-magnet motor with a load that grows with speed; mode 1 is blocked.

use super::{Device, Nothing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

#[derive(Debug)]
struct Motor {
    ohms: f64,
    breakaway: f64,
    slope: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Motor {
        plus, minus, winding_ohms, rated_volts, rated_amps, breakaway_amps, ..
    } = element
    else {
        return Box::new(Nothing);
    };
    b.branch(plus, minus);
    Box::new(Motor {
        ohms: *winding_ohms,
        breakaway: *breakaway_amps,
        slope: (rated_volts - rated_amps * winding_ohms) / (rated_amps - breakaway_amps),
    })
}

impl Device for Motor {
    fn law(&self, _role: usize, mode: u8) -> Law {
        match mode {
            0 => Law::Motor { ohms: self.ohms, breakaway: self.breakaway, slope: self.slope },
            _ => Law::Ohms(self.ohms),
        }
    }
}
