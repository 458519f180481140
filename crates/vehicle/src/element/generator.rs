//! A regulated generator: holds its set-point up to its current limit while the engine runs.

use super::{Kind, kind, usual_spread};
use crate::typical;

kind! {
    /// A regulated generator: holds its set-point up to its current limit while the engine runs.
    Generator {
        pins {
            /// Output terminal (B+).
            plus,
            /// Housing ground.
            minus,
        }
        numbers {
            /// Regulated voltage, volts.
            #[serde(default = "typical::generator_volts")]
            set_volts,
            /// Largest output current, amperes.
            limit_amps,
            /// Output resistance below the limit, ohms.
            #[serde(default = "typical::source_ohms")]
            internal_ohms,
        }
    }
}

impl Kind for Generator {
    fn spread(&self, field: &str) -> f64 {
        match field {
            "set_volts" => 0.007,
            _ => usual_spread(field),
        }
    }
}
