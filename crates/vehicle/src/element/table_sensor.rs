//! A resistive sensor given by a table.

use super::{Kind, Table, TablePoint, kind};

kind! {
    /// A resistive sensor given by a table.
    TableSensor {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        other {
            /// What it feels.
            stimulus: String,
            /// Stimulus and ohms, in rising order of the stimulus.
            table: Vec<TablePoint>,
        }
    }
}

impl Kind for TableSensor {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn stimuli(&self) -> Vec<&str> {
        vec![&self.stimulus]
    }
    fn table(&self) -> Option<Table<'_>> {
        Some(Table { points: &self.table, range: (1e-3, 1e8) })
    }
}
