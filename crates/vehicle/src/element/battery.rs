//! A lead-acid battery: open-circuit voltage behind an internal resistance.

use super::{Kind, kind, usual_spread};
use crate::typical;

kind! {
    /// A lead-acid battery: open-circuit voltage behind an internal resistance.
    Battery {
        pins {
            /// Positive post.
            plus,
            /// Negative post.
            minus,
        }
        numbers {
            /// Open-circuit voltage fully charged at rest, volts.
            #[serde(default = "typical::battery_open_volts")]
            open_volts,
            /// Internal resistance fully charged at 25 degC, ohms.
            #[serde(default = "typical::battery_ohms")]
            internal_ohms,
        }
        other {
            /// Stimulus for the state of charge, percent; none: full.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            charge: Option<String>,
            /// Stimulus for the temperature, degrees Celsius; none: 25.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            temperature: Option<String>,
        }
    }
}

impl Kind for Battery {
    fn stimuli(&self) -> Vec<&str> {
        self.charge.iter().chain(&self.temperature).map(String::as_str).collect()
    }
    fn posts(&self) -> Option<(&str, &str)> {
        Some((&self.plus, &self.minus))
    }
    fn bare_end(&self) -> Option<&'static str> {
        Some("post")
    }
    fn spread(&self, field: &str) -> f64 {
        match field {
            "open_volts" => 0.012,
            _ => usual_spread(field),
        }
    }
}
