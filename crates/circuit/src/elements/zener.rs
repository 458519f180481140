//! Zener diode or transient clamp: a forward junction, and a second one backward behind its voltage.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Current at which the breakdown voltage is stated, amperes.
const AT_AMPS: f64 = 0.01;
/// Steepness of the breakdown, as a junction's forward voltage, volts.
const KNEE_VOLTS: f64 = 0.3;

#[derive(Debug)]
struct Zener {
    forward: Law,
    backward: Law,
}

impl Placing for element::Zener {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { anode, cathode, zener_volts, ohms } = self;
        b.branch(anode, cathode);
        b.branch(cathode, anode);
        let knee = Law::junction(KNEE_VOLTS, AT_AMPS, 0.0, 0.5).in_series(*ohms);
        let backward = match knee {
            Law::Junction { saturation, slope, ohms, .. } => {
                Law::Junction { saturation, slope, ohms, offset: zener_volts - KNEE_VOLTS }
            }
            other => other,
        };
        let forward = Law::junction(0.75, 0.1, 0.05, 1.0);
        Box::new(Zener { forward, backward })
    }
    fn rate(&self) -> Rate {
        rates::DIODE
    }
}

impl Device for Zener {
    fn law(&self, role: usize, _mode: u8, _state: &OperatingState) -> Law {
        if role == 0 { self.forward } else { self.backward }
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        // A clamp that died of a surge is a short; open it is never noticed by the circuit itself.
        vec![Failure::new("shorted", 0.3, "shorted", Local::Law(0, Law::Ohms(0.1)))]
    }
}
