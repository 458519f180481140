//! A pair of half bridges that drives a motor both ways, with overcurrent latch-off.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A pair of half bridges that drives a motor both ways, with overcurrent latch-off.
    HBridge {
        pins {
            /// Supply pin of the module.
            supply,
            /// Ground pin of the module.
            ground,
            /// First driven pin: high when driven forward.
            a,
            /// Second driven pin: high when driven backward.
            b,
        }
        numbers {
            /// On-resistance of one switch, ohms.
            #[serde(default = "typical::bridge_ohms")]
            on_ohms,
            /// Current at which it latches off, amperes.
            #[serde(default = "typical::driver_amps")]
            limit_amps,
            /// Bleed resistance of each pin to ground, ohms.
            #[serde(default = "typical::bleed_ohms")]
            sense_ohms,
        }
        other {
            /// Output that drives it forward.
            forward: crate::OutputId,
            /// Output that drives it backward.
            backward: crate::OutputId,
        }
    }
}

impl Kind for HBridge {
    fn outputs(&self) -> Vec<&str> {
        vec![&self.forward, &self.backward]
    }
}
