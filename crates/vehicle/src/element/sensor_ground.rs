//! A sensor ground: a pin joined to the module's ground inside it.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A sensor ground: a pin joined to the module's ground inside it.
    SensorGround {
        pins {
            /// The sensor ground pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Resistance inside, ohms.
            #[serde(default = "typical::sensor_ground_ohms")]
            ohms,
        }
    }
}

impl Kind for SensorGround {}
