//! What is ground by conductors alone: the body and all that hangs on it without anything between.

use crate::compile::{Branch, NodeId, Of};

/// Whether each node is joined to the body by nothing but conductors, terminals and ground points.
pub fn earthed(nodes: usize, branches: &[Branch]) -> Vec<bool> {
    let mut next: Vec<Vec<NodeId>> = vec![Vec::new(); nodes];
    for b in branches.iter().filter(|b| !matches!(b.of, Of::Device { .. })) {
        next[b.from].push(b.to);
        next[b.to].push(b.from);
    }
    let mut earthed = vec![false; nodes];
    let mut open = vec![0];
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
    use crate::law::Law;

    #[test]
    fn a_device_ends_what_is_ground() {
        let branch = |from, to, of| Branch { from, to, of, law: Law::Ohms(0.01) };
        // Ground point, conductor, then a lamp with a conductor behind it.
        let branches = [
            branch(1, 0, Of::Ground(0)),
            branch(2, 1, Of::Wire(0)),
            branch(3, 2, Of::Device { device: 0, role: 0 }),
            branch(4, 3, Of::Wire(1)),
        ];
        assert_eq!(earthed(5, &branches), [true, true, true, false, false]);
    }
}
