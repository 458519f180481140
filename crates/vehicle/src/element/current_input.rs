//! A module input that draws a regulated sensor's current through a resistor to ground.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A module input that draws a regulated sensor's current through a resistor to ground.
    CurrentInput {
        pins {
            /// The input pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Sense resistance, ohms.
            #[serde(default = "typical::shunt_ohms")]
            sense_ohms,
        }
    }
}

impl Kind for CurrentInput {}
