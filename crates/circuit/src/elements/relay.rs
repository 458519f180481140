//! Relay with a normally open contact: mode 1 is pulled in; between the two thresholds it keeps its mode.

use super::{Device, Nothing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

#[derive(Debug)]
struct Relay {
    coil_ohms: f64,
    pull_in: f64,
    drop_out: f64,
    contact_ohms: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Relay {
        coil_plus,
        coil_minus,
        common,
        make,
        coil_ohms,
        pull_in_volts,
        drop_out_volts,
        contact_ohms,
    } = element
    else {
        return Box::new(Nothing);
    };
    b.branch(coil_plus, coil_minus);
    b.branch(common, make);
    Box::new(Relay {
        coil_ohms: *coil_ohms,
        pull_in: *pull_in_volts,
        drop_out: *drop_out_volts,
        contact_ohms: *contact_ohms,
    })
}

impl Device for Relay {
    fn law(&self, role: usize, mode: u8) -> Law {
        match (role, mode) {
            (0, _) => Law::Ohms(self.coil_ohms),
            (_, 1) => Law::Ohms(self.contact_ohms),
            _ => Law::OPEN,
        }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        let coil = seen.volts[0].abs();
        if coil >= self.pull_in {
            1
        } else if coil <= self.drop_out {
            0
        } else {
            mode
        }
    }
}
