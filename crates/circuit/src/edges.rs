//! What makes the edges of a CAN bus: the resistance between its lines and what hangs on them in farads.

use crate::bus_lines::{bit, bus_lines};
use crate::compile::{BranchId, Circuit};
use vehicle::element::Element;
use vehicle::{Bus, PartIx};

/// Capacitance of a member's input, and of a metre of the pair, farads (ISO 11898-2: below 100 pF a line).
const MEMBER_FARADS: f64 = 100e-12;
const METRE_FARADS: f64 = 55e-12;
/// What both terminators make in the middle of a bus, ohms (ISO 11898-2: 120 each).
pub const MIDDLE_OHMS: f64 = 60.0;
/// A driver's two halves in series, ohms, where none of the bus tells.
const USUAL_DRIVER_OHMS: f64 = 46.0;
/// What the two halves of a driver keep of its supply, volts.
const KEPT_VOLTS: f64 = 1.4;
/// A driver that gives less, or a level below this, says nothing of the resistance between the lines.
const LEAST_AMPS: f64 = 1e-6;
const LEAST_VOLTS: f64 = 0.1;

/// A CAN bus as its edges see it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Edges {
    /// Between the lines, as most senders have it, ohms.
    pub ohms: f64,
    /// Of such a sender's driver, ohms.
    pub driver_ohms: f64,
    /// Of the pair and everybody on it, farads.
    pub farads: f64,
    /// Length of the pair with its stubs, metres.
    pub metres: f64,
}

impl Edges {
    /// Time constant back to rest, seconds: what lies between the lines discharges them alone.
    pub fn back_s(&self) -> f64 {
        self.ohms * self.farads
    }

    /// Time constant to dominant, seconds: the driver works beside it.
    pub fn driven_s(&self) -> f64 {
        self.farads / (1.0 / self.ohms + 1.0 / self.driver_ohms)
    }
}

impl Circuit {
    /// The edges of a CAN bus with so many working members, from the volts between the lines at the
    /// own pins of each sender while it sends.
    pub fn edges(&self, bus: &Bus, members: usize, across: &[(PartIx, f64)]) -> Edges {
        let drives = |part: PartIx| {
            self.vehicle.parts[part].elements.iter().find_map(|e| match e {
                Element::CanTransceiver(t) if t.bus == bus.id => {
                    Some((2.0 * t.bias_volts - KEPT_VOLTS, 2.0 * t.driver_ohms))
                }
                _ => None,
            })
        };
        let loads = across.iter().filter_map(|(part, volts)| {
            let (own, driver) = drives(*part)?;
            let amps = (own - volts) / driver;
            (amps > LEAST_AMPS && *volts > LEAST_VOLTS).then_some((volts / amps, driver))
        });
        // Of most of them: one behind an open stub drives into nothing.
        let mut loads: Vec<(f64, f64)> = loads.collect();
        loads.sort_by(|a, b| a.0.total_cmp(&b.0));
        let most = loads.get(loads.len() / 2).copied();
        let (ohms, driver_ohms) = most.unwrap_or((MIDDLE_OHMS, USUAL_DRIVER_OHMS));
        let metres = self.metres(bus);
        let farads = members as f64 * MEMBER_FARADS + metres * METRE_FARADS;
        Edges { ohms, driver_ohms, farads, metres }
    }

    /// Length of the pair of a bus with all its stubs, metres.
    fn metres(&self, bus: &Bus) -> f64 {
        let on = bus_lines(self);
        let number = self.vehicle.buses.iter().position(|x| x.id == bus.id).unwrap_or(0);
        let lies = |k: BranchId| on[self.branches[k].from] & bit(number) != 0;
        let wires = self.vehicle.wires.iter().zip(&self.wire_branch).filter(|(_, k)| lies(**k));
        wires.map(|(w, _)| w.length_m).sum::<f64>() / 2.0
    }
}
