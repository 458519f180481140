//! Link of a bus line through a part: mode 1 closed. Branches: the link, and what its supply holds it with
//! where it needs one.

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// What holding it closed takes, ohms: a milliampere at 12 V.
const HOLD_OHMS: f64 = 12_000.0;

#[derive(Debug)]
struct BusLink {
    ohms: f64,
    /// Supply voltage from which on it is closed; none where it always is.
    hold_volts: Option<f64>,
}

impl Placing for element::BusLink {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, plus, minus, ohms, hold_volts } = self;
        b.branch(a, other);
        let supply = plus.as_ref().zip(minus.as_ref());
        if let Some((plus, minus)) = supply {
            b.branch(plus, minus);
        }
        Box::new(BusLink { ohms: *ohms, hold_volts: supply.map(|_| *hold_volts) })
    }
    fn rate(&self) -> Rate {
        rates::RESISTOR
    }
}

impl Device for BusLink {
    fn start(&self, _state: &OperatingState) -> u8 {
        u8::from(self.hold_volts.is_none())
    }
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, 1) => Law::Ohms(self.ohms),
            (0, _) => Law::OPEN,
            _ => Law::Ohms(HOLD_OHMS),
        }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        self.hold_volts.map_or(mode, |hold| u8::from(seen.volts[1] >= hold))
    }
    fn margin(&self, _mode: u8, seen: &Seen<'_>) -> f64 {
        self.hold_volts.map_or(f64::INFINITY, |hold| (seen.volts[1] - hold).abs())
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = vec![Failure::new("open", 0.6, "bus link open", Local::Law(0, Law::OPEN))];
        out.extend(Failure::grid(
            "link_series",
            0.3,
            &[10.0, 50.0, 250.0],
            number,
            |r| format!("bus link with {} more", ohms_text(r)),
            |r| Local::Series(0, r),
        ));
        out
    }
}
