//! The network as built in this vehicle (N12): each bus as a tree of its conductors, from the gateway
//! or the LIN master to every member, with what a suspicion on the way would be called.

use crate::model::{Model, ModelError};
use circuit::bus_lines::bit;
use circuit::meter::Leads;
use circuit::{BODY, BranchId, Circuit, DeviceIx, Instrument, NodeId, Of, Sweep};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::{BusKind, ConnectorId, Element, KeyPosition, OperatingState, PartId, PartIx};

/// A way from one branching point of a bus to the next, or to a member.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Limb {
    /// Repair items on the way, both lines together.
    pub items: Vec<String>,
    /// In-line connectors on the way.
    pub through: Vec<ConnectorId>,
    /// Connectors on the way and at the member that can be unplugged.
    pub connectors: Vec<ConnectorId>,
    /// Volts between the lines at the member while it sends a dominant bit, on a sound vehicle with the key
    /// on; none for LIN and at a branching point.
    pub sends_volts: Option<f64>,
    /// Ohms between the lines at the member with the battery off, on a sound vehicle; none likewise.
    pub dead_ohms: Option<f64>,
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
                let kind = if self.c.part(splice).is_some() { "part" } else { "splice" };
                items.insert(format!("{kind}:{splice}"));
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
            Of::Device { device, .. } => {
                let part = &self.c.vehicle.parts[self.c.devices[*device].part];
                items.insert(format!("part:{}", part.id));
            }
            _ => {}
        }
    }
}

/// The pins of a transceiver's lines.
fn lines(e: &Element) -> Vec<&str> {
    e.bus_end().map(|end| end.lines()).unwrap_or_default()
}

/// Whether a part carries a terminator of a CAN bus: a resistor from one of its lines to the other.
pub(crate) fn terminates(c: &Circuit, line_of: &LineOf, part: PartIx) -> bool {
    let on = |pin: &str| line_of.at(*c.pin_node.get(&(part, pin.to_owned()))?);
    c.vehicle.parts[part].elements.iter().filter_map(|e| e.joins()).any(|j| {
        let (a, b) = (on(j.a), on(j.b));
        a.is_some() && b.is_some() && a != b
    })
}

/// Connectors and sockets that a bus passes, by its number.
pub(crate) fn connectors(model: &Model, bus: usize) -> BTreeSet<ConnectorId> {
    let c = &model.circuit;
    let lines = model.bus_lines();
    let on = |k: BranchId| lines[c.branches[k].from] & bit(bus) != 0;
    c.terminal_branch.iter().filter(|(_, k)| on(**k)).map(|((id, _), _)| id.clone()).collect()
}

/// The inner points in which the legs of star couplers meet, with the couplers' ids.
fn stars(c: &Circuit) -> Vec<(NodeId, &str)> {
    let mut out = Vec::new();
    for (p, part) in c.vehicle.parts.iter_enumerated().filter(|(_, p)| p.module.is_none()) {
        let inner = part.elements.iter().filter_map(|e| e.leads_on()).flat_map(|j| [j.a, j.b]);
        let nodes = inner.filter_map(|pin| c.pin_node.get(&(p, pin.to_owned())).copied());
        let ends: Vec<NodeId> = nodes.collect();
        let meets = |n: &NodeId| ends.iter().filter(|e| *e == n).count() > 1;
        out.extend(ends.iter().filter(|n| meets(n)).map(|n| (*n, part.id.as_str())));
    }
    out
}

/// Every bus of a vehicle as a tree.
pub fn buses(c: &Arc<Circuit>) -> Vec<BusTree> {
    let gateway = circuit::hearing::gateway(&c.vehicle);
    c.vehicle.buses.iter().filter_map(|bus| tree(c, bus, gateway)).collect()
}

/// Whether a branch leads a line on: a conductor, a contact, or a link through a part.
fn is_way(c: &Circuit, of: &Of) -> bool {
    match of {
        Of::Wire(_) | Of::Terminal(..) | Of::Seat(_) => true,
        Of::Device { device, role } => *role == 0 && c.leads_on(*device),
        Of::Ground(_) | Of::Lead(_) => false,
    }
}

