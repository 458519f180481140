//! A switch that shows its position by a resistance.

use super::{Device, Failure, Placing};
use crate::compile::Builder;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct CodedSwitch {
    part: vehicle::PartId,
    positions: Vec<String>,
    ohms_in: std::collections::BTreeMap<String, f64>,
}

impl Placing for element::CodedSwitch {
    fn place(&self, part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, ohms_in } = self;
        b.branch(a, other);
        Box::new(CodedSwitch {
            part: part.id.clone(),
            positions: part.positions.clone(),
            ohms_in: ohms_in.clone(),
        })
    }
    fn rate(&self) -> Rate {
        rates::SWITCH
    }
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
