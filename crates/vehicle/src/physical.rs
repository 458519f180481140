//! What a module makes of the value at its pin: degrees, kilopascals, per cent, released or pressed.

use crate::{PartId, at_table};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The physical side of a signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Physical {
    /// Unit as shown, for example `°C`; empty for a state with a name.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
    /// How it follows from the value at the pin.
    pub transfer: Transfer,
    /// Least and largest value at the pin that the module believes, in the signal's own unit; beyond them
    /// something is open or short.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub valid: Option<[f64; 2]>,
    /// What the module goes on with where it does not believe the pin, in the physical unit; none: it has
    /// no value then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub substitute: Option<f64>,
}

/// From the value at the pin to the physical one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Transfer {
    /// Points of value at the pin and physical value, the first rising; straight lines between, held at the
    /// ends.
    Table(Vec<(f64, f64)>),
    /// What a sensor feels, back through the sensor's own law and the circuit it sits in.
    Felt {
        /// The sensor.
        sensor: PartId,
        /// The stimulus.
        stimulus: String,
    },
    /// States with names, from the lowest value at the pin to the highest.
    Named(Vec<Band>),
}

/// A state with a name.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Band {
    /// Up to which value at the pin it is this one; none for the last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub below: Option<f64>,
    /// The name, for example `pressed`.
    pub name: String,
}

impl Physical {
    /// Whether the module believes a value at its pin.
    pub fn believes(&self, raw: f64) -> bool {
        raw.is_finite() && self.valid.is_none_or(|[least, most]| (least..=most).contains(&raw))
    }
}

impl Transfer {
    /// The physical number of a value at the pin, where a table gives one.
    pub fn by_table(&self, raw: f64) -> Option<f64> {
        match self {
            Self::Table(points) => Some(at_table(points, raw)),
            _ => None,
        }
    }

    /// The name of a value at the pin, where it has one.
    pub fn name(&self, raw: f64) -> Option<&str> {
        let Self::Named(bands) = self else { return None };
        let band = bands.iter().find(|b| b.below.is_none_or(|below| raw < below));
        band.or(bands.last()).map(|b| b.name.as_str())
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn pressed() -> Transfer {
        serde_json::from_str(
            r#"{"named": [{"below": 2.5, "name": "pressed"}, {"name": "released"}]}"#,
        )
        .unwrap()
    }

    #[test]
    fn a_named_state_follows_its_limit() {
        let names = [0.0, 2.49, 2.5, 12.0].map(|raw| pressed().name(raw).unwrap().to_owned());
        assert_eq!(names, ["pressed", "pressed", "released", "released"]);
        assert_eq!(pressed().by_table(1.0), None);
    }

    #[test]
    fn beyond_the_valid_range_nothing_is_believed() {
        let physical = Physical {
            unit: "kPa".into(),
            // 0.5 V at 20 kPa, 4.5 V at 120 kPa: (4.5 - 0.5) / 100 = 0.04 V a kilopascal.
            transfer: Transfer::Table(vec![(0.5, 20.0), (4.5, 120.0)]),
            valid: Some([0.25, 4.75]),
            substitute: Some(100.0),
        };
        assert_eq!(
            [0.2, 0.25, 4.75, 4.8, f64::NAN].map(|v| physical.believes(v)),
            [false, true, true, false, false]
        );
        // 2.5 V are 2.0 V above the first point: 20 + 2.0 / 0.04 = 70 kPa.
        assert_eq!(physical.transfer.by_table(2.5), Some(70.0));
    }

    proptest! {
        #[test]
        fn any_value_has_a_name(raw in any::<f64>()) {
            prop_assert!(pressed().name(raw).is_some());
        }
    }
}
