//! Workshop charger: a regulated source behind its current limit; mode 1 is switched on by the state.

use super::{Device, Failure, Local};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState};

#[derive(Debug)]
struct Charger(Law);

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::Charger { plus, minus, set_volts, limit_amps, internal_ohms } = element else {
        return None;
    };
    b.branch(plus, minus);
    Some(Box::new(Charger(Law::Limited {
        volts: *set_volts,
        ohms: *internal_ohms,
        gives: *limit_amps,
        takes: 0.0,
    })))
}

impl Device for Charger {
    fn start(&self, state: &OperatingState) -> u8 {
        u8::from(state.charger)
    }
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        if mode == 1 { self.0 } else { Law::OPEN }
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        // The workshop's own tool: not a suspect of the vehicle. Left on, it is part of the state.
        vec![Failure::new("dead", 0.0, "gives nothing", Local::Hold(0))]
    }
}
