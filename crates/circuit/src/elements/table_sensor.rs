//! Resistive sensor given by a table.

use super::{Device, Failure, Felt, Local, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, at_table, element};

#[derive(Debug)]
struct TableSensor {
    table: Vec<(f64, f64)>,
    felt: Felt,
}

impl Placing for element::TableSensor {
    fn place(&self, _part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, stimulus, table } = self;
        b.branch(a, other);
        Box::new(TableSensor { table: table.clone(), felt: Felt::new(b, stimulus) })
    }
    fn rate(&self) -> Rate {
        rates::SENSOR
    }
}

impl Device for TableSensor {
    fn law(&self, _role: usize, _mode: u8, state: &OperatingState) -> Law {
        Law::Ohms(at_table(&self.table, self.felt.now(state)))
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        let mut out = Failure::open_or_short(1.0, 0.4, 1.0, "sensor");
        let ends = [self.table.first(), self.table.last()];
        for (mode, end) in ["stuck_low", "stuck_high"].into_iter().zip(ends.into_iter().flatten()) {
            out.push(Failure::new(
                mode,
                0.3,
                &format!("stuck as at {}", end.0),
                Local::Law(0, Law::Ohms(end.1)),
            ));
        }
        out
    }
}
