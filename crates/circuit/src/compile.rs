//! From a vehicle file to nodes, branches and devices.

use crate::chain::Chains;
use crate::earth::earthed;
use crate::elements::{self, Device};
use crate::hearing::Hearing;
use crate::law::Law;
use crate::linear::Plan;
use crate::names::Names;
use crate::partners::{self, Seat, Seats};
use crate::reroute::{self, Lead, Reroute};
use crate::software::Software;
use std::collections::{BTreeMap, HashMap};
use std::sync::OnceLock;
use thiserror::Error;
use vehicle::{
    ConnectorId, GroundIx, OperatingState, OutputId, OutputIx, PartId, PartIx, TiSlice, TiVec,
    Vehicle, WireIx,
};

vehicle::index! {
    /// A node; the first is the body.
    NodeId,
    /// A branch.
    BranchId,
    /// A device: an element of a part.
    DeviceIx,
}

/// The body: every voltage is against it.
pub const BODY: NodeId = NodeId(0);

/// What a branch is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Of {
    /// A conductor, by index in the vehicle file.
    Wire(WireIx),
    /// A terminal pair: connector id and cavity number.
    Terminal(ConnectorId, String),
    /// A ground point, by index.
    Ground(GroundIx),
    /// Branch `role` of a device.
    Device {
        /// Index of the device.
        device: DeviceIx,
        /// Which of its branches.
        role: usize,
    },
    /// The plug of a part that may be exchanged with an identical one: between its contacts and its pins.
    Seat(PartIx),
    /// A lead that a technician may put there: a way of [`crate::reroute`], by index.
    Lead(usize),
}

/// Two nodes and what lies between them.
#[derive(Debug, Clone, PartialEq)]
pub struct Branch {
    /// First node.
    pub from: NodeId,
    /// Second node.
    pub to: NodeId,
    /// What it is.
    pub of: Of,
    /// Law when it is not a device's.
    pub law: Law,
}

/// A device instance: an element of a part.
#[derive(Debug)]
pub struct Placed {
    /// Index of the part.
    pub part: PartIx,
    /// Index of the element in the part.
    pub element: usize,
    /// Its behaviour.
    pub device: Box<dyn Device>,
    /// Its branches.
    pub branches: Vec<BranchId>,
}

/// Why a circuit cannot be built.
#[derive(Debug, Error)]
pub enum CircuitError {
    /// A source that does not feed the body: nothing it feeds has a reference.
    #[error(
        "{part} is on an island: no conductor, part or ground point joins {points} to the body; add the missing ground conductor"
    )]
    Island {
        /// The part with the source.
        part: PartId,
        /// Some points of the island.
        points: String,
    },
    /// No source anywhere.
    #[error("there is no battery or generator in this vehicle file; add a part with one")]
    NoSource,
    /// A point of the circuit that does not exist.
    #[error("there is no cavity, splice or ground point “{0}” in this vehicle")]
    NoSuchPoint(String),
    /// A state that does not fit the vehicle.
    #[error("state: {0}")]
    State(String),
    /// A fault that does not fit the vehicle.
    #[error("there is no fault “{0}”; `chalkeus faults` lists them")]
    NoSuchFault(String),
}

