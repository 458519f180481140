//! Reference-voltage output: mode 1 regulates up to its current limit while the module works.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// What is left of a dead output: its feedback divider, ohms.
const DEAD_OHMS: f64 = 20_000.0;
/// Current it can take back, amperes.
const TAKES: f64 = 1e-4;

#[derive(Debug)]
struct Reference {
    volts: f64,
    limit: f64,
    ohms: f64,
}

impl Placing for element::Reference {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, ground, volts, limit_amps, ohms } = self;
        b.branch(pin, ground);
        Box::new(Reference { volts: *volts, limit: *limit_amps, ohms: *ohms })
    }
}

impl Reference {
    fn regulating_at(&self, volts: f64) -> Law {
        Law::Limited { volts, ohms: self.ohms, gives: self.limit, takes: TAKES }
    }
}

impl Device for Reference {
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        if mode == 1 { self.regulating_at(self.volts) } else { Law::Ohms(DEAD_OHMS) }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        u8::from(seen.alive)
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::grid(
            "sagging",
            0.1,
            &[2.0, 3.5, 4.5],
            number,
            |v| format!("reference sags to {v} V"),
            |v| Local::Law(0, self.regulating_at(v)),
        );
        out.insert(0, Failure::new("reference_dead", 0.1, "reference output dead", Local::Hold(0)));
        out
    }
}
