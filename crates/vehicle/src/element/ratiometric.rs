//! A three-wire sensor whose output is a fraction of its own supply.

use super::{Kind, Table, TablePoint, kind};
use crate::typical;

kind! {
    /// A three-wire sensor whose output is a fraction of its own supply.
    Ratiometric {
        pins {
            /// Supply, from a module's reference.
            supply,
            /// Sensor ground.
            ground,
            /// Output.
            output,
        }
        numbers {
            /// Supply current at 5 V, amperes.
            #[serde(default = "typical::sensor_amps")]
            draw_amps,
            /// Output resistance, ohms.
            #[serde(default = "typical::sensor_output_ohms")]
            output_ohms,
        }
        other {
            /// What it feels.
            stimulus: String,
            /// Stimulus and fraction of the supply (0.01 to 0.99), in rising order of the stimulus.
            table: Vec<TablePoint>,
        }
    }
}

impl Kind for Ratiometric {
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus]
    }
    fn table(&self) -> Option<Table<'_>> {
        Some(Table { points: &self.table, range: (0.01, 0.99) })
    }
}
