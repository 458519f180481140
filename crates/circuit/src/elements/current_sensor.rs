//! Two-wire sensor that regulates its own current to one of two values.

use super::{Device, Failure, Felt, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct CurrentSensor {
    low: f64,
    high: f64,
    min: f64,
    threshold: f64,
    felt: Felt,
}

impl Placing for element::CurrentSensor {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, low_amps, high_amps, min_volts, threshold, stimulus } = self;
        b.branch(plus, minus);
        Box::new(CurrentSensor {
            low: *low_amps,
            high: *high_amps,
            min: *min_volts,
            threshold: *threshold,
            felt: Felt::new(b, stimulus),
        })
    }
    fn rate(&self) -> Rate {
        rates::OUTSIDE_SENSOR
    }
}

impl CurrentSensor {
    fn drawing(&self, amps: f64) -> Law {
        Law::Limited { volts: 0.0, ohms: self.min / amps, gives: 0.0, takes: amps }
    }
}

impl Device for CurrentSensor {
    fn law(&self, _role: usize, _mode: u8, state: &OperatingState) -> Law {
        self.drawing(if self.felt.now(state) > self.threshold { self.high } else { self.low })
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::open_or_short(1.0, 0.3, 2.0, "sensor");
        for (mode, amps) in [("stuck_low", self.low), ("stuck_high", self.high)] {
            out.push(Failure::new(
                mode,
                0.4,
                &format!("always draws {:.0} mA", amps * 1e3),
                Local::Law(0, self.drawing(amps)),
            ));
        }
        out
    }
}
