//! A heater that draws less as it gets hot (PTC), at its working point for the given voltage.

use super::{Kind, kind};

kind! {
    /// A heater that draws less as it gets hot (PTC), at its working point for the given voltage.
    Heater {
        pins {
            /// Supply pin.
            plus,
            /// Ground pin.
            minus,
        }
        numbers {
            /// Resistance, ohms.
            ohms,
            /// Current at which self-heating has doubled the resistance, amperes.
            knee_amps,
        }
        other {
            /// What is noticed when it works, for example `rear window clears`.
            effect: String,
        }
    }
}

impl Kind for Heater {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.plus, &self.minus)]
    }
    fn effect(&self) -> Option<&str> {
        Some(&self.effect)
    }
}
