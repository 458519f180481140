//! Chains: conductors and terminals one after the other with nothing branching off.
//!
//! A resistance anywhere in a chain stops the same current, so that the rest of
//! the circuit cannot tell where it sits: one solution serves the whole chain, and
//! only the nodes inside it have to be told apart.

use crate::compile::{BODY, Branch, BranchId, NodeId, Of};
use vehicle::{TiSlice, TiVec};

/// A chain: `nodes[n]` and `nodes[n + 1]` are joined by `branches[n]`.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Chain {
    /// Its branches, in order.
    pub branches: Vec<BranchId>,
    /// Its nodes, both ends included.
    pub nodes: Vec<NodeId>,
}

/// All chains of a circuit.
#[derive(Debug, Clone, Default)]
pub struct Chains {
    /// The chains.
    pub all: Vec<Chain>,
    /// Chain of each branch; none for those inside a device.
    pub of: TiVec<BranchId, Option<usize>>,
}

impl Chains {
    /// Finds the chains of a circuit of so many nodes.
    pub fn new(nodes: usize, branches: &TiSlice<BranchId, Branch>) -> Self {
        let mut at: TiVec<NodeId, Vec<BranchId>> = vec![Vec::new(); nodes].into();
        for (k, b) in branches.iter_enumerated() {
            at[b.from].push(k);
            at[b.to].push(k);
        }
        let links = |k: BranchId| !matches!(branches[k].of, Of::Device { .. } | Of::Lead(_));
        // A node with exactly two links and nothing else only passes the current on.
        let passes = |n: NodeId| n != BODY && at[n].len() == 2 && at[n].iter().all(|k| links(*k));
        let other = |k: BranchId, n: NodeId| {
            if branches[k].from == n { branches[k].to } else { branches[k].from }
        };
        let mut chains = Self { all: Vec::new(), of: vec![None; branches.len()].into() };
        for start in branches.keys().filter(|k| links(*k)) {
            if chains.of[start].is_some() {
                continue;
            }
            // Back to one end, then forward to the other; a ring ends where it began.
            let (mut k, mut end) = (start, branches[start].from);
            while passes(end) {
                k = if at[end][0] == k { at[end][1] } else { at[end][0] };
                end = other(k, end);
                if k == start {
                    break;
                }
            }
            let mut chain = Chain { branches: Vec::new(), nodes: vec![end] };
            loop {
                chains.of[k] = Some(chains.all.len());
                end = other(k, end);
                chain.branches.push(k);
                chain.nodes.push(end);
                if !passes(end) {
                    break;
                }
                let next = if at[end][0] == k { at[end][1] } else { at[end][0] };
                if chains.of[next].is_some() {
                    break;
                }
                k = next;
            }
            chains.all.push(chain);
        }
        chains
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::compile::DeviceIx;
    use crate::law::Law;
    use vehicle::WireIx;

    #[test]
    fn a_chain_ends_where_something_branches_off() {
        let branch = |from, to, of, law| Branch { from: NodeId(from), to: NodeId(to), of, law };
        let link = |from, to| branch(from, to, Of::Wire(WireIx(0)), Law::Ohms(0.01));
        let inside = Of::Device { device: DeviceIx(0), role: 0 };
        let device = |from, to| branch(from, to, inside.clone(), Law::OPEN);
        // 1 - 2 - 3 - 4, a device from 1 to ground, a branch 3 - 5 that ends loose.
        let branches = [device(1, 0), link(2, 1), link(2, 3), link(3, 4), link(5, 3)];
        let chains = Chains::new(6, TiSlice::from_ref(&branches));
        assert_eq!(chains.of[BranchId(0)], None);
        assert_eq!(
            chains.all[0],
            Chain { branches: [2, 1].map(BranchId).into(), nodes: [3, 2, 1].map(NodeId).into() }
        );
        assert_eq!(chains.all.len(), 3);
        assert_eq!(chains.of[BranchId(3)], Some(1));
    }
}
