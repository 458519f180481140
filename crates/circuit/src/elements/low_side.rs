//! Low-side driver: mode 0 off, 1 on, 2 latched off after overcurrent.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, OutputIx, Part, element};

#[derive(Debug)]
struct LowSide {
    output: Option<OutputIx>,
    on_ohms: f64,
    limit: f64,
    sense_ohms: f64,
}

impl Placing for element::LowSide {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, ground, output, on_ohms, limit_amps, sense_ohms } = self;
        b.branch(pin, ground);
        Box::new(LowSide {
            output: b.output(output),
            on_ohms: *on_ohms,
            limit: *limit_amps,
            sense_ohms: *sense_ohms,
        })
    }
}

impl Device for LowSide {
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(if mode == 1 { self.on_ohms } else { self.sense_ohms })
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        match mode {
            2 if seen.alive => 2,
            1 if seen.amps[0] > self.limit => 2,
            _ => u8::from(seen.alive && seen.wants(self.output)),
        }
    }
    fn margin(&self, mode: u8, seen: &Seen<'_>) -> f64 {
        if mode == 1 { (self.limit - seen.amps[0].abs()) * self.on_ohms } else { f64::INFINITY }
    }
    fn latched(&self, mode: u8) -> bool {
        mode == 2
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![
            Failure::new("driver_open", 0.15, "a driver does not switch on", Local::Hold(0)),
            Failure::new("driver_shorted", 0.1, "a driver does not switch off", Local::Hold(1)),
        ]
    }
}
