//! Temperature-dependent resistor: `R = R25 exp(beta (1/T - 1/298.15 K))`.

use super::{Device, Failure, Felt, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Zero degrees Celsius in kelvin.
const KELVIN: f64 = 273.15;

#[derive(Debug)]
struct Thermistor {
    at_25: f64,
    beta: f64,
    felt: Felt,
}

impl Placing for element::Thermistor {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, ohms_at_25, beta, stimulus } = self;
        b.branch(a, other);
        Box::new(Thermistor { at_25: *ohms_at_25, beta: *beta, felt: Felt::new(b, stimulus) })
    }
    fn rate(&self) -> Rate {
        rates::SENSOR
    }
}

impl Thermistor {
    fn ohms(&self, celsius: f64) -> f64 {
        let kelvin = (celsius + KELVIN).max(1.0);
        let r = self.at_25 * (self.beta * (1.0 / kelvin - 1.0 / (25.0 + KELVIN))).exp();
        r.clamp(1e-3, 1e9)
    }
}

impl Device for Thermistor {
    fn law(&self, _role: usize, _mode: u8, state: &OperatingState) -> Law {
        Law::Ohms(self.ohms(self.felt.now(state)))
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::open_or_short(1.0, 0.4, 1.0, "sensor");
        out.extend(Failure::drifted("drifted", 0.6, number, "sensor"));
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_beta_law_by_hand() {
        let felt = Felt { id: "t".into(), rest: 25.0 };
        let sensor = Thermistor { at_25: 2200.0, beta: 3500.0, felt };
        // 1/353.15 - 1/298.15 = -5.2236e-4; times 3500 is -1.82826; e^ that is 0.160693; x 2200 = 353.5.
        assert!((sensor.ohms(80.0) - 353.5).abs() < 0.1, "{}", sensor.ohms(80.0));
        assert!((sensor.ohms(25.0) - 2200.0).abs() < 1e-9);
    }
}
