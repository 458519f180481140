//! Workshop charger: a regulated source behind its current limit; mode 1 is switched on by the state.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Charger(Law);

impl Placing for element::Charger {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, set_volts, limit_amps, internal_ohms } = self;
        b.branch(plus, minus);
        Box::new(Charger(Law::Limited {
            volts: *set_volts,
            ohms: *internal_ohms,
            gives: *limit_amps,
            takes: 0.0,
        }))
    }
    fn rate(&self) -> Rate {
        rates::GENERATOR
    }
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
