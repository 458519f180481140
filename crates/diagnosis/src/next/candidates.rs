//! Every check a technician could do, from the vehicle file.

use crate::model::Model;
use circuit::{Circuit, Instrument, Of, Probe};
use std::collections::BTreeSet;
use vehicle::{Element, OperatingState};

/// Minutes to take any reading once the leads sit.
const TAKE: f64 = 0.5;
/// Minutes to clip the black lead to the battery.
const CLIP: f64 = 0.3;

/// What is looked at.
#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// A meter reading.
    Reading(Probe),
    /// The effect of a driven output.
    Effect {
        /// The output driven.
        output: String,
        /// The part whose effect is looked at.
        part: String,
    },
}

/// A possible check in a state.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// What is looked at.
    pub what: What,
    /// The state it is looked at in.
    pub state: OperatingState,
    /// Name of that state, for the id.
    pub state_id: String,
}

impl Candidate {
    /// Stable id.
    pub fn id(&self) -> String {
        let unplugged: Vec<&str> = self.state.unplugged.iter().map(String::as_str).collect();
        let what = match &self.what {
            What::Reading(p) => format!("{:?} {} {}", p.instrument, p.red, p.black),
            What::Effect { part, .. } => format!("Effect {part}"),
        };
        format!("{what} @ {} {}", self.state_id, unplugged.join("+")).trim_end().to_owned()
    }

    /// Minutes from the present state to the value.
    pub fn minutes(&self, model: &Model, now: &OperatingState) -> f64 {
        let v = &model.circuit.vehicle;
        let mut minutes = TAKE;
        let bare = |s: &OperatingState| {
            let mut s = s.clone();
            s.unplugged.clear();
            s
        };
        if bare(&self.state) != bare(now) {
            minutes += v.states.iter().find(|s| s.id == self.state_id).map_or(0.3, |s| s.minutes);
        }
        for connector in self.state.unplugged.symmetric_difference(&now.unplugged) {
            minutes += reach(model, connector).1;
        }
        if let What::Reading(p) = &self.what {
            match p.instrument {
                Instrument::Amps => {
                    // A clamp goes round the conductor at whichever end is nearer.
                    let wire = v.wires.iter().find(|w| w.id == p.red);
                    let ends = wire.map(|w| [&w.from, &w.to]).into_iter().flatten();
                    minutes += ends.map(|e| reach(model, e).0).fold(9.0, f64::min);
                }
                _ => {
                    let (red, black) = (owner(&p.red), owner(&p.black));
                    minutes += reach(model, red).0;
                    if p.black == model.circuit.reference {
                        minutes += CLIP;
                    } else if red != black {
                        minutes += reach(model, black).0;
                    }
                }
            }
        }
        minutes
    }
}

fn owner(id: &str) -> &str {
    id.split('.').next().unwrap_or(id)
}

/// Minutes to reach and to unplug whatever a point belongs to.
fn reach(model: &Model, id: &str) -> (f64, f64) {
    let v = &model.circuit.vehicle;
    let id = owner(id);
    let m = (v.connectors.iter().find(|c| c.id == id).map(|c| c.minutes))
        .or_else(|| v.parts.iter().find(|p| p.id == id).map(|p| p.minutes))
        .or_else(|| v.grounds.iter().find(|g| g.id == id).map(|g| g.minutes))
        .or_else(|| v.splices.iter().find(|s| s.id == id).map(|s| s.minutes))
        .unwrap_or_default();
    (m.reach, m.unplug)
}

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
    for part in &v.parts {
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
            let cavity = |pin: &String| {
                let connector = v.connectors.iter().find(|c| {
                    c.part.as_ref() == Some(&part.id)
                        && c.cavities.iter().any(|x| x.pin.as_ref().unwrap_or(&x.no) == pin)
                });
                format!("{}.{pin}", connector.map_or(&part.id, |c| &c.id))
            };
            pairs.extend(ends.into_iter().map(|(a, b)| (cavity(a), cavity(b))));
        }
    }
    pairs.retain(|(a, b)| reachable.contains(a) && reachable.contains(b) && a != b);
    pairs.sort();
    pairs.dedup();
    pairs
}

/// What the suspects move in a state.
struct Stirred {
    nodes: Vec<bool>,
    wires: Vec<bool>,
}

fn stirred(model: &Model, state: &OperatingState, suspected: &[usize]) -> Stirred {
    let p = model.predict_some(state, suspected);
    let c = &model.circuit;
    let mut s = Stirred { nodes: vec![false; c.nodes], wires: vec![false; c.wire_branch.len()] };
    let mut all = false;
    for h in suspected {
        if let Some(f) = p.fault(*h) {
            all |= !f.mark_moved(&mut s.nodes);
            f.mark_loaded(&mut s.wires);
        }
    }
    // One that moves everything moves its own circuit most: only what no other one shares with
    // it is lost when the rest is looked at alone, unless there is nothing else.
    if all && s.nodes.iter().filter(|n| **n).count() < FEW_NODES {
        s.nodes.fill(true);
    }
    s
}

/// Nodes below which a field of suspects counts as one that moves everything.
const FEW_NODES: usize = 30;

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

/// All candidates that any of the suspected hypotheses moves, in a fixed order.
pub fn all(model: &Model, suspected: &[usize]) -> Vec<Candidate> {
    let reference = &model.circuit.reference;
    let v = &model.circuit.vehicle;
    let (points, drops) = (points(model), drops(model));
    let bus = on_a_bus(&model.circuit);
    let mut out = Vec::new();
    for named in &v.states {
        let mut add = |what| {
            out.push(Candidate { what, state: named.state.clone(), state_id: named.id.clone() });
        };
        for id in &named.state.outputs {
            if let Some(o) = v.outputs.iter().find(|o| &o.id == id) {
                add(What::Effect { output: id.clone(), part: o.load.clone() });
            }
        }
        // What no suspect moves in this state tells nothing: it is not even weighed.
        let stirred = stirred(model, &named.state, suspected);
        let moves = |id: &String| model.circuit.node(id).is_ok_and(|n| stirred.nodes[n] && !bus[n]);
        for point in points.iter().filter(|p| *p != reference && moves(p)) {
            add(What::Reading(Probe::volts(point, reference)));
        }
        for (a, b) in drops.iter().filter(|(a, b)| b != reference && (moves(a) || moves(b))) {
            add(What::Reading(Probe::volts(a, b)));
        }
        for (_, wire) in v.wires.iter().enumerate().filter(|(w, _)| stirred.wires[*w]) {
            add(What::Reading(Probe {
                instrument: Instrument::Amps,
                red: wire.id.clone(),
                black: String::new(),
            }));
        }
    }
    out
}