/// A compiled circuit.
#[derive(Debug)]
pub struct Circuit {
    /// The vehicle it was made from.
    pub vehicle: Vehicle,
    /// Cavity faces, splices and ground points to nodes.
    pub node_of: BTreeMap<String, NodeId>,
    /// Number of nodes, the body included.
    pub nodes: usize,
    /// Branches.
    pub branches: TiVec<BranchId, Branch>,
    /// Devices.
    pub devices: TiVec<DeviceIx, Placed>,
    /// Branch of each conductor.
    pub wire_branch: TiVec<WireIx, BranchId>,
    /// Branch of each ground point.
    pub ground_branch: TiVec<GroundIx, BranchId>,
    /// Branch of each terminal pair.
    pub terminal_branch: BTreeMap<(ConnectorId, String), BranchId>,
    /// Node of each pin of each part.
    pub pin_node: BTreeMap<(PartIx, String), NodeId>,
    /// Elimination plan of the bare circuit.
    pub plan: Plan,
    /// The modules' software.
    pub software: Software,
    /// The permanent supply: the positive post of the first battery.
    pub supply: Option<NodeId>,
    /// Cavity of the negative post of the first battery: where the black lead sits unless a drop
    /// is measured. `body` when there is none.
    pub reference: String,
    /// Conductors and terminals one after the other with nothing branching off.
    pub chains: Chains,
    /// Nodes that are ground by conductors alone.
    pub earthed: TiVec<NodeId, bool>,
    /// Devices with a branch at each node.
    pub devices_at: TiVec<NodeId, Vec<DeviceIx>>,
    /// Branches at each node whose law can be bent.
    pub bent_at: TiVec<NodeId, Vec<BranchId>>,
    /// Devices that drive each output.
    pub drivers: TiVec<OutputIx, Vec<DeviceIx>>,
    /// Devices of each part.
    pub part_devices: TiVec<PartIx, Vec<DeviceIx>>,
    /// Parts that sleep until a bus wakes them.
    pub woken_by_bus: TiVec<PartIx, bool>,
    /// Where each thing of the vehicle file stands.
    pub names: Names,
    /// Ways to lead a bus elsewhere.
    pub reroutes: Vec<Reroute>,
    /// The buses modules talk over, resolved when first asked for.
    hearing: OnceLock<Option<Hearing>>,
    request_hearing: OnceLock<Option<Hearing>>,
}

/// Resistance of a plugged terminal pair for a conductor of one square millimetre, ohms: a contact is
/// made as large as what it carries.
pub const TERMINAL_OHM_MM2: f64 = 0.003;
/// The same of a sound ground point.
pub const GROUND_OHM_MM2: f64 = 0.001;
/// Cross-sections between which contacts differ, square millimetres.
const CONTACT_MM2: (f64, f64) = (0.35, 50.0);
/// That of a cavity that no conductor ends at.
const EMPTY_MM2: f64 = 1.0;
/// Resistivity of annealed copper at 20 degC, ohm square millimetres per metre (IEC 60028).
pub const COPPER: f64 = 0.017_241;
/// Temperature coefficient of copper's resistance at 20 degC, per kelvin (IEC 60028).
pub const COPPER_PER_KELVIN: f64 = 0.003_93;
/// How much warmer than 20 degC conductors in hot places are, kelvin.
pub const HOT_KELVIN: f64 = 60.0;

/// Collects nodes and branches while devices wire themselves up.
#[derive(Debug)]
pub struct Builder {
    nodes: usize,
    branches: TiVec<BranchId, Branch>,
    pins: BTreeMap<(PartIx, String), NodeId>,
    part: PartIx,
    device: DeviceIx,
    own: Vec<BranchId>,
    rests: HashMap<String, f64>,
    outputs: HashMap<OutputId, OutputIx>,
}

impl Builder {
    /// Value of a stimulus when a state says nothing of it.
    pub fn rest(&self, stimulus: &str) -> f64 {
        self.rests.get(stimulus).copied().unwrap_or(0.0)
    }

    /// Number of an output; none where the file has no such one.
    pub fn output(&self, id: &str) -> Option<OutputIx> {
        self.outputs.get(id).copied()
    }

    /// A new node inside the part.
    pub fn inside(&mut self) -> NodeId {
        self.node()
    }

    /// Adds the device's next branch between a pin and a node inside.
    pub fn branch_to(&mut self, from: &str, to: NodeId) {
        let from = self.pin(from);
        self.push(from, to);
    }

    /// Adds the device's next branch between two nodes.
    pub fn branch_between(&mut self, from: NodeId, to: NodeId) {
        self.push(from, to);
    }

    /// Node of a pin of the part being built.
    pub fn pin(&mut self, name: &str) -> NodeId {
        let next = NodeId::from(self.nodes);
        let node = *self.pins.entry((self.part, name.to_owned())).or_insert(next);
        if node == next {
            self.nodes += 1;
        }
        node
    }

