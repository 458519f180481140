//! A two-wire sensor that signals by its current: the higher above the threshold.

use super::{Kind, Wrong, kind};
use crate::typical;

kind! {
    /// A two-wire sensor that signals by its current: the higher above the threshold.
    CurrentSensor {
        pins {
            /// Supply.
            plus,
            /// Signal return.
            minus,
        }
        numbers {
            /// Current below the threshold, amperes.
            #[serde(default = "typical::current_sensor_low_amps")]
            low_amps,
            /// Current above the threshold, amperes.
            #[serde(default = "typical::current_sensor_high_amps")]
            high_amps,
            /// Lowest voltage across it at which it regulates, volts.
            #[serde(default = "typical::sensor_min_volts")]
            min_volts,
        }
        signed {
            /// Stimulus above which it draws the higher current.
            threshold,
        }
        other {
            /// What it feels.
            stimulus: String,
        }
    }
}

impl Kind for CurrentSensor {
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus]
    }
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        if self.low_amps < self.high_amps {
            return Vec::new();
        }
        vec![Wrong::whole("the sensor could not signal", "low_amps must be below high_amps")]
    }
}
