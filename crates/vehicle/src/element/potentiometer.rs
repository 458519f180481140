//! A potentiometer; the wiper stands at 0 at the `low` end and 1 at the `high` end.

use super::{Kind, Table, TablePoint, kind};
use crate::typical;

kind! {
    /// A potentiometer; the wiper stands at 0 at the `low` end and 1 at the `high` end.
    Potentiometer {
        pins {
            /// End where the fraction is 0.
            low,
            /// End where the fraction is 1.
            high,
            /// Wiper.
            wiper,
        }
        numbers {
            /// Track resistance end to end, ohms.
            ohms,
            /// Resistance of the wiper contact, ohms.
            #[serde(default = "typical::wiper_ohms")]
            wiper_ohms,
        }
        other {
            /// What moves it.
            stimulus: String,
            /// Stimulus and fraction, in rising order of the stimulus.
            table: Vec<TablePoint>,
        }
    }
}

impl Kind for Potentiometer {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        let (low, high, wiper) = (&self.low, &self.high, &self.wiper);
        vec![(low, high), (wiper, low), (wiper, high)]
    }
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus]
    }
    fn table(&self) -> Option<Table<'_>> {
        Some(Table { points: &self.table, range: (0.0, 1.0) })
    }
}
