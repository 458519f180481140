//! The network as built in this vehicle (N12): each bus as a tree of its conductors, from the gateway
//! or the LIN master to every member, with what a suspicion on the way would be called.

use circuit::{BODY, BranchId, Circuit, NodeId, Of};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::{BusKind, ConnectorId, Element, PartId, PartIx};

/// A way from one branching point of a bus to the next, or to a member.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Limb {
    /// Repair items on the way, both lines together.
    pub items: Vec<String>,
    /// In-line connectors on the way.
    pub through: Vec<ConnectorId>,
    /// The member at its end; empty at a branching point. With more beyond, the bus goes on through it.
    pub module: PartId,
    /// Its name.
    pub name: String,
    /// The member holds a terminator.
    pub terminated: bool,
    /// Splice at its end; empty at a member.
    pub splice: String,
    /// Ways that go on from there.
    #[schema(no_recursion)]
    pub limbs: Vec<Limb>,
}

/// A bus.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusTree {
    /// Id.
    pub id: String,
    /// Name.
    pub name: String,
    /// `CAN`, `CAN FD` or `LIN`.
    pub kind: String,
    /// Bits per second.
    pub bit_rate: u32,
    /// The gateway, or the LIN master.
    pub head: PartId,
    /// It holds a terminator.
    pub head_terminated: bool,
    /// What hangs on it.
    pub limbs: Vec<Limb>,
}

/// One line of a bus as a graph of conductors and contacts.
struct Line<'c> {
    c: &'c Circuit,
    /// Branches at each node.
    at: BTreeMap<NodeId, Vec<BranchId>>,
    /// Members' pins.
    pins: BTreeMap<NodeId, PartId>,
    names: BTreeMap<NodeId, &'c str>,
}

/// A tree by what lies beyond each way, which both lines of a pair have in common.
#[derive(Default)]
struct Ways {
    /// By the members beyond.
    of: BTreeMap<BTreeSet<PartId>, Way>,
}

/// What both lines of a pair pass, and what is at the end.
#[derive(Default)]
struct Way {
    items: BTreeSet<String>,
    through: BTreeSet<ConnectorId>,
    splice: String,
    module: PartId,
}

impl Line<'_> {
    /// Walks away from a node, not back over a branch; members found. Notes every way on the way.
    fn walk(
        &self,
        from: NodeId,
        seen: &mut BTreeSet<NodeId>,
        on_way: (BTreeSet<String>, BTreeSet<ConnectorId>),
        ways: &mut Ways,
    ) -> BTreeSet<PartId> {
        seen.insert(from);
        let next: Vec<(NodeId, BranchId)> = self
            .at
            .get(&from)
            .into_iter()
            .flatten()
            .map(|k| {
                let b = &self.c.branches[*k];
                (if b.from == from { b.to } else { b.from }, *k)
            })
            .filter(|(n, _)| !seen.contains(n))
            .collect();
        let (mut items, mut through) = on_way;
        let member = self.pins.get(&from);
        if let ([(n, k)], None) = (&next[..], member) {
            let (n, k) = (*n, *k);
            self.pass(k, &mut items, &mut through);
            return self.walk(n, seen, (items, through), ways);
        }
        // A member, perhaps with the bus going on through it; a branching point; or a loose end.
        let mut beyond: BTreeSet<PartId> = member.cloned().into_iter().collect();
        for (n, k) in next {
            if seen.contains(&n) {
                continue;
            }
            let (mut items, mut through) = Default::default();
            self.pass(k, &mut items, &mut through);
            beyond.extend(self.walk(n, seen, (items, through), ways));
        }
        if !beyond.is_empty() {
            let splice = self.names.get(&from).copied().unwrap_or("");
            if !splice.is_empty() {
                items.insert(format!("splice:{splice}"));
            }
            let way = ways.of.entry(beyond.clone()).or_default();
            way.items.extend(items);
            way.through.extend(through);
            way.module = member.cloned().unwrap_or_default();
            if way.splice.is_empty() {
                way.splice = splice.trim_end_matches(['H', 'L']).to_owned();
            }
        }
        beyond
    }

    fn pass(&self, k: BranchId, items: &mut BTreeSet<String>, through: &mut BTreeSet<ConnectorId>) {
        match &self.c.branches[k].of {
            Of::Wire(w) => {
                items.insert(format!("wire:{}", self.c.vehicle.wires[*w].id));
            }
            Of::Terminal(connector, cavity) => {
                items.insert(format!("terminal:{connector}.{cavity}"));
                let known = self.c.vehicle.connectors.iter().find(|x| &x.id == connector);
                if known.is_some_and(|x| x.sides.is_some()) {
                    items.insert(format!("connector:{connector}"));
                    through.insert(connector.clone());
                }
            }
            _ => {}
        }
    }
}

