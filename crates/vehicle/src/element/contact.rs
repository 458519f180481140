//! A contact of a switch or key switch, closed in the listed positions.

use super::{Kind, Wrong, kind};
use crate::typical;

kind! {
    /// A contact of a switch or key switch, closed in the listed positions.
    Contact {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        numbers {
            /// Closed contact resistance, ohms.
            #[serde(default = "typical::contact_ohms")]
            contact_ohms,
        }
        other {
            /// Positions of the part's switch in which this contact is closed.
            closed_in: Vec<String>,
        }
    }
}

impl Kind for Contact {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn wrong(&self, positions: &[String]) -> Vec<Wrong> {
        let named = self.closed_in.iter().filter(|p| !positions.contains(p));
        named.map(|p| Wrong::position("closed_in", p)).collect()
    }
}
