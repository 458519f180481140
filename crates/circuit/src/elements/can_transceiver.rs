//! CAN transceiver (ISO 11898-2): mode 0 unpowered, 1 recessive, 2 dominant. Branches: input networks of
//! high and low to the bias, driver of high, driver of low. A driver is a switch behind a diode:
//! the high one only gives, the low one only takes. With two 120 Ohm terminators and 23 Ohm drivers
//! (4.3 V - 0.7 V) / (23 + 60 + 23) = 34 mA flow: high at 3.5 V, low at 1.5 V.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Forward voltage of a driver's diode, volts.
const DIODE_VOLTS: f64 = 0.7;
/// Short-circuit current of a driver, amperes (ISO 11898-2: below 115 mA).
const SHORT_AMPS: f64 = 0.1;

#[derive(Debug)]
struct CanTransceiver {
    bias: f64,
    input: f64,
    driver: f64,
}

impl Placing for element::CanTransceiver {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { high, low, ground, bias_volts, input_ohms, driver_ohms, .. } = self;
        b.branch(high, ground);
        b.branch(low, ground);
        b.branch(high, ground);
        b.branch(low, ground);
        Box::new(CanTransceiver { bias: *bias_volts, input: *input_ohms, driver: *driver_ohms })
    }
}

impl Device for CanTransceiver {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0 | 1, 0) => Law::Ohms(self.input),
            (0 | 1, _) => Law::Source { volts: self.bias, ohms: self.input },
            (2, 2) => Law::Limited {
                volts: 2.0 * self.bias - DIODE_VOLTS,
                ohms: self.driver,
                gives: SHORT_AMPS,
                takes: 0.0,
            },
            (_, 2) => Law::Limited {
                volts: DIODE_VOLTS,
                ohms: self.driver,
                gives: 0.0,
                takes: SHORT_AMPS,
            },
            _ => Law::OPEN,
        }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        u8::from(seen.alive)
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![
            Failure::new("stuck_dominant", 0.15, "transceiver stuck dominant", Local::Hold(2)),
            Failure::new("silent", 0.15, "transceiver silent", Local::Hold(0)),
        ]
    }
}
