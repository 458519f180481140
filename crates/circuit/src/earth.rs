//! What is ground by conductors alone: the body and all that hangs on it without anything between.

use crate::compile::{BODY, Branch, BranchId, NodeId, Of};
use vehicle::{TiSlice, TiVec};

/// Whether each node is joined to the body by nothing but conductors, terminals and ground points.
pub fn earthed(nodes: usize, branches: &TiSlice<BranchId, Branch>) -> TiVec<NodeId, bool> {
    let mut next: TiVec<NodeId, Vec<NodeId>> = vec![Vec::new(); nodes].into();
    for b in branches.iter().filter(|b| !matches!(b.of, Of::Device { .. } | Of::Lead(_))) {
        next[b.from].push(b.to);
        next[b.to].push(b.from);
    }
    let mut earthed: TiVec<NodeId, bool> = vec![false; nodes].into();
    let mut open = vec![BODY];
    while let Some(n) = open.pop() {
        if !std::mem::replace(&mut earthed[n], true) {
            open.extend(&next[n]);
        }
    }
    earthed
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::compile::DeviceIx;
    use crate::law::Law;
    use vehicle::{GroundIx, WireIx};

    #[test]
    fn a_device_ends_what_is_ground() {
        let branch =
            |from, to, of| Branch { from: NodeId(from), to: NodeId(to), of, law: Law::Ohms(0.01) };
        // Ground point, conductor, then a lamp with a conductor behind it.
        let branches = [
            branch(1, 0, Of::Ground(GroundIx(0))),
            branch(2, 1, Of::Wire(WireIx(0))),
            branch(3, 2, Of::Device { device: DeviceIx(0), role: 0 }),
            branch(4, 3, Of::Wire(WireIx(1))),
        ];
        assert_eq!(earthed(5, TiSlice::from_ref(&branches)).raw, [true, true, true, false, false]);
    }
}
