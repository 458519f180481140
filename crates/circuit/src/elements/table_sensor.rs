//! Resistive sensor given by a table.

use super::{Device, Failure, Felt, Local};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState, at_table};

#[derive(Debug)]
struct TableSensor {
    table: Vec<(f64, f64)>,
    felt: Felt,
}

pub(super) fn place(element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::TableSensor { a, b: other, stimulus, table } = element else {
        return None;
    };
    b.branch(a, other);
    Some(Box::new(TableSensor { table: table.clone(), felt: Felt::new(b, stimulus) }))
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
