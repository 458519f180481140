//! A temperature-dependent resistor with the beta law (NTC; a negative beta makes a PTC).

use super::{Kind, kind};

kind! {
    /// A temperature-dependent resistor with the beta law (NTC; a negative beta makes a PTC).
    Thermistor {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        numbers {
            /// Resistance at 25 degC, ohms.
            ohms_at_25,
        }
        signed {
            /// Beta, kelvin.
            beta,
        }
        other {
            /// The temperature it feels, degrees Celsius.
            stimulus: String,
        }
    }
}

impl Kind for Thermistor {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus]
    }
}