    /// Adds the device's next branch between two pins.
    pub fn branch(&mut self, from: &str, to: &str) {
        let (from, to) = (self.pin(from), self.pin(to));
        self.push(from, to);
    }

    fn push(&mut self, from: NodeId, to: NodeId) {
        let of = Of::Device { device: self.device, role: self.own.len() };
        let branch = Branch { from, to, of, law: Law::OPEN };
        self.own.push(self.branches.push_and_get_key(branch));
    }

    fn node(&mut self) -> NodeId {
        self.nodes += 1;
        NodeId::from(self.nodes - 1)
    }

    fn add(&mut self, from: NodeId, to: NodeId, of: Of, ohms: f64) -> BranchId {
        self.branches.push_and_get_key(Branch { from, to, of, law: Law::Ohms(ohms) })
    }
}

impl Circuit {
    /// The buses modules talk over; none where no module has a CAN bus.
    pub fn hearing(&self) -> Option<&Hearing> {
        self.hearing.get_or_init(|| Hearing::of(self)).as_ref()
    }

    /// As much of them as requests by message need; none where no request travels.
    pub(crate) fn request_hearing(&self) -> Option<&Hearing> {
        self.request_hearing.get_or_init(|| Hearing::of_requests(self)).as_ref()
    }

    /// Compiles a validated vehicle file.
    ///
    /// # Errors
    /// [`CircuitError`] when nothing could ever be solved.
    pub fn new(vehicle: Vehicle) -> Result<Self, CircuitError> {
        let mut b = Builder {
            nodes: 1,
            branches: TiVec::new(),
            pins: BTreeMap::new(),
            part: PartIx(0),
            device: DeviceIx(0),
            own: Vec::new(),
            rests: vehicle.stimuli.iter().map(|s| (s.id.clone(), s.rest)).collect(),
            outputs: vehicle.outputs.iter_enumerated().map(|(k, o)| (o.id.clone(), k)).collect(),
        };
        let mut devices: TiVec<DeviceIx, Placed> = TiVec::new();
        for (p, part) in vehicle.parts.iter_enumerated() {
            for (e, element) in part.elements.iter().enumerate() {
                b.part = p;
                b.device = devices.next_key();
                let device = elements::of(element).place(part, &mut b);
                devices.push(Placed {
                    part: p,
                    element: e,
                    device,
                    branches: std::mem::take(&mut b.own),
                });
            }
        }
        if !devices.iter().any(|d| d.device.is_source()) {
            return Err(CircuitError::NoSource);
        }
        let part_index: HashMap<PartId, PartIx> =
            vehicle.parts.iter_enumerated().map(|(k, p)| (p.id.clone(), k)).collect();
        let thickest = thickest(&vehicle);
        let contact = |ohm_mm2: f64, ends: &[&str]| {
            let areas = ends.iter().filter_map(|end| thickest.get(end));
            let area = areas.copied().fold(f64::NAN, f64::max);
            let area = if area.is_finite() { area } else { EMPTY_MM2 };
            ohm_mm2 / area.clamp(CONTACT_MM2.0, CONTACT_MM2.1)
        };
        let mut node_of = BTreeMap::new();
        let mut terminal_branch = BTreeMap::new();
        let partners = partners::of(&vehicle);
        let mut seats = Seats::new();
        for connector in &vehicle.connectors {
            for cavity in &connector.cavities {
                let key = (connector.id.clone(), cavity.no.clone());
                let name = format!("{}.{}", connector.id, cavity.no);
                let (first, second, other) = match (&connector.sides, &connector.part) {
                    (Some((x, y)), _) => (format!("{name}:{x}"), format!("{name}:{y}"), b.node()),
                    (None, part) => {
                        let owner = part.as_ref().and_then(|p| part_index.get(p));
                        let Some(owner) = owner.copied() else { continue };
                        b.part = owner;
                        let name_of_pin = cavity.pin.as_deref().unwrap_or(&cavity.no);
                        let mut pin = b.pin(name_of_pin);
                        if partners.iter().any(|(x, y)| [*x, *y].contains(&owner)) {
                            let face = b.node();
                            let seat = b.add(face, pin, Of::Seat(owner), partners::SEAT_OHMS);
                            let of_part = seats.entry(owner).or_default();
                            of_part.insert(name_of_pin.to_owned(), Seat { face, pin, seat });
                            pin = face;
                        }
                        (name.clone(), format!("{name}:part"), pin)
                    }
                };
                let face = b.node();
                let ohms = contact(TERMINAL_OHM_MM2, &[&first, &second]);
                node_of.insert(first, face);
                node_of.insert(second, other);
                let of = Of::Terminal(key.0.clone(), key.1.clone());
                terminal_branch.insert(key, b.add(face, other, of, ohms));
            }
        }
        // Pins no connector claims sit in a socket named like the part.
        let mut claimed: std::collections::BTreeSet<NodeId> = node_of.values().copied().collect();
        claimed.extend(seats.values().flat_map(|own| own.values()).map(|s| s.pin));
        let pins: Vec<_> = b.pins.iter().map(|(k, n)| (k.clone(), *n)).collect();
        for ((part, pin), node) in pins {
            if reroute::is_inner(&vehicle, part, &pin) {
                continue;
            }
            if claimed.insert(node) {
                let id = ConnectorId::from(vehicle.parts[part].id.as_str());
                let name = format!("{id}.{pin}");
                let face = b.node();
                let of = Of::Terminal(id.clone(), pin.clone());
                let branch = b.add(face, node, of, contact(TERMINAL_OHM_MM2, &[&name]));
                terminal_branch.insert((id, pin), branch);
                node_of.insert(format!("{name}:part"), node);
                node_of.insert(name, face);
            }
        }
        for splice in &vehicle.splices {
            node_of.insert(splice.id.to_string(), b.node());
        }
        let mut ground_branch = TiVec::new();
        for (g, ground) in vehicle.grounds.iter_enumerated() {
            let stud = b.node();
            node_of.insert(ground.id.to_string(), stud);
            ground_branch.push(b.add(
                stud,
                BODY,
                Of::Ground(g),
                contact(GROUND_OHM_MM2, &[&ground.id]),
            ));
        }
        let mut wire_branch = TiVec::new();
        for (w, wire) in vehicle.wires.iter_enumerated() {
            let end = |id: &String| {
                node_of.get(id).copied().ok_or_else(|| CircuitError::NoSuchPoint(id.clone()))
            };
            let ohms = wire_ohms(&vehicle, wire);
            let (from, to) = (end(&wire.from)?, end(&wire.to)?);
            wire_branch.push(b.add(from, to, Of::Wire(w), ohms));
        }
        let mut found = reroute::all(&vehicle, |point| node_of.get(point).copied());
        found.extend(partners::exchanges(&vehicle, &partners, &seats));
        let reroutes = found
            .into_iter()
            .enumerate()
            .map(|(k, mut found)| {
                let lead = |l: Lead| {
                    let of = Of::Lead(k);
                    b.branches.push_and_get_key(Branch {
                        from: l.from,
                        to: l.to,
                        of,
                        law: Law::OPEN,
                    })
                };
                let leads = std::mem::take(&mut found.leads).into_iter().map(lead).collect();
                found.placed(leads, |connector, no| {
                    terminal_branch.get(&(connector.into(), no.to_owned())).copied()
                })
            })
            .collect();
        number_by_elimination(&mut b, &mut node_of);
        check_islands(&vehicle, b.nodes, &b.branches, &devices, &node_of)?;
        let ends: Vec<_> = b.branches.iter().map(|x| (x.from, x.to)).collect();
        let (supply, reference) = posts(&vehicle, &b.pins, &node_of);
        let mut part_devices: TiVec<PartIx, _> = vec![Vec::new(); vehicle.parts.len()].into();
        for (d, placed) in devices.iter_enumerated() {
            part_devices[placed.part].push(d);
        }
        let mut bent_at: TiVec<NodeId, Vec<BranchId>> = vec![Vec::new(); b.nodes].into();
        let mut devices_at: TiVec<NodeId, Vec<DeviceIx>> = vec![Vec::new(); b.nodes].into();
        for (k, branch) in b.branches.iter_enumerated() {
            for n in [branch.from, branch.to] {
                if let Of::Device { device, .. } = branch.of {
                    bent_at[n].push(k);
                    if devices_at[n].last() != Some(&device) {
                        devices_at[n].push(device);
                    }
                }
            }
        }
        let ring_nodes = crate::teeth::nodes(&vehicle, &devices, &b.branches);
        let held = crate::settings::nodes(&vehicle, &devices, &b.branches);
        let drivers = vehicle
            .outputs
            .iter()
            .map(|o| {
                let drives = |d: &(DeviceIx, &Placed)| {
                    let element = &vehicle.parts[d.1.part].elements[d.1.element];
                    element.outputs().contains(&o.id.as_str())
                };
                devices.iter_enumerated().filter(drives).map(|d| d.0).collect()
            })
            .collect();
        let by_bus = |e: &vehicle::Element| e.feed().is_some_and(|feed| feed.by_bus);
        let woken_by_bus = vehicle.parts.iter().map(|p| p.elements.iter().any(by_bus)).collect();
        Ok(Self {
            supply,
            reference,
            chains: Chains::new(b.nodes, &b.branches),
            earthed: earthed(b.nodes, &b.branches),
            devices_at,
            bent_at,
            drivers,
            part_devices,
            woken_by_bus,
            plan: Plan::new(b.nodes, &ends),
            software: Software::new(&vehicle, &part_index, &b.pins, (&ring_nodes, &held), b.nodes),
            names: Names::of(&vehicle),
            vehicle,
            node_of,
            nodes: b.nodes,
            branches: b.branches,
            devices,
            wire_branch,
            ground_branch,
            terminal_branch,
            pin_node: b.pins,
            reroutes,
            hearing: OnceLock::new(),
            request_hearing: OnceLock::new(),
        })
    }

