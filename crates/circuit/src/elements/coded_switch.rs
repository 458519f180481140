//! A switch that shows its position by a resistance.

use super::{Device, Failure};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState, Part};

#[derive(Debug)]
struct CodedSwitch {
    part: String,
    positions: Vec<String>,
    ohms_in: std::collections::BTreeMap<String, f64>,
}

pub(super) fn place(part: &Part, element: &Element, b: &mut Builder) -> Option<Box<dyn Device>> {
    let Element::CodedSwitch { a, b: other, ohms_in } = element else {
        return None;
    };
    b.branch(a, other);
    Some(Box::new(CodedSwitch {
        part: part.id.clone(),
        positions: part.positions.clone(),
        ohms_in: ohms_in.clone(),
    }))
}

impl Device for CodedSwitch {
    fn law(&self, _role: usize, _mode: u8, state: &OperatingState) -> Law {
        let position = super::contact::position(&self.part, &self.positions, state);
        self.ohms_in.get(position).map_or(Law::OPEN, |r| Law::Ohms(*r))
    }
    fn failures(&self, _number: Option<f64>) -> Vec<Failure> {
        Failure::open_or_short(0.5, 0.2, 1.0, "contacts")
    }
}
