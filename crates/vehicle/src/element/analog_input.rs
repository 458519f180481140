//! A module input pulled to an internal rail while the module works.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A module input pulled to an internal rail while the module works.
    AnalogInput {
        pins {
            /// The input pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Voltage of the internal rail, volts.
            #[serde(default = "typical::rail_volts")]
            pull_volts,
            /// Pull resistance, ohms.
            #[serde(default = "typical::analog_pull_ohms")]
            pull_ohms,
        }
    }
}

impl Kind for AnalogInput {
    fn signal_pin(&self) -> Option<&str> {
        Some(&self.pin)
    }
}
