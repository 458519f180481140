//! Blade fuse: mode 1 is blown, and stays so (ISO 8820-3).

use super::{Device, Failure, Local, Placing, Seen};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Multiple of the rating at which a blade fuse opens within half an hour at most (ISO 8820-3).
pub(crate) const BLOWS_AT: f64 = 1.35;
/// Cold drop of a blade fuse at its rated current, volts.
const RATED_DROP: f64 = 0.075;

#[derive(Debug)]
struct Fuse {
    rating: f64,
}

impl Placing for element::Fuse {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, rating_amps } = self;
        b.branch(a, other);
        Box::new(Fuse { rating: *rating_amps })
    }
    fn rate(&self) -> Rate {
        rates::FUSE
    }
}

impl Device for Fuse {
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        if mode == 0 { Law::Ohms(RATED_DROP / self.rating) } else { Law::OPEN }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        if seen.amps[0].abs() > BLOWS_AT * self.rating { 1 } else { mode }
    }
    fn margin(&self, mode: u8, seen: &Seen<'_>) -> f64 {
        let spare = BLOWS_AT * self.rating - seen.amps[0].abs();
        if mode == 0 { spare * RATED_DROP / self.rating } else { f64::INFINITY }
    }
    fn latched(&self, mode: u8) -> bool {
        mode == 1
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![Failure::new("open", 2.0, "blown", Local::Law(0, Law::OPEN))]
    }
}