/// The pins of a transceiver's lines.
fn lines(e: &Element) -> Vec<&str> {
    e.bus_end().map(|end| end.lines()).unwrap_or_default()
}

/// Whether a part carries a terminator of a CAN bus: a resistor between its two lines.
pub(crate) fn terminates(part: &vehicle::Part, bus: &str) -> bool {
    let own = part.elements.iter().find(|e| e.bus() == Some(bus)).map(lines).unwrap_or_default();
    let across = |e: &Element| {
        e.joins().is_some_and(|j| own.len() == 2 && own.contains(&j.a) && own.contains(&j.b))
    };
    part.elements.iter().any(across)
}

/// Every bus of a vehicle as a tree.
pub fn buses(c: &Circuit) -> Vec<BusTree> {
    let gateway = circuit::hearing::Hearing::of(c).map(|h| h.gateway);
    c.vehicle.buses.iter().filter_map(|bus| tree(c, bus, gateway)).collect()
}

/// A link through a module has less than this, ohms.
const THROUGH_OHMS: f64 = 1.0;

/// Whether a branch leads a line on: a conductor, a contact, or a link through a module.
fn is_way(c: &Circuit, of: &Of) -> bool {
    match of {
        Of::Wire(_) | Of::Terminal(..) => true,
        Of::Device { device, .. } => {
            let placed = &c.devices[*device];
            let element = &c.vehicle.parts[placed.part].elements[placed.element];
            element.joins().is_some_and(|j| j.ohms < THROUGH_OHMS)
        }
        Of::Ground(_) => false,
    }
}

fn tree(c: &Circuit, bus: &vehicle::Bus, gateway: Option<PartIx>) -> Option<BusTree> {
    let v = &c.vehicle;
    let members: Vec<(PartIx, &Element)> = v
        .parts
        .iter_enumerated()
        .flat_map(|(p, part)| part.elements.iter().map(move |e| (p, e)))
        .filter(|(_, e)| e.bus() == Some(bus.id.as_str()))
        .collect();
    let is_head = |(p, e): &&(PartIx, &Element)| match e.bus_end() {
        Some(end) if !end.is_can() => end.is_master(),
        _ => Some(*p) == gateway,
    };
    let (head, element) = *members.iter().find(is_head).or(members.first())?;
    let mut at: BTreeMap<NodeId, Vec<BranchId>> = BTreeMap::new();
    for (k, b) in c.branches.iter_enumerated() {
        if is_way(c, &b.of) && b.from != BODY && b.to != BODY {
            at.entry(b.from).or_default().push(k);
            at.entry(b.to).or_default().push(k);
        }
    }
    let splices = v.splices.iter().filter_map(|s| Some((c.node(&s.id).ok()?, s.id.as_str())));
    let names: BTreeMap<NodeId, &str> = splices.collect();
    let node = |p: PartIx, pin: &str| c.pin_node.get(&(p, pin.to_owned())).copied();
    let mut ways = Ways::default();
    for (which, own) in lines(element).into_iter().enumerate() {
        let pins = members
            .iter()
            .filter(|(p, _)| *p != head)
            .filter_map(|(p, e)| Some((node(*p, lines(e).get(which)?)?, v.parts[*p].id.clone())))
            .collect();
        let line = Line { c, at: at.clone(), pins, names: names.clone() };
        if let Some(from) = node(head, own) {
            line.walk(from, &mut BTreeSet::new(), Default::default(), &mut ways);
        }
    }
    let terminated = |p: PartIx| terminates(&v.parts[p], &bus.id);
    let kind = match bus.kind {
        BusKind::Can => "CAN",
        BusKind::CanFd => "CAN FD",
        BusKind::Lin => "LIN",
    };
    Some(BusTree {
        id: bus.id.clone(),
        name: bus.name.clone(),
        kind: kind.into(),
        bit_rate: bus.bit_rate,
        head: v.parts[head].id.clone(),
        head_terminated: terminated(head),
        limbs: nested(c, ways, &terminated),
    })
}

