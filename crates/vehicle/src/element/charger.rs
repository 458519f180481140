//! A workshop charger clipped to two posts, working while the state says so.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A workshop charger clipped to two posts, working while the state says so.
    Charger {
        pins {
            /// Positive clip.
            plus,
            /// Negative clip.
            minus,
        }
        numbers {
            /// Regulated voltage, volts.
            #[serde(default = "typical::charger_volts")]
            set_volts,
            /// Largest current, amperes.
            limit_amps,
            /// Output resistance below the limit, ohms.
            #[serde(default = "typical::source_ohms")]
            internal_ohms,
        }
    }
}

impl Kind for Charger {}