    /// Node of a cavity face, splice or ground point; `body` is the reference.
    ///
    /// # Errors
    /// [`CircuitError::NoSuchPoint`].
    pub fn node(&self, id: &str) -> Result<NodeId, CircuitError> {
        if id == "body" {
            return Ok(BODY);
        }
        self.node_of.get(id).copied().ok_or_else(|| CircuitError::NoSuchPoint(id.to_owned()))
    }

    /// Checks that a state names only what this vehicle has.
    ///
    /// # Errors
    /// [`CircuitError::State`].
    pub fn check_state(&self, state: &OperatingState) -> Result<(), CircuitError> {
        let mut problems = self.vehicle.unknown_in_state(state);
        for id in state.rerouted.iter().filter(|id| self.reroute(id).is_none()) {
            let known: Vec<&str> = self.reroutes.iter().map(|r| r.id.as_str()).collect();
            let known = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
            problems.push(format!("no bus can be led by “{id}” here; possible: {known}"));
        }
        if problems.is_empty() { Ok(()) } else { Err(CircuitError::State(problems.join("; "))) }
    }

    /// Index of a part.
    pub fn part(&self, id: &str) -> Option<PartIx> {
        self.names.part(id)
    }

    /// Index of a conductor.
    pub fn wire(&self, id: &str) -> Option<WireIx> {
        self.names.wire(id)
    }

