//! A module's supply input.

use super::{Feed, Kind, kind};
use crate::typical;

kind! {
    /// A module's supply input.
    Supply {
        pins {
            /// Supply pin (terminal 30).
            plus,
            /// Ground pin (terminal 31).
            minus,
        }
        maybe_pins {
            /// Pin that wakes it when above half its supply (terminal 15); none: awake with its supply.
            wake,
        }
        numbers {
            /// Current drawn awake at 12 V, amperes.
            #[serde(default = "typical::awake_amps")]
            awake_amps,
            /// Current drawn asleep at 12 V, amperes.
            #[serde(default = "typical::asleep_amps")]
            asleep_amps,
            /// Lowest voltage between the two pins at which the module works, volts.
            #[serde(default = "typical::module_min_volts")]
            min_volts,
            /// Highest voltage at which it works, volts.
            #[serde(default = "typical::module_max_volts")]
            max_volts,
        }
        other {
            /// It sleeps unless another module of its buses is awake: woken over the bus.
            #[serde(default, skip_serializing_if = "std::ops::Not::not")]
            bus_wake: bool,
        }
    }
}

impl Kind for Supply {
    fn feed(&self) -> Option<Feed<'_>> {
        let wake = self.wake.as_deref();
        Some(Feed { plus: &self.plus, minus: &self.minus, wake, by_bus: self.bus_wake })
    }
    fn loses_volts(&self) -> Vec<(&str, &str)> {
        vec![(&self.plus, &self.minus)]
    }
}
