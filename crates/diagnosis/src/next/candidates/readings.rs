//! Voltages, drops and currents wherever a probe or a clamp can be put.

use super::{Candidate, Field, What, cavity_of};
use crate::model::Model;
use circuit::{Circuit, Instrument, Of, Probe};
use std::collections::{BTreeMap, BTreeSet};
use vehicle::{Element, OperatingState};

/// Voltages nearer than this look alike to the first sieve, volts.
const ALIKE_VOLTS: f64 = 0.01;
/// Currents nearer than this do, amperes.
const ALIKE_AMPS: f64 = 0.02;

/// Points a probe can touch with everything plugged: harness faces, ground studs, bus bars.
pub fn points(model: &Model) -> Vec<String> {
    let v = &model.circuit.vehicle;
    let buried: BTreeSet<&str> =
        v.splices.iter().filter(|s| !s.rail).map(|s| s.id.as_str()).collect();
    model
        .circuit
        .node_of
        .keys()
        .filter(|id| !id.ends_with(":part") && !buried.contains(id.as_str()))
        .cloned()
        .collect()
}

/// Pairs of points that lie either side of one thing that can fail.
fn drops(model: &Model) -> Vec<(String, String)> {
    let v = &model.circuit.vehicle;
    let reachable: BTreeSet<String> = points(model).into_iter().collect();
    let mut pairs = Vec::new();
    for connector in &v.connectors {
        if let Some((a, b)) = &connector.sides {
            for cavity in &connector.cavities {
                let name = format!("{}.{}", connector.id, cavity.no);
                pairs.push((format!("{name}:{a}"), format!("{name}:{b}")));
            }
        }
    }
    pairs.extend(v.wires.iter().map(|w| (w.from.clone(), w.to.clone())));
    for (k, part) in v.parts.iter().enumerate() {
        for element in &part.elements {
            let ends = match element {
                Element::Motor { plus, minus, .. } | Element::Supply { plus, minus, .. } => {
                    vec![(plus, minus)]
                }
                Element::Relay { coil_plus, coil_minus, common, make, .. } => {
                    vec![(coil_plus, coil_minus), (common, make)]
                }
                Element::Fuse { a, b, .. } => vec![(a, b)],
                _ => vec![],
            };
            let cavity = |pin: &String| cavity_of(v, k, pin);
            pairs.extend(ends.into_iter().map(|(a, b)| (cavity(a), cavity(b))));
        }
    }
    pairs.retain(|(a, b)| reachable.contains(a) && reachable.contains(b) && a != b);
    pairs.sort();
    pairs.dedup();
    pairs
}

/// Everywhere a lead can go, resolved once for a vehicle.
#[derive(Debug)]
pub struct Reachable {
    /// Points with their nodes.
    points: Vec<(String, usize)>,
    /// Pairs of points with their nodes.
    drops: Vec<(String, String, [usize; 2])>,
    /// Nodes of bus lines.
    bus: Vec<bool>,
}

impl Reachable {
    /// Points with their nodes.
    pub fn fed(&self) -> &[(String, usize)] {
        &self.points
    }

    /// Of a vehicle.
    pub fn of(model: &Model) -> Self {
        let c = &model.circuit;
        let node = |id: &String| c.node(id).ok();
        let points = points(model)
            .into_iter()
            .filter(|p| *p != c.reference)
            .filter_map(|p| node(&p).map(|n| (p, n)))
            .collect();
        let drops = drops(model)
            .into_iter()
            .filter(|(_, b)| *b != c.reference)
            .filter_map(|(a, b)| Some(([node(&a)?, node(&b)?], a, b)))
            .map(|(nodes, a, b)| (a, b, nodes))
            .collect();
        Self { points, drops, bus: on_a_bus(c) }
    }
}