/// Sorts ways into a tree: each hangs on the smallest that holds all that lies beyond it.
fn nested(c: &Circuit, ways: Ways, terminated: &dyn Fn(PartIx) -> bool) -> Vec<Limb> {
    let mut all: Vec<(BTreeSet<PartId>, Limb)> = ways
        .of
        .into_iter()
        .map(|(beyond, Way { items, through, splice, module })| {
            let terminated = c.part(&module).is_some_and(terminated);
            let (items, through) = (items.into_iter().collect(), through.into_iter().collect());
            let part = c.vehicle.parts.iter().find(|p| p.id == module);
            let name = part.map_or_else(String::new, |p| p.name.clone());
            (beyond, Limb { items, through, module, name, terminated, splice, limbs: Vec::new() })
        })
        .collect();
    // The small ones first: each is put into the next larger that holds it.
    all.sort_by_key(|(beyond, _)| beyond.len());
    let mut roots = Vec::new();
    for k in 0..all.len() {
        let (beyond, limb) = all[k].clone();
        match all[k + 1..].iter_mut().find(|(more, _)| more.is_superset(&beyond)) {
            Some((_, parent)) => parent.limbs.push(limb),
            None => roots.push(limb),
        }
    }
    roots
}

#[cfg(test)]
mod tests {
    use super::*;

    fn leaves(limbs: &[Limb], out: &mut Vec<PartId>) {
        for l in limbs {
            if !l.module.is_empty() {
                out.push(l.module.clone());
            }
            leaves(&l.limbs, out);
        }
    }

    #[test]
    fn every_bus_reaches_each_member_once_and_names_what_lies_on_the_way() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let all = buses(&c);
        assert_eq!(all.len(), c.vehicle.buses.len());
        for bus in &all {
            let mut found = Vec::new();
            leaves(&bus.limbs, &mut found);
            found.push(bus.head.clone());
            found.sort();
            let mut members: Vec<PartId> = c
                .transceivers(&bus.id)
                .map(|d| c.vehicle.parts[c.devices[d].part].id.clone())
                .collect();
            members.sort();
            assert_eq!(found, members, "{}", bus.name);
        }
        let body = all.iter().find(|b| b.id == "body").unwrap();
        assert_eq!((body.head.as_str(), body.head_terminated), ("A1", false));
        // J70 in the dash, and behind C10 J71 with the tow bar's stub.
        assert_eq!(body.limbs.len(), 1);
        assert_eq!(body.limbs[0].splice, "J70");
        let rear = body.limbs[0].limbs.iter().find(|l| l.splice == "J71").unwrap();
        assert_eq!(rear.through, ["C10"]);
        let trailer = rear.limbs.iter().find(|l| l.module == "A25").unwrap();
        assert_eq!(trailer.through, ["C11"]);
        for item in ["wire:562", "wire:564", "terminal:C11.4", "connector:C11"] {
            assert!(trailer.items.iter().any(|i| i == item), "{item}: {:?}", trailer.items);
        }
        assert!(rear.limbs.iter().find(|l| l.module == "A3").unwrap().terminated);
    }
}
