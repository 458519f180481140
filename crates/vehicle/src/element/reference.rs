//! A reference-voltage output with a current limit.

use super::{Gives, Kind, kind, usual_spread};
use crate::typical;

kind! {
    /// A reference-voltage output with a current limit.
    Reference {
        pins {
            /// The output pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Regulated voltage, volts.
            #[serde(default = "typical::rail_volts")]
            volts,
            /// Largest current, amperes.
            #[serde(default = "typical::reference_amps")]
            limit_amps,
            /// Output resistance below the limit, ohms.
            #[serde(default = "typical::reference_ohms")]
            ohms,
        }
    }
}

impl Kind for Reference {
    fn signal_pin(&self) -> Option<&str> {
        Some(&self.pin)
    }
    fn gives(&self) -> Option<Gives<'_>> {
        Some(Gives { pin: &self.pin, limit_amps: self.limit_amps, switches: None })
    }
    fn spread(&self, field: &str) -> f64 {
        match field {
            // A regulator holds its set voltage far closer than a part its resistance.
            "volts" => 0.005,
            _ => usual_spread(field),
        }
    }
}