/// Members of a bus with their transceivers.
fn members<'c>(c: &'c Circuit, bus: &vehicle::Bus) -> Vec<(PartIx, &'c Element)> {
    let parts = c.vehicle.parts.iter_enumerated();
    parts
        .flat_map(|(p, part)| part.elements.iter().map(move |e| (p, e)))
        .filter(|(_, e)| e.bus() == Some(bus.id.as_str()))
        .collect()
}

/// The member a bus is drawn from, with its transceiver: the gateway, or the LIN master.
fn head_of<'c>(
    members: &[(PartIx, &'c Element)],
    gateway: Option<PartIx>,
) -> Option<(PartIx, &'c Element)> {
    let is_head = |(p, e): &&(PartIx, &Element)| match e.bus_end() {
        Some(end) if !end.is_can() => end.is_master(),
        _ => Some(*p) == gateway,
    };
    members.iter().find(is_head).or(members.first()).copied()
}

/// The part a bus is drawn from.
pub(crate) fn head(c: &Circuit, bus: &vehicle::Bus) -> Option<PartIx> {
    let gateway = circuit::hearing::gateway(&c.vehicle);
    head_of(&members(c, bus), gateway).map(|(part, _)| part)
}

/// Which line of its bus each node lies on.
pub(crate) struct LineOf {
    of: BTreeMap<NodeId, usize>,
    /// How many lines there are.
    pub count: usize,
}

impl LineOf {
    /// The line at a node, from 0: high, low; or the one.
    pub fn at(&self, node: NodeId) -> Option<usize> {
        self.of.get(&node).copied()
    }
}

/// The lines of a bus, followed from every member's pins along conductors, contacts and links.
pub(crate) fn lines_of(c: &Circuit, bus: &vehicle::Bus) -> LineOf {
    let at = ways(c);
    let mut of = BTreeMap::new();
    let mut count = 0;
    for (part, element) in members(c, bus) {
        let own = lines(element);
        count = own.len();
        for (which, pin) in own.into_iter().enumerate() {
            let mut next: Vec<NodeId> =
                c.pin_node.get(&(part, pin.to_owned())).copied().into_iter().collect();
            while let Some(n) = next.pop() {
                if n == BODY || of.insert(n, which).is_some() {
                    continue;
                }
                let beside = at.get(&n).into_iter().flatten().map(|k| &c.branches[*k]);
                next.extend(beside.map(|b| if b.from == n { b.to } else { b.from }));
            }
        }
    }
    LineOf { of, count }
}

/// Branches that lead a line on, at each node.
fn ways(c: &Circuit) -> BTreeMap<NodeId, Vec<BranchId>> {
    let mut at: BTreeMap<NodeId, Vec<BranchId>> = BTreeMap::new();
    for (k, b) in c.branches.iter_enumerated() {
        if is_way(c, &b.of) && b.from != BODY && b.to != BODY {
            at.entry(b.from).or_default().push(k);
            at.entry(b.to).or_default().push(k);
        }
    }
    at
}

/// Number of a bus.
///
/// # Errors
/// [`ModelError::Unknown`] where there is none of that name.
pub(crate) fn on_bus(c: &Circuit, bus: &str) -> Result<usize, ModelError> {
    let known = c.vehicle.buses.iter().position(|b| b.id == bus);
    known.ok_or_else(|| ModelError::Unknown { what: "bus", id: bus.to_owned() })
}

fn tree(c: &Arc<Circuit>, bus: &vehicle::Bus, gateway: Option<PartIx>) -> Option<BusTree> {
    let v = &c.vehicle;
    let members = members(c, bus);
    let (head, element) = head_of(&members, gateway)?;
    let at = ways(c);
    let splices = v.splices.iter().filter_map(|s| Some((c.node(&s.id).ok()?, s.id.as_str())));
    let names: BTreeMap<NodeId, &str> = splices.chain(stars(c)).collect();
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
    let line_of = lines_of(c, bus);
    let terminated = |p: PartIx| terminates(c, &line_of, p);
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
        limbs: {
            let mut limbs = nested(c, ways, &terminated);
            Levels::new(c, bus).fill(&mut limbs);
            limbs
        },
    })
}

