//! From a vehicle file to nodes, branches and devices.

use crate::elements::{self, Device};
use crate::law::Law;
use crate::linear::Plan;
use std::collections::BTreeMap;
use thiserror::Error;
use vehicle::{OperatingState, Vehicle};

/// A node; 0 is the body.
pub type NodeId = usize;
/// Index of a branch.
pub type BranchId = usize;

/// What a branch is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Of {
    /// A conductor, by index in the vehicle file.
    Wire(usize),
    /// A terminal pair: connector id and cavity number.
    Terminal(String, String),
    /// A ground point, by index.
    Ground(usize),
    /// Branch `role` of a device.
    Device {
        /// Index of the device.
        device: usize,
        /// Which of its branches.
        role: usize,
    },
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
    pub part: usize,
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
    pub branches: Vec<Branch>,
    /// Devices.
    pub devices: Vec<Placed>,
    /// Branch of each conductor.
    pub wire_branch: Vec<BranchId>,
    /// Branch of each ground point.
    pub ground_branch: Vec<BranchId>,
    /// Branch of each terminal pair.
    pub terminal_branch: BTreeMap<(String, String), BranchId>,
    /// Node of each pin of each part.
    pub pin_node: BTreeMap<(usize, String), NodeId>,
    /// Elimination plan of the bare circuit.
    pub plan: Plan,
}

/// Resistance of a plugged terminal pair, ohms.
pub const TERMINAL_OHMS: f64 = 0.003;
/// Resistance of a sound ground point, ohms.
pub const GROUND_OHMS: f64 = 0.001;
/// Resistivity of annealed copper at 20 degC, ohm square millimetres per metre (IEC 60028).
pub const COPPER: f64 = 0.017_241;

/// Collects nodes and branches while devices wire themselves up.
#[derive(Debug)]
pub struct Builder {
    nodes: usize,
    branches: Vec<Branch>,
    pins: BTreeMap<(usize, String), NodeId>,
    part: usize,
    device: usize,
    own: Vec<BranchId>,
}

impl Builder {
    /// Node of a pin of the part being built.
    pub fn pin(&mut self, name: &str) -> NodeId {
        let next = self.nodes;
        let node = *self.pins.entry((self.part, name.to_owned())).or_insert(next);
        if node == next {
            self.nodes += 1;
        }
        node
    }

    /// Adds the device's next branch between two pins.
    pub fn branch(&mut self, from: &str, to: &str) {
        let (from, to) = (self.pin(from), self.pin(to));
        self.own.push(self.branches.len());
        self.branches.push(Branch {
            from,
            to,
            of: Of::Device { device: self.device, role: self.own.len() - 1 },
            law: Law::OPEN,
        });
    }

    fn node(&mut self) -> NodeId {
        self.nodes += 1;
        self.nodes - 1
    }

    fn add(&mut self, from: NodeId, to: NodeId, of: Of, ohms: f64) -> BranchId {
        self.branches.push(Branch { from, to, of, law: Law::Ohms(ohms) });
        self.branches.len() - 1
    }
}

