//! A battery that is not joined to the body.

use super::problem;
use crate::compile::Circuit;
use vehicle::Problem;

pub(super) fn doubts(circuit: &Circuit) -> Vec<Problem> {
    let parts = circuit.vehicle.parts.iter_enumerated();
    let of = |(p, part): (vehicle::PartIx, &vehicle::Part)| {
        part.elements.iter().enumerate().find_map(|(e, element)| {
            let (_, minus) = element.posts()?;
            let node = circuit.pin_node.get(&(p, minus.to_owned()))?;
            (!circuit.earthed[*node]).then(|| {
                problem(
                    format!("parts[{p}].elements[{e}].minus"),
                    format!("no conductor joins {} to the body: nothing can work", part.id),
                    format!("add the ground strap from {}.{minus} to a ground point", part.id),
                )
            })
        })
    };
    parts.filter_map(of).collect()
}
