//! LIN transceiver (ISO 17987-4): mode 0 unpowered, 1 recessive, 2 dominant. Branches: pull-up behind its
//! diode from the supply, driver to ground.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Forward voltage of the pull-up's diode at 10 mA, volts.
const DIODE_VOLTS: f64 = 0.7;
/// Saturation of the driver, volts, and its current limit, amperes (ISO 17987-4: 40 to 200 mA).
const SATURATION_VOLTS: f64 = 0.4;
const LIMIT_AMPS: f64 = 0.1;

#[derive(Debug)]
struct LinTransceiver {
    pull: Law,
    driver: f64,
}

impl Placing for element::LinTransceiver {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { pin, supply, ground, pull_ohms, driver_ohms, .. } = self;
        b.branch(supply, pin);
        b.branch(pin, ground);
        let pull = Law::junction(DIODE_VOLTS, 0.01, 0.0, 1.0).in_series(*pull_ohms);
        Box::new(LinTransceiver { pull, driver: *driver_ohms })
    }
}

impl Device for LinTransceiver {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, _) => self.pull,
            (_, 2) => Law::Limited {
                volts: SATURATION_VOLTS,
                ohms: self.driver,
                gives: 0.0,
                takes: LIMIT_AMPS,
            },
            _ => Law::OPEN,
        }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        u8::from(seen.alive)
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = vec![
            Failure::new("stuck_dominant", 0.3, "holds the LIN line low", Local::Hold(2)),
            Failure::new("silent", 0.3, "LIN transceiver silent", Local::Hold(0)),
        ];
        out.extend(Failure::grid(
            "drags",
            0.3,
            &[50.0, 150.0, 300.0, 600.0],
            number,
            |r| format!("drags the LIN line, {} to ground", ohms_text(r)),
            |r| Local::Law(1, Law::Ohms(r)),
        ));
        out
    }
}
