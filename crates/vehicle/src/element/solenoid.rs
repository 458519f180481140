//! A coil that moves something: solenoid, injector, latch.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A coil that moves something: solenoid, injector, latch.
    Solenoid {
        pins {
            /// Supply pin.
            plus,
            /// Switched pin.
            minus,
        }
        numbers {
            /// Winding resistance, ohms.
            ohms,
            /// Voltage that moves it, volts.
            #[serde(default = "typical::solenoid_pull_in_volts")]
            pull_in_volts,
        }
        other {
            /// What is noticed when it moves.
            effect: String,
        }
    }
}

impl Kind for Solenoid {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.plus, &self.minus)]
    }
    fn effect(&self) -> Option<&str> {
        Some(&self.effect)
    }
}
