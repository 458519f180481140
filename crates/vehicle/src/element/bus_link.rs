//! What leads a bus line on inside a part.

use super::{Joins, Kind, Wrong, kind};
use crate::typical;

kind! {
    /// Leads a bus line on inside a part: a leg of a star coupler, or the way through a module that the
    /// bus passes. One stands for one line; a pair has two. With `plus` and `minus` it is closed only
    /// while the part is supplied there.
    BusLink {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        maybe_pins {
            /// Supply pin without which it opens.
            plus,
            /// Ground pin of that supply.
            minus,
        }
        numbers {
            /// Resistance from one pin to the other, ohms: of a coupler's leg its resistor, of a way
            /// through a module that of its contacts.
            #[serde(default = "typical::link_ohms")]
            ohms,
            /// Supply voltage from which on it is closed, volts.
            #[serde(default = "typical::link_volts")]
            hold_volts,
        }
    }
}

impl Kind for BusLink {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        // Unplugged, a link that needs a supply is open.
        if self.plus.is_some() { Vec::new() } else { vec![(&self.a, &self.b)] }
    }
    fn leads_on(&self) -> Option<Joins<'_>> {
        Some(Joins { a: &self.a, b: &self.b, ohms: self.ohms })
    }
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        if self.plus.is_some() == self.minus.is_some() {
            return Vec::new();
        }
        vec![Wrong::whole("half of its supply is missing", "give both plus and minus, or neither")]
    }
}
