//! The order in which a sweep shares the most work.

use crate::compile::Circuit;
use crate::fault::{Change, Fault};
use crate::law::Law;

/// Hypotheses in the order that shares the most work: those of one chain together, resistances
/// rising.
pub fn order(circuit: &Circuit, faults: &[Fault]) -> Vec<u32> {
    let key = |f: &Fault| match f.changes[..] {
        [Change::Branch(k, law)] => {
            let sound = match circuit.branches[k].law {
                Law::Ohms(r) => r,
                _ => 0.0,
            };
            let (kind, number) = match law {
                Law::Ohms(r) => (0, r - sound),
                Law::Constriction { knee, .. } => (1, knee),
                _ => (2, 0.0),
            };
            (circuit.chains.of[k], kind, number)
        }
        _ => (None, 3, 0.0),
    };
    let mut order: Vec<u32> = (0..faults.len() as u32).collect();
    order.sort_by(|a, b| {
        let (a, b) = (key(&faults[*a as usize]), key(&faults[*b as usize]));
        // Those of no chain come last.
        let chain = a.0.is_none().cmp(&b.0.is_none()).then(a.0.cmp(&b.0));
        chain.then(a.1.cmp(&b.1)).then(a.2.total_cmp(&b.2))
    });
    order
}
