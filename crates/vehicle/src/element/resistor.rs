//! A plain resistor.

use super::{Joins, Kind, kind};

kind! {
    /// A plain resistor.
    Resistor {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        numbers {
            /// Resistance, ohms.
            ohms,
        }
    }
}

impl Kind for Resistor {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn joins(&self) -> Option<Joins<'_>> {
        Some(Joins { a: &self.a, b: &self.b, ohms: self.ohms })
    }
}
