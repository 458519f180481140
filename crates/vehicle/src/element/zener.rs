//! A zener diode or transient clamp: conducts forward, and backward above its voltage.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A zener diode or transient clamp: conducts forward, and backward above its voltage.
    Zener {
        pins {
            /// Anode.
            anode,
            /// Cathode.
            cathode,
        }
        numbers {
            /// Breakdown voltage at 10 mA, volts.
            zener_volts,
            /// Series resistance in breakdown, ohms.
            #[serde(default = "typical::zener_ohms")]
            ohms,
        }
    }
}

impl Kind for Zener {}
