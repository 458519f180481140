//! Relays whose coil and contact were exchanged: with both put right less is doubtful.

use super::{OfPart, Tried, problem, solved};
use crate::compile::{BODY, Circuit, NodeId, Of};
use std::collections::BTreeSet;
use vehicle::element::Relay;
use vehicle::{Element, PartIx, Problem, TiSlice, TiVec};

/// Where more than so many things do not work, something else than one relay is the reason.
const MOST_DOUBTS: usize = 12;
/// Relays that are tried: each takes as long as the whole vehicle.
const MOST_RELAYS: usize = 8;

pub(super) fn doubts(circuit: &Circuit, found: &[OfPart]) -> Vec<Problem> {
    if found.is_empty() || found.len() > MOST_DOUBTS {
        return Vec::new();
    }
    let nets = Nets::of(circuit);
    let doubted: BTreeSet<NodeId> =
        found.iter().flat_map(|of| nets.of_part(circuit, of.part)).collect();
    let relays = circuit.devices.iter().filter(|placed| {
        let element = &circuit.vehicle.parts[placed.part].elements[placed.element];
        let is_relay = matches!(element, Element::Relay(_));
        // Only what hangs on the same conductors could have made it so.
        is_relay && !doubted.is_disjoint(&nets.of_part(circuit, placed.part))
    });
    let of = |placed: &crate::compile::Placed| {
        let mut vehicle = circuit.vehicle.clone();
        let part = &circuit.vehicle.parts[placed.part];
        let Element::Relay(Relay { coil_plus, coil_minus, common, make, .. }) =
            &mut vehicle.parts[placed.part].elements[placed.element]
        else {
            return None;
        };
        std::mem::swap(coil_plus, common);
        std::mem::swap(coil_minus, make);
        let (coil, contact) =
            (format!("{coil_plus} and {coil_minus}"), format!("{common} and {make}"));
        let left = solved(&Tried::of(&Circuit::new(vehicle).ok()?)).len();
        (left < found.len()).then(|| {
            problem(
                format!("parts[{}].elements[{}]", placed.part, placed.element),
                format!(
                    "with coil and contact of relay {} {} exchanged {} of {} doubts would go",
                    part.name,
                    part.id,
                    found.len() - left,
                    found.len()
                ),
                format!("see whether its coil is {coil}, and its contact {contact}"),
            )
        })
    };
    relays.take(MOST_RELAYS).filter_map(of).collect()
}

/// Nodes that conductors and contacts alone join, each by one of them; the body joins nothing.
struct Nets {
    of: TiVec<NodeId, NodeId>,
}

impl Nets {
    fn of(circuit: &Circuit) -> Self {
        let mut of: TiVec<NodeId, NodeId> = (0..circuit.nodes).map(NodeId::from).collect();
        fn root(of: &mut TiSlice<NodeId, NodeId>, mut n: NodeId) -> NodeId {
            while of[n] != n {
                of[n] = of[of[n]];
                n = of[n];
            }
            n
        }
        for b in circuit.branches.iter().filter(|b| b.from != BODY && b.to != BODY) {
            if !matches!(b.of, Of::Device { .. } | Of::Lead(_)) {
                let (from, to) = (root(&mut of, b.from), root(&mut of, b.to));
                of[from] = to;
            }
        }
        let nodes = of.keys();
        let all = nodes.map(|n| root(&mut of, n)).collect();
        Self { of: all }
    }

    /// Nets that the pins of a part lie in.
    fn of_part(&self, circuit: &Circuit, part: PartIx) -> BTreeSet<NodeId> {
        let own = circuit.part_devices[part].iter().flat_map(|d| &circuit.devices[*d].branches);
        let ends = own.flat_map(|k| [circuit.branches[*k].from, circuit.branches[*k].to]);
        ends.filter(|n| !circuit.earthed[*n]).map(|n| self.of[n]).collect()
    }
}