    /// Resistance of a sound branch, ohms; 0 where it is not a plain resistance.
    pub fn sound_ohms(&self, branch: BranchId) -> f64 {
        match self.branches[branch].law {
            Law::Ohms(ohms) => ohms,
            _ => 0.0,
        }
    }
}

/// Cross-section of the thickest conductor at each end, square millimetres.
fn thickest(vehicle: &Vehicle) -> BTreeMap<&str, f64> {
    let mut areas: BTreeMap<&str, f64> = BTreeMap::new();
    for wire in &vehicle.wires {
        for end in [&wire.from, &wire.to] {
            let area = areas.entry(end).or_insert(0.0);
            *area = area.max(wire.area_mm2);
        }
    }
    areas
}

/// Resistance of a sound conductor, ohms: `R = rho L / A`, warmer by the share of hot places on its route.
pub fn wire_ohms(vehicle: &Vehicle, wire: &vehicle::Wire) -> f64 {
    let hot =
        wire.route.iter().filter(|id| vehicle.places.iter().any(|p| p.hot && &p.id == *id)).count()
            as f64
            / wire.route.len().max(1) as f64;
    COPPER * wire.length_m / wire.area_mm2 * (1.0 + COPPER_PER_KELVIN * HOT_KELVIN * hot)
}

