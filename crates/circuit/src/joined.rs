//! What is joined to a place at all: the rest of the vehicle cannot matter to what is read there.

use crate::compile::{BranchId, Circuit, NodeId, Of};
use crate::fault::Change;
use std::collections::HashSet;
use vehicle::{OperatingState, TiVec};

/// Nodes that something current flows through, or a device, joins to some place.
#[derive(Debug, Clone)]
pub struct Joined {
    nodes: TiVec<NodeId, bool>,
}

impl Circuit {
    /// What is joined to some nodes in a state: by conductors, contacts and parts, whether current flows
    /// or not, and through the devices that have a branch there, as the coil is to its contacts. None where
    /// a module is among it: what its software looks at may lie anywhere.
    pub fn joined(&self, state: &OperatingState, from: &[NodeId]) -> Option<Joined> {
        let mut at: TiVec<NodeId, Vec<BranchId>> = vec![Vec::new(); self.nodes].into();
        let pulled: HashSet<BranchId> = self.unplugged(state).collect();
        let laid: HashSet<BranchId> = self.leads(state).collect();
        for (k, b) in self.branches.iter_enumerated().filter(|(k, _)| !pulled.contains(k)) {
            if matches!(b.of, Of::Lead(_)) && !laid.contains(&k) {
                continue;
            }
            at[b.from].push(k);
            at[b.to].push(k);
        }
        let mut nodes: TiVec<NodeId, bool> = vec![false; self.nodes].into();
        let mut next: Vec<NodeId> = from.to_vec();
        while let Some(node) = next.pop() {
            if std::mem::replace(&mut nodes[node], true) {
                continue;
            }
            for k in &at[node] {
                next.extend([self.branches[*k].from, self.branches[*k].to]);
                if let Of::Device { device, .. } = self.branches[*k].of {
                    let placed = &self.devices[device];
                    if self.vehicle.parts[placed.part].module.is_some() {
                        return None;
                    }
                    let own = placed.branches.iter().map(|k| &self.branches[*k]);
                    next.extend(own.flat_map(|b| [b.from, b.to]));
                }
            }
        }
        Some(Joined { nodes })
    }
}

impl Joined {
    /// Whether changes of the circuit are all elsewhere.
    pub fn is_apart_from(&self, circuit: &Circuit, changes: &[Change]) -> bool {
        let apart = |nodes: [NodeId; 2]| nodes.iter().all(|n| !self.nodes[*n]);
        changes.iter().all(|change| match *change {
            Change::Branch(k, _) | Change::Series(k, _) | Change::Times(k, _) => {
                apart([circuit.branches[k].from, circuit.branches[k].to])
            }
            Change::Bridge(a, b, _) => apart([a, b]),
            Change::Hold(device, _) => circuit.devices[device].branches.iter().all(|k| {
                let b = &circuit.branches[*k];
                apart([b.from, b.to])
            }),
            Change::NoEffect(_) => true,
            Change::Meter(_) => false,
        })
    }
}
