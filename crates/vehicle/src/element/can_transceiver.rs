//! A CAN transceiver (ISO 11898-2).

use super::{BusEnd, Ears, Kind, kind};
use crate::typical;

kind! {
    /// A CAN transceiver (ISO 11898-2).
    CanTransceiver {
        pins {
            /// CAN high.
            high,
            /// CAN low.
            low,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Recessive bias voltage, volts (2.5).
            #[serde(default = "typical::bias_volts")]
            bias_volts,
            /// Input resistance of each line to the bias, ohms (ISO 11898-2: 5 k to 50 k).
            #[serde(default = "typical::can_input_ohms")]
            input_ohms,
            /// Resistance of each driver switched on, ohms.
            #[serde(default = "typical::can_driver_ohms")]
            driver_ohms,
        }
        other {
            /// The bus it belongs to.
            bus: String,
        }
    }
}

impl Kind for CanTransceiver {
    fn bus_end(&self) -> Option<BusEnd<'_>> {
        let Self { bus, high, low, ground, .. } = self;
        Some(BusEnd { bus, ears: Ears::Can { high, low, ground } })
    }
}
