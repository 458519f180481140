//! Lead-acid battery: open-circuit voltage behind an internal resistance; mode 1 is taken off.
//!
//! The open-circuit voltage of a 12 V battery falls by about 1 V from full to empty, nearly straight
//! with the charge (the acid's density); its resistance doubles towards empty and again towards -20 degC.
//! Charged, its surface charge rises against the current: a full one takes some ten amperes at 14 V.

use super::{Device, Failure, Felt, Local, Placing};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

/// Fall of the open-circuit voltage from full to empty, volts.
const EMPTY_VOLTS: f64 = 1.0;
/// Growth of the internal resistance per kelvin below 25 degC.
const COLD: f64 = 1.0 / 45.0;
/// How much larger its resistance is while it is charged.
const CHARGING: f64 = 12.0;
/// Temperature at which the resistance is stated, degrees Celsius.
const WARM: f64 = 25.0;

#[derive(Debug)]
struct Battery {
    volts: f64,
    ohms: f64,
    charge: Option<Felt>,
    temperature: Option<Felt>,
}

impl Placing for element::Battery {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { plus, minus, open_volts, internal_ohms, charge, temperature } = self;
        b.branch(plus, minus);
        let felt = |id: &Option<String>| id.as_ref().map(|id| Felt::new(b, id));
        Box::new(Battery {
            volts: *open_volts,
            ohms: *internal_ohms,
            charge: felt(charge),
            temperature: felt(temperature),
        })
    }
    fn rate(&self) -> Rate {
        rates::BATTERY
    }
}

impl Battery {
    fn law_at(&self, charge: f64, celsius: f64) -> Law {
        let charge = (charge / 100.0).clamp(0.0, 1.0);
        let cold = (WARM - celsius).clamp(0.0, 60.0) * COLD;
        let ohms = self.ohms * (2.0 - charge) * (1.0 + cold);
        // An empty one takes its charge more readily.
        let charging = ohms * (1.0 + (CHARGING - 1.0) * charge);
        Law::Cell { volts: self.volts - EMPTY_VOLTS * (1.0 - charge), ohms, charging }
    }
}

/// Internal resistance of a worn battery, in proportion to a sound one.
const WEAK: [f64; 6] = [1.7, 2.5, 4.0, 8.0, 20.0, 60.0];

impl Device for Battery {
    fn start(&self, state: &OperatingState) -> u8 {
        u8::from(state.battery_off)
    }
    fn law(&self, _role: usize, mode: u8, state: &OperatingState) -> Law {
        let now = |felt: &Option<Felt>, rest| felt.as_ref().map_or(rest, |f| f.now(state));
        match mode {
            0 => self.law_at(now(&self.charge, 100.0), now(&self.temperature, WARM)),
            _ => Law::OPEN,
        }
    }
    fn is_source(&self) -> bool {
        true
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::grid(
            "weak",
            2.4,
            &WEAK.map(|times| times * self.ohms),
            number,
            |r| format!("weak, internal resistance {}", ohms_text(r)),
            |ohms| {
                let charging = ohms.max(self.ohms * CHARGING);
                Local::Law(0, Law::Cell { volts: self.volts, ohms, charging })
            },
        );
        let flat = self.law_at(5.0, WARM);
        out.push(Failure::new("flat", 0.8, "discharged", Local::Law(0, flat)));
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_flat_and_cold_battery_sags() {
        let battery = Battery { volts: 12.7, ohms: 0.008, charge: None, temperature: None };
        // Half charged at -20 degC: 12.7 - 0.5 = 12.2 V behind 0.008 x 1.5 x 2 = 0.024 Ohm.
        let law = battery.law_at(50.0, -20.0);
        assert!(matches!(law, Law::Cell { volts: 12.2, ohms: 0.024, .. }), "{law:?}");
        // A full and warm one takes (14.3 - 12.7) / (12 x 0.008) = 16.7 A at 14.3 V.
        assert!((battery.law_at(100.0, 25.0).amps(14.3) - 16.67).abs() < 0.01);
    }
}
