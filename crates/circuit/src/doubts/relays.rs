//! Relays that never pull in.

use super::{OfPart, Tried, problem};
use crate::compile::DeviceIx;
use vehicle::Element;
use vehicle::element::Relay;

pub(super) fn doubts(tried: &Tried<'_>) -> Vec<OfPart> {
    let c = tried.circuit;
    let of = |(d, placed): (DeviceIx, &crate::compile::Placed)| {
        let part = &c.vehicle.parts[placed.part];
        let Element::Relay(Relay { coil_plus, coil_minus, common, make, .. }) =
            &part.elements[placed.element]
        else {
            return None;
        };
        let rest = placed.device.start(&vehicle::OperatingState::default());
        if tried.states.iter().any(|s| s.solution.modes[d] != rest) {
            return None;
        }
        let pin = |pin: &String| tried.pin(placed.part, pin);
        let problem = problem(
            format!("parts[{}].elements[{}]", placed.part, placed.element),
            format!("relay {} {} never pulls in", part.name, part.id),
            format!(
                "see whether its coil is {} and {}, its contact {} and {}, and what switches the coil",
                pin(coil_plus),
                pin(coil_minus),
                pin(common),
                pin(make)
            ),
        );
        Some(OfPart { part: placed.part, problem })
    };
    c.devices.iter_enumerated().filter_map(of).collect()
}
