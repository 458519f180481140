//! Contact of a switch or of the key switch: mode 1 is closed, set by the operating state.

use super::{Device, Nothing};
use crate::compile::Builder;
use crate::law::Law;
use vehicle::{Element, OperatingState, Part};

#[derive(Debug)]
struct Contact {
    part: String,
    positions: Vec<String>,
    closed_in: Vec<String>,
    ohms: f64,
}

pub(super) fn place(part: &Part, element: &Element, b: &mut Builder) -> Box<dyn Device> {
    let Element::Contact { a, b: other, closed_in, contact_ohms } = element else {
        return Box::new(Nothing);
    };
    b.branch(a, other);
    Box::new(Contact {
        part: part.id.clone(),
        positions: part.positions.clone(),
        closed_in: closed_in.clone(),
        ohms: *contact_ohms,
    })
}

impl Device for Contact {
    fn start(&self, state: &OperatingState) -> u8 {
        // A switch that has the key's positions is the key switch.
        let key = state.key.position();
        let position = match state.switches.get(&self.part) {
            Some(position) => position.as_str(),
            None if self.positions.iter().any(|p| p == "15") => key,
            None => self.positions.first().map_or("", String::as_str),
        };
        u8::from(self.closed_in.iter().any(|p| p == position))
    }
    fn law(&self, _role: usize, mode: u8) -> Law {
        if mode == 1 { Law::Ohms(self.ohms) } else { Law::OPEN }
    }
}
