//! Where things lie: which repair items one touches, moves or looks at with a thing.

use crate::compile::Circuit;
use crate::fault::Fault;
use vehicle::{Item, ItemKind, PartKind, Point};

/// Whether the vehicle has a place or thing of this name.
pub fn exists(c: &Circuit, at: &str) -> bool {
    let n = &c.names;
    n.place(at).is_some()
        || n.connector(at).is_some()
        || n.part(at).is_some()
        || n.wire(at).is_some()
        || n.ground(at).is_some()
        || n.splice(at).is_some()
        || is_cavity(c, at)
}

/// Whether a thing is a cavity with a terminal in it.
pub fn is_cavity(c: &Circuit, at: &str) -> bool {
    let key = Point::of(at).key().map(|(owner, no)| (owner.into(), no.to_owned()));
    key.is_some_and(|key| c.terminal_branch.contains_key(&key))
}

/// Places that a repair item lies in or passes.
pub fn places<'c>(c: &'c Circuit, item: &Item) -> Vec<&'c str> {
    let v = &c.vehicle;
    let n = &c.names;
    let of_owner = |id: &str| {
        n.connector(id)
            .map(|k| v.connectors[k].place.as_str())
            .or_else(|| n.part(id).map(|k| v.parts[k].place.as_str()))
    };
    let route = |id: &str| {
        n.wire(id)
            .map(|k| v.wires[k].route.iter().map(vehicle::PlaceId::as_str).collect())
            .unwrap_or_default()
    };
    match item {
        Item::Wire(id) => route(id),
        Item::Pair(a, b) => {
            let here = |p: &&vehicle::Place| p.beside.iter().any(|(x, y)| x == a && y == b);
            v.places.iter().filter(here).map(|p| p.id.as_str()).collect()
        }
        Item::Terminal(id) => of_owner(Point::of(id).owner).into_iter().collect(),
        Item::Connector(id) => of_owner(id).into_iter().collect(),
        Item::Part(id) => of_owner(id).into_iter().collect(),
        Item::Ground(id) => n.ground(id).map(|k| v.grounds[k].place.as_str()).into_iter().collect(),
        Item::Splice(id) => n.splice(id).map(|k| v.splices[k].place.as_str()).into_iter().collect(),
        Item::Elsewhere => Vec::new(),
    }
}

/// Whether a repair item lies at a thing: it is that thing (a terminal by its cavity), a terminal of
/// that connector, or lies in that place.
pub fn lies_at(c: &Circuit, item: &Item, at: &str) -> bool {
    let own = match item {
        Item::Terminal(id) => id == at || Point::of(id).owner == at,
        Item::Pair(a, b) => a == at || b == at,
        _ => item.thing() == Some(at),
    };
    own || (c.names.place(at).is_some() && places(c, item).contains(&at))
}

/// Whether repairing an item mends a fault: its own faults, and of two conductors that are rubbed
/// through to each other it is enough to renew one.
pub fn mends(item: &Item, fault: &Fault) -> bool {
    let of_pair = |wire: &vehicle::WireId| matches!(&fault.repair_item, Item::Pair(a, b) if a == wire || b == wire);
    *item == fault.repair_item || matches!(item, Item::Wire(id) if of_pair(id))
}

/// Whether moving the harness can make a fault come and go: contacts, conductors and what leaks
/// between them; not what fails inside a part.
pub fn can_move(fault: &Fault) -> bool {
    fault.repair_item.kind() != ItemKind::Part
}

/// Share of faults of this kind that come and go, before anything is known. What makes contact may lose
/// and find it again; a filament or a fuse that has burnt through stays so.
pub fn wavering_share(c: &Circuit, fault: &Fault) -> f64 {
    let mode = &fault.id.mode;
    match &fault.id.of {
        Item::Terminal(_) | Item::Connector(_) => 0.3,
        Item::Wire(_) | Item::Pair(..) => 0.2,
        Item::Ground(_) | Item::Splice(_) => 0.15,
        _ if mode.contains("contact") || mode.starts_with("stuck") => 0.15,
        of => match of.as_part().and_then(|id| c.names.part(id)).map(|k| c.vehicle.parts[k].kind) {
            Some(PartKind::Fuse | PartKind::Setup) => 0.0,
            Some(PartKind::Lamp | PartKind::Battery) => 0.01,
            // Brushes that hang, and let go when someone knocks.
            Some(PartKind::Motor | PartKind::Generator) => 0.15,
            Some(PartKind::Relay | PartKind::Switch) => 0.15,
            Some(PartKind::Module | PartKind::Sensor) => 0.1,
            _ => 0.05,
        },
    }
}

/// Whether a repair item hangs directly on a thing: a connector or terminal of that part, a
/// conductor that ends there.
pub fn touches(c: &Circuit, item: &Item, thing: &str) -> bool {
    let v = &c.vehicle;
    let of_part = |connector: &str| {
        let k = c.names.connector(connector);
        k.is_some_and(|k| v.connectors[k].part.as_deref() == Some(thing))
    };
    match item {
        Item::Terminal(id) => of_part(Point::of(id).owner),
        Item::Connector(id) => of_part(id),
        Item::Wire(id) => c.names.wire(id).is_some_and(|k| {
            let w = &v.wires[k];
            let at = |end: &str| {
                let owner = Point::of(end).owner;
                owner == thing || of_part(owner)
            };
            at(&w.from) || at(&w.to)
        }),
        _ => false,
    }
}
