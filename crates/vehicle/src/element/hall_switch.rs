//! A Hall switch with an open collector: low while its stimulus is above the threshold.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A Hall switch with an open collector: low while its stimulus is above the threshold.
    HallSwitch {
        pins {
            /// Supply.
            supply,
            /// Ground.
            ground,
            /// Open-collector output.
            output,
        }
        numbers {
            /// Supply current at 12 V, amperes.
            #[serde(default = "typical::sensor_amps")]
            draw_amps,
            /// On-resistance of the output, ohms.
            #[serde(default = "typical::hall_ohms")]
            on_ohms,
            /// Lowest supply at which it works, volts.
            #[serde(default = "typical::sensor_min_volts")]
            min_volts,
        }
        signed {
            /// Stimulus above which the output is low.
            threshold,
        }
        other {
            /// What it feels.
            stimulus: String,
        }
    }
}

impl Kind for HallSwitch {
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus]
    }
}
