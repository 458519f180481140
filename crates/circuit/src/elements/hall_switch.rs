//! Hall switch with an open collector: mode 1 pulls its output low.

use super::{Device, Failure, Felt, Local, Placing, Seen};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct HallSwitch {
    draw_ohms: f64,
    on_ohms: f64,
    min: f64,
    threshold: f64,
    felt: Felt,
}

impl Placing for element::HallSwitch {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { supply, ground, output, draw_amps, on_ohms, min_volts, threshold, stimulus } =
            self;
        b.branch(supply, ground);
        b.branch(output, ground);
        Box::new(HallSwitch {
            draw_ohms: 12.0 / draw_amps,
            on_ohms: *on_ohms,
            min: *min_volts,
            threshold: *threshold,
            felt: Felt::new(b, stimulus),
        })
    }
    fn rate(&self) -> Rate {
        rates::OUTSIDE_SENSOR
    }
}

impl Device for HallSwitch {
    fn law(&self, role: usize, mode: u8, _state: &OperatingState) -> Law {
        match (role, mode) {
            (0, _) => Law::Ohms(self.draw_ohms),
            (_, 1) => Law::Ohms(self.on_ohms),
            _ => Law::OPEN,
        }
    }
    fn next(&self, _mode: u8, seen: &Seen<'_>) -> u8 {
        u8::from(seen.volts[0] >= self.min && self.felt.now(seen.state) > self.threshold)
    }
    fn margin(&self, _mode: u8, seen: &Seen<'_>) -> f64 {
        (seen.volts[0] - self.min).abs()
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        vec![
            Failure::new("stuck_high", 0.8, "output never pulls low", Local::Hold(0)),
            Failure::new("stuck_low", 0.4, "output always pulls low", Local::Hold(1)),
            Failure::new("shorted", 0.2, "supply shorted inside", Local::Law(0, Law::Ohms(2.0))),
        ]
    }
}
