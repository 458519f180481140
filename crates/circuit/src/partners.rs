//! Identical members of a LIN bus that may be exchanged (N18): what goes with a part is wrong in it, what stays
//! lies in the harness. Each of them has a seat between the contacts of its plug and its pins, so that a part
//! can be taken to the other's plug with everything that is wrong in it.

use crate::compile::{BranchId, Circuit, NodeId};
use crate::reroute::{By, Found, Lead, Opens};
use std::collections::BTreeMap;
use vehicle::{BusKind, Element, Part, PartIx, Vehicle};

/// Resistance of a seat, ohms: nothing beside the contact, which is reckoned for itself.
pub(crate) const SEAT_OHMS: f64 = 1e-3;

/// A pin of a part that may be exchanged.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Seat {
    /// The contact's side.
    pub face: NodeId,
    /// The part's side.
    pub pin: NodeId,
    /// What joins them.
    pub seat: BranchId,
}

/// Seats of each part by its pins.
pub(crate) type Seats = BTreeMap<PartIx, BTreeMap<String, Seat>>;

/// A part's inside without its numbers: copies of a vehicle whose values are drawn within tolerance must have
/// the same nodes.
fn inside(part: &Part) -> Vec<Element> {
    let mut elements = part.elements.clone();
    for element in &mut elements {
        element.numbers_mut().into_iter().for_each(|(_, value)| *value = 0.0);
    }
    elements
}

/// Pairs of members of a LIN bus that are built alike: neither is the master, and each has all its pins in one
/// plug. Whether their numbers are the same as well, [`Circuit::are_identical`] tells.
pub(crate) fn of(vehicle: &Vehicle) -> Vec<(PartIx, PartIx)> {
    let lin = |part: &Part| {
        let bus = |b: &&vehicle::Bus| b.kind == BusKind::Lin;
        let slave = |b: &vehicle::Bus| {
            part.elements.iter().any(|e| e.bus() == Some(b.id.as_str()))
                && !part.elements.iter().any(|e| e.is_master_of(&b.id))
        };
        vehicle.buses.iter().filter(bus).any(slave)
    };
    let plugs = |part: &Part| {
        let own: Vec<_> =
            vehicle.connectors.iter().filter(|c| c.part.as_ref() == Some(&part.id)).collect();
        let [plug] = own[..] else { return None };
        let pins = plug.cavities.iter().map(|c| c.pin.as_ref().unwrap_or(&c.no));
        let mut pins: Vec<&String> = pins.collect();
        pins.sort();
        Some(pins)
    };
    let slaves: Vec<(PartIx, &Part)> =
        vehicle.parts.iter_enumerated().filter(|(_, p)| lin(p)).collect();
    let mut out = Vec::new();
    for (k, (one, a)) in slaves.iter().enumerate() {
        for (other, b) in &slaves[k + 1..] {
            let same = inside(a) == inside(b) && a.kind == b.kind && plugs(a) == plugs(b);
            if same && plugs(a).is_some() && a.module.is_none() && b.module.is_none() {
                out.push((*one, *other));
            }
        }
    }
    out
}

impl Circuit {
    /// Whether nothing in two parts differs, so that one may take the other's place.
    pub fn are_identical(&self, one: PartIx, other: PartIx) -> bool {
        self.vehicle.parts[one].elements == self.vehicle.parts[other].elements
    }
}

/// The ways to exchange them. Leads of the bus come first.
pub(crate) fn exchanges(
    vehicle: &Vehicle,
    partners: &[(PartIx, PartIx)],
    seats: &Seats,
) -> Vec<Found> {
    let way = |(one, other): &(PartIx, PartIx)| {
        let (a, b) = (seats.get(one)?, seats.get(other)?);
        let elements = &vehicle.parts[*one].elements;
        let lines: Vec<&str> =
            elements.iter().filter_map(|e| e.bus_end()).flat_map(|end| end.lines()).collect();
        let mut pins: Vec<&String> = a.keys().filter(|pin| b.contains_key(*pin)).collect();
        pins.sort_by_key(|pin| !lines.contains(&pin.as_str()));
        let cross = |x: &Seat, y: &Seat| Lead { from: x.face, to: y.pin };
        let leads = pins.iter().flat_map(|pin| {
            let (x, y) = (&a[*pin], &b[*pin]);
            [cross(x, y), cross(y, x)]
        });
        let id = format!("exchange:{}+{}", vehicle.parts[*one].id, vehicle.parts[*other].id);
        let opens = a.values().chain(b.values()).map(|s| s.seat).collect();
        Some(Found {
            id,
            part: *one,
            by: By::Exchange { with: *other },
            leads: leads.collect(),
            opens: Opens::Branches(opens),
        })
    };
    partners.iter().filter_map(way).collect()
}
