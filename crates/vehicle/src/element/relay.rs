//! A relay (DIN 72552: 86/85 coil, 30 to 87 make, 30 to 87a break).

use super::{Kind, Wrong, kind};
use crate::typical;

kind! {
    /// A relay (DIN 72552: 86/85 coil, 30 to 87 make, 30 to 87a break).
    Relay {
        pins {
            /// Coil supply side (86).
            coil_plus,
            /// Coil switched side (85).
            coil_minus,
            /// Contact, supply (30).
            common,
            /// Contact, load (87).
            make,
        }
        maybe_pins {
            /// Contact closed at rest (87a).
            rest,
        }
        numbers {
            /// Coil resistance, ohms.
            #[serde(default = "typical::coil_ohms")]
            coil_ohms,
            /// Coil voltage that pulls the armature in, volts.
            #[serde(default = "typical::pull_in_volts")]
            pull_in_volts,
            /// Coil voltage below which it drops out, volts.
            #[serde(default = "typical::drop_out_volts")]
            drop_out_volts,
            /// Closed contact resistance, ohms.
            #[serde(default = "typical::contact_ohms")]
            contact_ohms,
        }
        maybe_numbers {
            /// Resistor across the coil against switching peaks, ohms.
            suppression_ohms,
        }
    }
}

impl Kind for Relay {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        // Unplugged its contact is open.
        vec![(&self.coil_plus, &self.coil_minus)]
    }
    fn loses_volts(&self) -> Vec<(&str, &str)> {
        vec![(&self.coil_plus, &self.coil_minus), (&self.common, &self.make)]
    }
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        if self.drop_out_volts <= self.pull_in_volts {
            return Vec::new();
        }
        vec![Wrong::whole(
            "the relay would chatter of itself",
            "drop_out_volts must not be above pull_in_volts",
        )]
    }
}
