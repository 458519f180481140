//! Regulated generator: mode 0 stands, 1 regulates, 2 is at its current limit,
//! 3 is blocked by its rectifier because the system is above its set-point.

use super::{Device, Nothing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, Engine, OperatingState};

#[derive(Debug)]
struct Generator {
    volts: f64,
    ohms: f64,
    limit: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Generator { plus, minus, set_volts, limit_amps, internal_ohms } = element else {
        return Box::new(Nothing);
    };
    b.branch(plus, minus);
    Box::new(Generator { volts: *set_volts, ohms: *internal_ohms, limit: *limit_amps })
}

impl Device for Generator {
    fn start(&self, state: &OperatingState) -> u8 {
        u8::from(state.engine == Engine::Running)
    }
    fn law(&self, _role: usize, mode: u8) -> Law {
        match mode {
            1 => Law::Source { volts: self.volts, ohms: self.ohms },
            2 => Law::Current(-self.limit),
            _ => Law::OPEN,
        }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        let (v, i) = (seen.volts[0], seen.amps[0]);
        match mode {
            1 if i < -self.limit => 2,
            1 if i > 0.0 => 3,
            2 if v > self.volts - self.limit * self.ohms => 1,
            3 if v < self.volts => 1,
            mode => mode,
        }
    }
    fn is_source(&self) -> bool {
        true
    }
}
