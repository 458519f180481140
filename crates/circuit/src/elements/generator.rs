//! Regulated generator: mode 1 is driven. It holds its set-point up to its current limit, and its
//! rectifier takes nothing back.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{Engine, OperatingState, Part, element};

#[derive(Debug)]
struct Generator {
    volts: f64,
    ohms: f64,
    limit: f64,
}

impl Placing for element::Generator {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, set_volts, limit_amps, internal_ohms } = self;
        b.branch(plus, minus);
        Box::new(Generator { volts: *set_volts, ohms: *internal_ohms, limit: *limit_amps })
    }
    fn rate(&self) -> Rate {
        rates::GENERATOR
    }
}

impl Generator {
    fn regulating_at(&self, volts: f64) -> Law {
        Law::Limited { volts, ohms: self.ohms, gives: self.limit, takes: 0.0 }
    }
}

impl Device for Generator {
    fn start(&self, state: &OperatingState) -> u8 {
        u8::from(state.engine == Engine::Running)
    }
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        if mode == 1 { self.regulating_at(self.volts) } else { Law::OPEN }
    }
    fn is_source(&self) -> bool {
        true
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::grid(
            "diode_open",
            0.3,
            &[1.5, 3.0, 6.0],
            number,
            |n| format!("rectifier diodes open, 1/{n} of its current"),
            |n| {
                Local::Law(
                    0,
                    Law::Limited {
                        volts: self.volts,
                        ohms: self.ohms * n,
                        gives: self.limit / n,
                        takes: 0.0,
                    },
                )
            },
        );
        out.insert(0, Failure::new("dead", 1.0, "does not charge", Local::Hold(0)));
        out
    }
}
