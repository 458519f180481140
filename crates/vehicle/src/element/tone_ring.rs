//! A ring of teeth that turns past a sensor.

use super::{Kind, Turns, kind};

kind! {
    /// A ring of teeth that turns past a sensor: what the sensor feels goes to and fro between 0 in a gap
    /// and 1 before a tooth.
    ToneRing {
        numbers {
            /// Teeth that pass in a second at one unit of what turns it.
            hertz,
        }
        other {
            /// What turns it: a speed.
            stimulus: String,
            /// What it makes a sensor feel.
            feeds: String,
        }
    }
}

impl Kind for ToneRing {
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus, &self.feeds]
    }
    fn turns(&self) -> Option<Turns<'_>> {
        Some(Turns { stimulus: &self.stimulus, feeds: &self.feeds, hertz: self.hertz })
    }
    fn spread(&self, _field: &str) -> f64 {
        WORN
    }
}

/// How far tyres of one axle differ by wear and pressure, as a share of their circumference.
const WORN: f64 = 0.004;
