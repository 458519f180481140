//! A ring of teeth. Mechanics is solved like everything else, by its usual likeness: the rate of its teeth, in
//! hertz, is the voltage of a node of its own against the body.

use super::{Device, Failure, Felt, Local, Placing};
use crate::compile::{BODY, Builder};
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// What the speed works through, and what the teeth work on, ohms: so far apart that the rate is in proportion
/// to the teeth that are left.
const DRIVE_OHMS: f64 = 1e6;
const TEETH_OHMS: f64 = 1e2;
/// Share of the teeth that are left, as tried; and of a ring that came loose.
const LEFT: [f64; 5] = [0.98, 0.96, 0.92, 0.83, 0.6];
const LOOSE: f64 = 1e-5;

#[derive(Debug)]
struct ToneRing {
    hertz: f64,
    felt: Felt,
}

impl Placing for element::ToneRing {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let rate = b.inside();
        b.branch_between(rate, BODY);
        b.branch_between(rate, BODY);
        Box::new(ToneRing { hertz: self.hertz, felt: Felt::new(b, &self.stimulus) })
    }
    fn rate(&self) -> Rate {
        rates::RING
    }
}

impl Device for ToneRing {
    fn law(&self, role: usize, _mode: u8, state: &OperatingState) -> Law {
        let rate = self.hertz * self.felt.now(state).abs();
        match role {
            0 => Law::Source { volts: rate * (1.0 + DRIVE_OHMS / TEETH_OHMS), ohms: DRIVE_OHMS },
            _ => Law::Ohms(TEETH_OHMS),
        }
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let text = |n: f64| format!("{:.0} % of its teeth left", 100.0 * n);
        let mut out = Failure::grid("teeth", 1.0, &LEFT, number, text, |n| Local::Times(1, n));
        out.push(Failure::new(
            "loose",
            0.3,
            "does not turn with its shaft",
            Local::Times(1, LOOSE),
        ));
        out
    }
}
