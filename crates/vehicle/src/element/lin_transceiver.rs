//! A LIN transceiver (ISO 17987-4).

use super::{BusEnd, Ears, Kind, kind};
use crate::typical;

kind! {
    /// A LIN transceiver (ISO 17987-4).
    LinTransceiver {
        pins {
            /// LIN line.
            pin,
            /// Supply pin of the module.
            supply,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Pull-up behind its diode, ohms (master 1 k, slave 30 k).
            pull_ohms,
            /// Resistance of the driver switched on, ohms.
            #[serde(default = "typical::lin_driver_ohms")]
            driver_ohms,
        }
        other {
            /// The bus it belongs to.
            bus: String,
            /// The master of the bus.
            #[serde(default, skip_serializing_if = "std::ops::Not::not")]
            master: bool,
        }
    }
}

impl Kind for LinTransceiver {
    fn bus_end(&self) -> Option<BusEnd<'_>> {
        let Self { bus, pin: line, supply, ground, master, .. } = self;
        Some(BusEnd { bus, ears: Ears::Lin { line, supply, ground, master: *master } })
    }
}
