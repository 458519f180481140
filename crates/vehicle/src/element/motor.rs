//! A permanent-magnet motor with its pump or wiper: winding plus back-EMF that grows with speed.

use super::{Kind, Wrong, kind, usual_spread};
use crate::typical;

kind! {
    /// A permanent-magnet motor with its pump or wiper: winding plus back-EMF that grows with speed.
    Motor {
        pins {
            /// Supply pin.
            plus,
            /// Ground pin.
            minus,
        }
        numbers {
            /// Voltage at which the rated current flows, volts.
            #[serde(default = "typical::rated_volts")]
            rated_volts,
            /// Running current at the rated voltage, amperes.
            rated_amps,
        }
        maybe_numbers {
            /// Winding resistance, ohms; none: a quarter of rated volts by rated amperes.
            winding_ohms,
            /// Current below which it does not turn, amperes; none: 18 % of the rated one.
            breakaway_amps,
        }
        other {
            /// What the driver notices when it runs, for example `water at the rear nozzle`.
            effect: String,
        }
    }
}

impl Kind for Motor {
    fn effect(&self) -> Option<&str> {
        Some(&self.effect)
    }
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.plus, &self.minus)]
    }
    fn loses_volts(&self) -> Vec<(&str, &str)> {
        vec![(&self.plus, &self.minus)]
    }
    fn spread(&self, field: &str) -> f64 {
        match field {
            "rated_amps" => 0.06,
            _ => usual_spread(field),
        }
    }
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        let stands = self.breakaway_amps.is_some_and(|amps| amps >= self.rated_amps);
        let drops = self.winding_ohms.is_some_and(|r| self.rated_amps * r >= self.rated_volts);
        if !stands && !drops {
            return Vec::new();
        }
        vec![Wrong::whole(
            "the motor could not turn at its rated voltage",
            "breakaway_amps must be below rated_amps, and rated_amps x winding_ohms below rated_volts",
        )]
    }
}
