//! Contact of a switch or of the key switch: mode 1 is closed, set by the operating state.

use super::{Device, Failure, Local, Placing};
use crate::compile::Builder;
use crate::fault::ohms_text;
use crate::fault::rates::{self, Rate};
use crate::law::Law;
use vehicle::{OperatingState, Part, element};

#[derive(Debug)]
struct Contact {
    part: vehicle::PartId,
    positions: Vec<String>,
    closed_in: Vec<String>,
    ohms: f64,
}

impl Placing for element::Contact {
    fn place(&self, part: &Part, b: &mut Builder) -> Box<dyn Device> {
        let Self { a, b: other, closed_in, contact_ohms } = self;
        b.branch(a, other);
        Box::new(Contact {
            part: part.id.clone(),
            positions: part.positions.clone(),
            closed_in: closed_in.clone(),
            ohms: *contact_ohms,
        })
    }
    fn rate(&self) -> Rate {
        rates::SWITCH
    }
}

/// Position of a switch in a state. A switch that has the key's positions is the key switch.
pub(super) fn position<'a>(
    part: &str,
    positions: &'a [String],
    state: &'a OperatingState,
) -> &'a str {
    match state.switches.get(part) {
        Some(position) => position,
        None if positions.iter().any(|p| p == "15") => state.key.position(),
        None => positions.first().map_or("", String::as_str),
    }
}

impl Device for Contact {
    fn start(&self, state: &OperatingState) -> u8 {
        let position = position(&self.part, &self.positions, state);
        u8::from(self.closed_in.iter().any(|p| p == position))
    }
    fn law(&self, _role: usize, mode: u8, _state: &OperatingState) -> Law {
        if mode == 1 { Law::Ohms(self.ohms) } else { Law::OPEN }
    }
    fn failures(&self, number: Option<f64>) -> Vec<Failure> {
        let mut out = vec![
            Failure::new("stuck_open", 0.6, "a contact does not close", Local::Hold(0)),
            Failure::new("stuck_closed", 0.3, "a contact does not open", Local::Hold(1)),
        ];
        out.extend(Failure::grid(
            "contact_series",
            0.4,
            &[0.3, 1.0, 3.0, 10.0, 30.0, 100.0, 300.0, 1e3, 1e4],
            number,
            |r| format!("a contact worn, {}", ohms_text(r)),
            |r| Local::Series(0, r),
        ));
        out
    }
}
