//! A chain of light-emitting diodes with its series resistor.

use super::{Kind, kind};

kind! {
    /// A chain of light-emitting diodes with its series resistor.
    LedLamp {
        pins {
            /// Anode side.
            plus,
            /// Cathode side.
            minus,
        }
        numbers {
            /// Forward voltage of the chain at 10 mA, volts.
            forward_volts,
            /// Series resistor, ohms.
            ohms,
            /// Current at which it is bright, amperes.
            rated_amps,
        }
        other {
            /// What is noticed when it is lit.
            effect: String,
        }
    }
}

impl Kind for LedLamp {
    fn effect(&self) -> Option<&str> {
        Some(&self.effect)
    }
}