/// What the lines of a bus show at its members on a sound vehicle.
struct Levels<'c> {
    c: &'c Arc<Circuit>,
    bus: &'c vehicle::Bus,
    awake: Sweep,
}

impl<'c> Levels<'c> {
    fn new(c: &'c Arc<Circuit>, bus: &'c vehicle::Bus) -> Self {
        let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
        Self { c, bus, awake: Sweep::new(c, &on, &[]) }
    }

    fn fill(&mut self, limbs: &mut [Limb]) {
        for limb in limbs {
            limb.connectors.clone_from(&limb.through);
            if let Some(part) = self.c.part(&limb.module) {
                self.at(part, limb);
            }
            self.fill(&mut limb.limbs);
        }
    }

    fn at(&mut self, part: PartIx, limb: &mut Limb) {
        let c = self.c;
        let of = |d: &DeviceIx| c.devices[*d].part == part;
        let Some(device) = c.transceivers(&self.bus.id).find(of) else { return };
        let Some(ear) = c.ear(device) else { return };
        let lines = &ear.nodes[..if ear.is_lin() { 1 } else { 2 }];
        let plugs = c.terminal_branch.iter().filter(|(_, k)| lines.contains(&c.branches[**k].to));
        for ((id, _), _) in plugs.filter(|((id, _), _)| c.names.connector(id).is_some()) {
            if !limb.connectors.contains(id) {
                limb.connectors.push(id.clone());
            }
        }
        if ear.is_lin() {
            return;
        }
        if let Some(sends) = c.dominant(&self.bus.id, part) {
            limb.sends_volts = Some(ear.across(self.awake.solve_at(&sends, &ear.nodes).volts));
        }
        let dead = OperatingState { battery_off: true, ..OperatingState::default() };
        let [high, low, _] = ear.nodes;
        let leads = Leads::Between(Instrument::Ohms, high, low);
        let ohms = leads.shown(c, &c.solve(&dead, &[], leads.extra())).value();
        limb.dead_ohms = Some(ohms).filter(|r| r.is_finite());
    }
}

/// Sorts ways into a tree: each hangs on the smallest that holds all that lies beyond it.
fn nested(c: &Circuit, ways: Ways, terminated: &dyn Fn(PartIx) -> bool) -> Vec<Limb> {
    let mut all: Vec<(BTreeSet<PartId>, Limb)> = ways
        .of
        .into_iter()
        .map(|(beyond, Way { items, through, splice, module })| {
            let there = if module.is_empty() { &splice } else { module.as_str() };
            let terminated = c.part(there).is_some_and(terminated);
            let (items, through) = (items.into_iter().collect(), through.into_iter().collect());
            let part = c.vehicle.parts.iter().find(|p| p.id == module);
            let name = part.map_or_else(String::new, |p| p.name.clone());
            let limb = Limb {
                items,
                through,
                module,
                name,
                terminated,
                splice,
                connectors: Vec::new(),
                sends_volts: None,
                dead_ohms: None,
                limbs: Vec::new(),
            };
            (beyond, limb)
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
        let c = Arc::new(Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap());
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
        // J70 in the dash, and behind the seat heating module and C10 J71 with the tow bar's stub.
        assert_eq!(body.limbs.len(), 1);
        assert_eq!(body.limbs[0].splice, "J70");
        let seats = body.limbs[0].limbs.iter().find(|l| l.module == "A24").unwrap();
        let rear = seats.limbs.iter().find(|l| l.splice == "J71").unwrap();
        assert_eq!(rear.through, ["C10"]);
        let trailer = rear.limbs.iter().find(|l| l.module == "A25").unwrap();
        assert_eq!(trailer.through, ["C11"]);
        for item in ["wire:562", "wire:564", "terminal:C11.4", "connector:C11"] {
            assert!(trailer.items.iter().any(|i| i == item), "{item}: {:?}", trailer.items);
        }
        // It ends at the trailer module; without that the rear module ends it.
        let ends = |limbs: &[Limb], module: &str| {
            limbs.iter().find(|l| l.module == *module).is_some_and(|l| l.terminated)
        };
        assert!(trailer.terminated && !ends(&rear.limbs, "A3"));
    }
}
