//! An incandescent lamp.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// An incandescent lamp.
    Lamp {
        pins {
            /// Supply contact.
            plus,
            /// Ground contact.
            minus,
        }
        numbers {
            /// Rated voltage, volts.
            #[serde(default = "typical::rated_volts")]
            rated_volts,
            /// Power at the rated voltage, watts.
            rated_watts,
        }
        other {
            /// What is noticed when it is lit.
            effect: String,
        }
    }
}

impl Kind for Lamp {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.plus, &self.minus)]
    }
    fn effect(&self) -> Option<&str> {
        Some(&self.effect)
    }
}