impl Circuit {
    /// Compiles a validated vehicle file.
    ///
    /// # Errors
    /// [`CircuitError`] when nothing could ever be solved.
    pub fn new(vehicle: Vehicle) -> Result<Self, CircuitError> {
        let mut b = Builder {
            nodes: 1,
            branches: Vec::new(),
            pins: BTreeMap::new(),
            part: 0,
            device: 0,
            own: Vec::new(),
        };
        let mut devices = Vec::new();
        for (p, part) in vehicle.parts.iter().enumerate() {
            for (e, element) in part.elements.iter().enumerate() {
                b.part = p;
                b.device = devices.len();
                let device = elements::place(part, element, &mut b);
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
        let mut node_of = BTreeMap::new();
        let mut terminal_branch = BTreeMap::new();
        for connector in &vehicle.connectors {
            for cavity in &connector.cavities {
                let key = (connector.id.clone(), cavity.no.clone());
                let name = format!("{}.{}", connector.id, cavity.no);
                let (first, second, other) = match (&connector.sides, &connector.part) {
                    (Some((x, y)), _) => (format!("{name}:{x}"), format!("{name}:{y}"), b.node()),
                    (None, part) => {
                        b.part = vehicle
                            .parts
                            .iter()
                            .position(|p| Some(&p.id) == part.as_ref())
                            .unwrap_or(0);
                        let pin = b.pin(cavity.pin.as_deref().unwrap_or(&cavity.no));
                        (name.clone(), format!("{name}:part"), pin)
                    }
                };
                let face = b.node();
                node_of.insert(first, face);
                node_of.insert(second, other);
                let of = Of::Terminal(key.0.clone(), key.1.clone());
                terminal_branch.insert(key, b.add(face, other, of, TERMINAL_OHMS));
            }
        }
        // Pins no connector claims sit in a socket named like the part.
        let mut claimed: std::collections::BTreeSet<NodeId> = node_of.values().copied().collect();
        let pins: Vec<_> = b.pins.iter().map(|(k, n)| (k.clone(), *n)).collect();
        for ((part, pin), node) in pins {
            if claimed.insert(node) {
                let id = &vehicle.parts[part].id;
                let name = format!("{id}.{pin}");
                let face = b.node();
                let of = Of::Terminal(id.clone(), pin.clone());
                let branch = b.add(face, node, of, TERMINAL_OHMS);
                terminal_branch.insert((id.clone(), pin), branch);
                node_of.insert(format!("{name}:part"), node);
                node_of.insert(name, face);
            }
        }
        for splice in &vehicle.splices {
            node_of.insert(splice.id.clone(), b.node());
        }
        let mut ground_branch = Vec::new();
        for (g, ground) in vehicle.grounds.iter().enumerate() {
            let stud = b.node();
            node_of.insert(ground.id.clone(), stud);
            ground_branch.push(b.add(stud, 0, Of::Ground(g), GROUND_OHMS));
        }
        let mut wire_branch = Vec::new();
        for (w, wire) in vehicle.wires.iter().enumerate() {
            let end = |id: &String| {
                node_of.get(id).copied().ok_or_else(|| CircuitError::NoSuchPoint(id.clone()))
            };
            let ohms = COPPER * wire.length_m / wire.area_mm2;
            let (from, to) = (end(&wire.from)?, end(&wire.to)?);
            wire_branch.push(b.add(from, to, Of::Wire(w), ohms));
        }
        let ends: Vec<_> = b.branches.iter().map(|x| (x.from, x.to)).collect();
        Ok(Self {
            plan: Plan::new(b.nodes, &ends),
            vehicle,
            node_of,
            nodes: b.nodes,
            branches: b.branches,
            devices,
            wire_branch,
            ground_branch,
            terminal_branch,
            pin_node: b.pins,
        })
    }

    /// Node of a cavity face, splice or ground point; `body` is the reference.
    ///
    /// # Errors
    /// [`CircuitError::NoSuchPoint`].
    pub fn node(&self, id: &str) -> Result<NodeId, CircuitError> {
        if id == "body" {
            return Ok(0);
        }
        self.node_of.get(id).copied().ok_or_else(|| CircuitError::NoSuchPoint(id.to_owned()))
    }

    /// Checks that a state names only what this vehicle has.
    ///
    /// # Errors
    /// [`CircuitError::State`].
    pub fn check_state(&self, state: &OperatingState) -> Result<(), CircuitError> {
        let problems = self.vehicle.unknown_in_state(state);
        if problems.is_empty() { Ok(()) } else { Err(CircuitError::State(problems.join("; "))) }
    }

    /// Index of a part.
    pub fn part(&self, id: &str) -> Option<usize> {
        self.vehicle.parts.iter().position(|p| p.id == id)
    }

    /// Index of a conductor.
    pub fn wire(&self, id: &str) -> Option<usize> {
        self.vehicle.wires.iter().position(|w| w.id == id)
    }
}