/// Refuses a source that nothing joins to the body; single unused pins may float.
fn check_islands(
    vehicle: &Vehicle,
    nodes: usize,
    branches: &TiSlice<BranchId, Branch>,
    devices: &TiSlice<DeviceIx, Placed>,
    node_of: &BTreeMap<String, NodeId>,
) -> Result<(), CircuitError> {
    let mut group: TiVec<NodeId, NodeId> = (0..nodes).map(NodeId::from).collect();
    fn root(group: &mut TiSlice<NodeId, NodeId>, mut n: NodeId) -> NodeId {
        while group[n] != n {
            group[n] = group[group[n]];
            n = group[n];
        }
        n
    }
    for b in branches {
        let (x, y) = (root(&mut group, b.from), root(&mut group, b.to));
        group[x.max(y)] = x.min(y);
    }
    for placed in devices.iter().filter(|d| d.device.is_source()) {
        let at = root(&mut group, branches[placed.branches[0]].from);
        if at != root(&mut group, BODY) {
            let points: Vec<&str> = node_of
                .iter()
                .filter(|(_, n)| root(&mut group, **n) == at)
                .map(|(id, _)| id.as_str())
                .take(6)
                .collect();
            return Err(CircuitError::Island {
                part: vehicle.parts[placed.part].id.clone(),
                points: points.join(", "),
            });
        }
    }
    Ok(())
}

/// The battery's positive post, and the cavity of its negative one.
fn posts(
    vehicle: &Vehicle,
    pins: &BTreeMap<(PartIx, String), NodeId>,
    node_of: &BTreeMap<String, NodeId>,
) -> (Option<NodeId>, String) {
    for (p, part) in vehicle.parts.iter_enumerated() {
        for element in &part.elements {
            if let Some((plus, minus)) = element.posts() {
                let supply = pins.get(&(p, plus.to_owned())).copied();
                let cavity = pins.get(&(p, minus.to_owned())).and_then(|post| {
                    // The harness face of the post: what a clip can sit on.
                    let face = format!("{}.{minus}", part.id);
                    let claimed =
                        node_of.iter().find(|(id, n)| *n == post && id.ends_with(":part"));
                    match node_of.contains_key(&face) {
                        true => Some(face),
                        false => claimed.map(|(id, _)| id.trim_end_matches(":part").to_owned()),
                    }
                });
                return (supply, cavity.unwrap_or_else(|| "body".to_owned()));
            }
        }
    }
    (None, "body".to_owned())
}

/// Numbers the nodes in the order they are eliminated, so that a solution runs through memory.
fn number_by_elimination(b: &mut Builder, node_of: &mut BTreeMap<String, NodeId>) {
    let ends: Vec<_> = b.branches.iter().map(|x| (x.from, x.to)).collect();
    let mut number: TiVec<NodeId, NodeId> = vec![BODY; b.nodes].into();
    for (p, node) in Plan::new(b.nodes, &ends).order().enumerate() {
        number[NodeId::from(node)] = (p + 1).into();
    }
    for branch in &mut b.branches {
        branch.from = number[branch.from];
        branch.to = number[branch.to];
    }
    for node in b.pins.values_mut().chain(node_of.values_mut()) {
        *node = number[*node];
    }
}
