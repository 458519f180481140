//! A coded switch: a different resistance between two pins in each position.

use super::{Kind, Wrong, kind};

kind! {
    /// A coded switch: a different resistance between two pins in each position.
    CodedSwitch {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        other {
            /// Resistance in each position, ohms; a position that is not listed is open.
            ohms_in: std::collections::BTreeMap<String, f64>,
        }
    }
}

impl Kind for CodedSwitch {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn wrong(&self, positions: &[String]) -> Vec<Wrong> {
        let mut out = Vec::new();
        for (position, ohms) in &self.ohms_in {
            if !positions.contains(position) {
                out.push(Wrong::position("ohms_in", position));
            }
            if !(1e-3..=1e9).contains(ohms) {
                out.push(Wrong::Number {
                    field: "ohms_in",
                    what: format!("{ohms:?} is not possible"),
                    mend: "give ohms from 0.001 to 1e9",
                });
            }
        }
        out
    }
}
