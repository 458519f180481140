//! Which nodes are lines of which bus.

use crate::Of;
use crate::compile::{BODY, Circuit, NodeId};
use vehicle::TiVec;

/// The bit of a bus, by its number in the vehicle file. Beyond 32 buses two share one.
pub fn bit(bus: usize) -> u32 {
    1 << (bus % 32)
}

/// For every node the buses it is a line of, a bit each: everything that conductors and contacts
/// join to the pins of transceivers.
pub fn bus_lines(c: &Circuit) -> TiVec<NodeId, u32> {
    let mut on: TiVec<NodeId, u32> = vec![0; c.nodes].into();
    for (part, p) in c.vehicle.parts.iter_enumerated() {
        for element in &p.elements {
            let Some(end) = element.bus_end() else { continue };
            let Some(number) = c.vehicle.buses.iter().position(|b| b.id == end.bus) else {
                continue;
            };
            for pin in end.lines() {
                if let Some(n) = c.pin_node.get(&(part, pin.to_owned())) {
                    on[*n] |= bit(number);
                }
            }
        }
    }
    on[BODY] = 0;
    let lines: Vec<_> = c
        .branches
        .iter()
        .filter(|b| {
            matches!(b.of, Of::Wire(_) | Of::Terminal(..)) && b.from != BODY && b.to != BODY
        })
        .collect();
    while lines.iter().any(|b| on[b.from] != on[b.to]) {
        for b in &lines {
            let both = on[b.from] | on[b.to];
            on[b.from] = both;
            on[b.to] = both;
        }
    }
    on
}
