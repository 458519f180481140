//! A coil that moves something: solenoid, injector, latch.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Solenoid {
    ohms: f64,
    pull_in: f64,
}

impl Placing for element::Solenoid {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, ohms, pull_in_volts, .. } = self;
        b.branch(plus, minus);
        Box::new(Solenoid { ohms: *ohms, pull_in: *pull_in_volts })
    }
    fn rate(&self) -> Rate {
        rates::SOLENOID
    }
}

impl Device for Solenoid {
    fn law(&self, _role: usize, _mode: u8, _state: &OperatingState) -> Law {
        Law::Ohms(self.ohms)
    }
    fn effect(&self, law: Law, volts: f64) -> Option<f64> {
        // Its pull goes with its current: an open winding does not move.
        let amps = law.amps(volts).abs();
        Some(f64::from(u8::from(amps >= self.pull_in / self.ohms)))
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::open_or_short(1.0, 0.3, 0.2, "winding");
        out.extend(Failure::drifted("drifted", 0.2, number, "winding"));
        out.push(Failure::new(
            "no_effect",
            0.8,
            "is pulled, but nothing moves (seized)",
            Local::NoEffect,
        ));
        out
    }
}
