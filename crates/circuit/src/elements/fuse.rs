//! Blade fuse (ISO 8820-3): mode 1 is blown, and stays so.

use super::{Device, Nothing, Seen};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::Element;

/// Multiple of the rating at which a blade fuse opens within half an hour at most (ISO 8820-3).
const BLOWS_AT: f64 = 1.35;

#[derive(Debug)]
struct Fuse {
    rating: f64,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Fuse { a, b: other, rating_amps } = element else {
        return Box::new(Nothing);
    };
    b.branch(a, other);
    Box::new(Fuse { rating: *rating_amps })
}

impl Device for Fuse {
    fn law(&self, _role: usize, mode: u8) -> Law {
        // About 75 mV at the rated current: a blade fuse's cold drop.
        if mode == 0 { Law::Ohms(0.075 / self.rating) } else { Law::OPEN }
    }
    fn next(&self, mode: u8, seen: &Seen<'_>) -> u8 {
        if seen.amps[0].abs() > BLOWS_AT * self.rating { 1 } else { mode }
    }
}
