//! Which nodes are lines of which bus.

use crate::Of;
use crate::compile::{BODY, BranchId, Circuit, NodeId};
use crate::fault::Change;
use vehicle::{TiSlice, TiVec};

/// The bit of a bus, by its number in the vehicle file. Beyond 32 buses two share one.
pub fn bit(bus: usize) -> u32 {
    1 << (bus % 32)
}

/// Whether changes lie on a line of a bus or in a transceiver of it; `on` as [`bus_lines`] has it.
pub fn touches(c: &Circuit, on: &TiSlice<NodeId, u32>, bus: usize, changes: &[Change]) -> bool {
    let on = |n: NodeId| n != BODY && on[n] & bit(bus) != 0;
    let branch = |k: BranchId| on(c.branches[k].from) || on(c.branches[k].to);
    changes.iter().any(|change| match change {
        Change::Branch(k, _) | Change::Series(k, _) | Change::Times(k, _) => branch(*k),
        Change::Bridge(a, b, _) => on(*a) || on(*b),
        Change::Hold(d, _) => c.devices[*d].branches.iter().any(|k| branch(*k)),
        Change::Meter(_) | Change::NoEffect(_) => false,
    })
}

/// For every node the buses it is a line of, a bit each: everything that conductors, contacts and links
/// through parts join to the pins of transceivers, whether closed now or not.
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
            let leads = match b.of {
                Of::Wire(_) | Of::Terminal(..) | Of::Seat(_) => true,
                Of::Device { device, role } => role == 0 && c.leads_on(device),
                Of::Ground(_) | Of::Lead(_) => false,
            };
            leads && b.from != BODY && b.to != BODY
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