/// Nodes of bus lines. A voltmeter shows an average there that depends on how busy the bus is, so
/// it is no check to propose; levels and frames of a bus have instruments of their own.
fn on_a_bus(c: &Circuit) -> Vec<bool> {
    let mut on = vec![false; c.nodes];
    for (part, p) in c.vehicle.parts.iter().enumerate() {
        let lines = p.elements.iter().flat_map(|e| match e {
            Element::CanTransceiver { high, low, .. } => vec![high, low],
            Element::LinTransceiver { pin, .. } => vec![pin],
            _ => vec![],
        });
        for pin in lines {
            if let Some(n) = c.pin_node.get(&(part, pin.clone())) {
                on[*n] = true;
            }
        }
    }
    let lines: Vec<_> = c
        .branches
        .iter()
        .filter(|b| matches!(b.of, Of::Wire(_) | Of::Terminal(..)) && b.from != 0 && b.to != 0)
        .collect();
    while lines.iter().any(|b| on[b.from] != on[b.to]) {
        for b in &lines {
            let both = on[b.from] || on[b.to];
            on[b.from] = both;
            on[b.to] = both;
        }
    }
    on
}

/// What the suspects make of every node and conductor of a state, as fingerprints: where two are
/// alike, every suspect moves both by the same; zero is where none moves anything.
struct Prints {
    nodes: Vec<u64>,
    wires: Vec<u64>,
}

fn mix(h: usize, change: f64, quantum: f64) -> u64 {
    let step = (change / quantum).round() as i64;
    if step == 0 {
        return 0;
    }
    let x = (h as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15)
        ^ (step as u64).wrapping_mul(0xD6E8_FEB8_6659_FD93);
    (x ^ (x >> 32)).wrapping_mul(0xD6E8_FEB8_6659_FD93)
}

fn prints(field: &Field<'_>, state: &OperatingState) -> Prints {
    let hypotheses = field.hypotheses();
    let p = field.model.predict_some(state, &hypotheses);
    let c = &field.model.circuit;
    let mut prints = Prints { nodes: vec![0; c.nodes], wires: vec![0; c.wire_branch.len()] };
    for h in hypotheses {
        let Some(s) = p.fault(h) else { continue };
        s.each_moved(|n, volts| {
            prints.nodes[n] = prints.nodes[n].wrapping_add(mix(h, volts, ALIKE_VOLTS));
        });
        s.each_loaded(|w, amps| {
            prints.wires[w] = prints.wires[w].wrapping_add(mix(h, amps, ALIKE_AMPS));
        });
    }
    prints
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    for named in &field.model.circuit.vehicle.states {
        in_state(field, &named.state, &named.id, out);
    }
}

/// Voltages, drops and currents in one state, as far as any suspect moves them.
pub(super) fn in_state(
    field: &Field<'_>,
    state: &OperatingState,
    state_id: &str,
    out: &mut Vec<Candidate>,
) {
    let model = field.model;
    let (reference, reachable) = (&model.circuit.reference, model.reachable());
    let prints = prints(field, state);
    // Of readings that say the same, the quickest.
    let mut best: BTreeMap<(u8, u64, u64), (f64, Candidate)> = BTreeMap::new();
    let mut offer = |key: (u8, u64, u64), probe: Probe| {
        let candidate = Candidate {
            what: What::Reading(probe),
            state: state.clone(),
            state_id: state_id.to_owned(),
        };
        let minutes = candidate.minutes(model, field.now);
        match best.get_mut(&key) {
            Some(known) if known.0 <= minutes => {}
            _ => {
                best.insert(key, (minutes, candidate));
            }
        }
    };
    for (point, node) in &reachable.points {
        let print = prints.nodes[*node];
        if print != 0 && !reachable.bus[*node] {
            offer((0, print, 0), Probe::volts(point, reference));
        }
    }
    for (a, b, [x, y]) in &reachable.drops {
        let (pa, pb) = (prints.nodes[*x], prints.nodes[*y]);
        if pa != pb && !reachable.bus[*x] && !reachable.bus[*y] {
            offer((1, pa, pb), Probe::volts(a, b));
        }
    }
    for (w, wire) in model.circuit.vehicle.wires.iter().enumerate() {
        if prints.wires[w] != 0 {
            let probe =
                Probe { instrument: Instrument::Amps, red: wire.id.clone(), black: String::new() };
            offer((2, prints.wires[w], 0), probe);
        }
    }
    out.extend(best.into_values().map(|(_, c)| c));
}
