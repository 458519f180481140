//! A silicon diode.

use super::{Kind, Wrong, kind};
use crate::typical;

kind! {
    /// A silicon diode.
    Diode {
        pins {
            /// Anode.
            anode,
            /// Cathode.
            cathode,
        }
        numbers {
            /// Forward voltage at the rated current, volts.
            #[serde(default = "typical::diode_volts")]
            forward_volts,
            /// Rated current, amperes.
            #[serde(default = "typical::diode_amps")]
            rated_amps,
            /// Series resistance, ohms.
            #[serde(default = "typical::diode_ohms")]
            ohms,
        }
    }
}

impl Kind for Diode {
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        if self.rated_amps * self.ohms < self.forward_volts {
            return Vec::new();
        }
        vec![Wrong::whole(
            "the series resistance alone drops more than forward_volts",
            "rated_amps x ohms must be below forward_volts",
        )]
    }
}
