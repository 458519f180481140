//! A driver that switches its pin to the module's ground, with overcurrent latch-off.

use super::{Gives, Kind, Switches, kind};
use crate::typical;

kind! {
    /// A driver that switches its pin to the module's ground, with overcurrent latch-off.
    LowSide {
        pins {
            /// The driven pin.
            pin,
            /// Ground pin.
            ground,
        }
        numbers {
            /// On-resistance, ohms.
            #[serde(default = "typical::driver_ohms")]
            on_ohms,
            /// Current at which it latches off, amperes.
            #[serde(default = "typical::driver_amps")]
            limit_amps,
            /// Diagnostic pull-down that is always there, ohms.
            #[serde(default = "typical::sense_ohms")]
            sense_ohms,
        }
        other {
            /// Name of the output that drives it.
            output: crate::OutputId,
        }
    }
}

impl Kind for LowSide {
    fn outputs(&self) -> Vec<&str> {
        vec![&self.output]
    }
    fn gives(&self) -> Option<Gives<'_>> {
        let switches = Some(Switches::Ground);
        Some(Gives { pin: &self.pin, limit_amps: self.limit_amps, switches })
    }
}
