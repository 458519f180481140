//! Voltages, drops and currents wherever a probe or a clamp can be put.

use super::minutes::{self, Here};
use super::{Candidate, Field, MOST_BINS, What, cavity_of, owner};
use crate::evidence::reading::{UNTOUCHED_VOLTS, with_tool};
use crate::model::{HypIx, Model};
use crate::posterior::Explains;
use circuit::{Instrument, NodeId, Probe};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;
use vehicle::{KeyPosition, NamedState, OperatingState, TiVec, Vehicle, WireIx};

/// Voltages nearer than this look alike to the first sieve, volts.
const ALIKE_VOLTS: f64 = 0.01;
/// Currents nearer than this do, amperes.
const ALIKE_AMPS: f64 = 0.02;

/// Posts of the batteries, bare beside the lugs that are clamped on them, and the blades of fuses,
/// bare on their backs; each with its terminal.
fn posts(v: &Vehicle) -> Vec<(String, String)> {
    let bare = v.parts.iter_enumerated().flat_map(|(k, part)| {
        let own = part.elements.iter().filter(|e| e.bare_end().is_some());
        own.flat_map(|e| e.pins()).map(move |(_, pin)| cavity_of(v, k, pin))
    });
    bare.map(|lug| (format!("{lug}:part"), lug)).collect()
}

/// Smaller moves than this share of what looks alike tell nothing.
const TELLS: f64 = 0.2;

/// Points a probe can touch with everything plugged: harness faces, ground studs, bus bars, posts, fuses' backs.
pub fn points(model: &Model) -> Vec<String> {
    let v = &model.circuit.vehicle;
    let posts: BTreeSet<String> = posts(v).into_iter().map(|(post, _)| post).collect();
    let buried: BTreeSet<&str> =
        v.splices.iter().filter(|s| !s.rail).map(|s| s.id.as_str()).collect();
    model
        .circuit
        .node_of
        .keys()
        .filter(|id| !id.ends_with(":part") || posts.contains(*id))
        .filter(|id| !buried.contains(id.as_str()))
        .cloned()
        .collect()
}

/// Pairs of points that lie either side of one thing that can fail.
fn drops(model: &Model) -> Vec<(String, String)> {
    let v = &model.circuit.vehicle;
    let reachable: BTreeSet<String> = points(model).into_iter().collect();
    let mut pairs = posts(v);
    for connector in &v.connectors {
        if let Some((a, b)) = &connector.sides {
            for cavity in &connector.cavities {
                let name = format!("{}.{}", connector.id, cavity.no);
                pairs.push((format!("{name}:{a}"), format!("{name}:{b}")));
            }
        }
    }
    pairs.extend(v.wires.iter().map(|w| (w.from.clone(), w.to.clone())));
    for (k, part) in v.parts.iter_enumerated() {
        for element in &part.elements {
            let cavity = |pin: &str| cavity_of(v, k, pin);
            let ends = element.loses_volts();
            pairs.extend(ends.into_iter().map(|(a, b)| (cavity(a), cavity(b))));
        }
    }
    pairs.retain(|(a, b)| reachable.contains(a) && reachable.contains(b) && a != b);
    pairs.sort();
    pairs.dedup();
    pairs
}

fn clamp(wire: &str) -> Probe {
    Probe { instrument: Instrument::Amps, red: wire.to_owned(), black: String::new() }
}

/// Everywhere a lead can go, resolved once for a vehicle.
#[derive(Debug)]
pub struct Reachable {
    /// Points with their nodes.
    points: Vec<(String, NodeId)>,
    /// Pairs of points with their nodes.
    drops: Vec<(String, String, [NodeId; 2])>,
    /// Drops with an end at each node.
    drops_at: TiVec<NodeId, Vec<usize>>,
    /// Nodes of bus lines.
    bus: TiVec<NodeId, bool>,
}

impl Model {
    /// Everywhere a lead can go.
    pub fn reachable(&self) -> &Reachable {
        self.derived(Reachable::of)
    }
}

impl Reachable {
    /// Points with their nodes.
    pub fn fed(&self) -> &[(String, NodeId)] {
        &self.points
    }

    /// Minutes to place the leads at each point with the black one on the battery, at each pair, and a
    /// clamp round each conductor.
    pub(super) fn minutes(&self, model: &Model, here: &Here<'_>) -> [Vec<f64>; 3] {
        let c = &model.circuit;
        let of = |p: Probe| minutes::probe(model, here, &p);
        [
            self.points.iter().map(|(p, _)| of(Probe::volts(p, &c.reference))).collect(),
            self.drops.iter().map(|(a, b, _)| of(Probe::volts(a, b))).collect(),
            c.vehicle.wires.iter().map(|w| of(clamp(&w.id))).collect(),
        ]
    }

    /// Of a vehicle.
    pub fn of(model: &Model) -> Self {
        let c = &model.circuit;
        let node = |id: &String| c.node(id).ok();
        let points: Vec<(String, NodeId)> = points(model)
            .into_iter()
            .filter(|p| *p != c.reference)
            .filter_map(|p| node(&p).map(|n| (p, n)))
            .collect();
        let drops: Vec<(String, String, [NodeId; 2])> = drops(model)
            .into_iter()
            .filter(|(_, b)| *b != c.reference)
            .filter_map(|(a, b)| Some(([node(&a)?, node(&b)?], a, b)))
            .map(|(nodes, a, b)| (a, b, nodes))
            .collect();
        let mut drops_at: TiVec<NodeId, Vec<usize>> = vec![Vec::new(); c.nodes].into();
        for (d, (_, _, ends)) in drops.iter().enumerate() {
            for n in ends {
                drops_at[*n].push(d);
            }
        }
        Self {
            points,
            drops,
            drops_at,
            bus: circuit::bus_lines::bus_lines(c).into_iter().map(|on| on != 0).collect(),
        }
    }
}

/// What the suspects make of a reading: where two fingerprints are alike, every suspect moves both
/// readings by the same; zero is where none moves it. And how much of the suspicion moves it.
#[derive(Debug, Clone, Copy, Default)]
struct Print {
    fingerprint: u64,
    mass: f64,
}

impl Print {
    /// A suspect of some weight moves the reading.
    fn add(&mut self, h: HypIx, change: f64, quantum: f64, weight: f64) {
        if change.abs() > TELLS * quantum {
            self.mass += weight;
        }
        let step = (change / quantum).round() as i64;
        if step == 0 {
            return;
        }
        let x = u64::from(h.0).wrapping_mul(0x9E37_79B9_7F4A_7C15)
            ^ (step as u64).wrapping_mul(0xD6E8_FEB8_6659_FD93);
        let mixed = (x ^ (x >> 32)).wrapping_mul(0xD6E8_FEB8_6659_FD93);
        self.fingerprint = self.fingerprint.wrapping_add(mixed);
    }

    /// See [`at_most`]; `unknown` is the weight of what predicts nothing.
    fn at_most(self, unknown: f64) -> f64 {
        at_most(self.mass + unknown)
    }
}

/// Information a reading can give at most, bits, when this share of the suspicion moves it: whether
/// it moved, and if so, which of the outcomes one can tell apart it shows.
fn at_most(mass: f64) -> f64 {
    let m = mass.min(1.0);
    let half = m.min(0.5);
    let whether = match half > 0.0 {
        true => -half * half.log2() - (1.0 - half) * (1.0 - half).log2(),
        false => 0.0,
    };
    whether + m * (MOST_BINS as f64).log2()
}

/// Ohms between two points of a dead or opened circuit; none where no suspect moves them.
pub(super) fn ohms(
    field: &Field<'_>,
    (state, state_id): (&OperatingState, &str),
    (red, black): (String, String),
) -> Option<Candidate> {
    let c = &field.model.circuit;
    let probe = Probe { instrument: Instrument::Ohms, red, black };
    let leads = probe.leads(c).ok()?;
    let with = with_tool(c, &field.model.predict(state), leads);
    let (weights, unknown) = weights(field);
    let touched = weights
        .iter()
        .filter(|(h, _)| !c.untouched_to(&with, &field.model.faults[*h].changes, UNTOUCHED_VOLTS));
    let mass = touched.map(|x| x.1).sum::<f64>();
    let mut candidate = Candidate::new(What::Reading(probe), state.clone(), state_id);
    candidate.at_most = at_most(mass + unknown);
    (mass + unknown > 0.0).then_some(candidate)
}

/// Prints of every node, drop and conductor of a state.
struct Prints {
    nodes: TiVec<NodeId, Print>,
    drops: Vec<Print>,
    wires: TiVec<WireIx, Print>,
    /// Weight of what predicts nothing.
    unknown: f64,
}

/// Each hypothesis among what is suspected with its share of the suspicion, and the share of what
/// is none; infinite with pairs, which may do what neither of the two does.
pub(super) fn weights(field: &Field<'_>) -> (Vec<(HypIx, f64)>, f64) {
    let total: f64 = field.live.iter().map(|l| l.p).sum();
    let mut of: BTreeMap<HypIx, f64> = field.hypotheses().into_iter().map(|h| (h, 0.0)).collect();
    let mut unknown = 0.0;
    for l in field.live {
        match l.what {
            Explains::Fault(h) => *of.entry(h).or_default() += l.p / total,
            Explains::Pair(_) => unknown = f64::INFINITY,
            Explains::Elsewhere => unknown += l.p / total,
        }
    }
    (of.into_iter().collect(), unknown)
}

fn prints(field: &Field<'_>, state: &OperatingState) -> Prints {
    let (weights, unknown) = weights(field);
    let hypotheses: Vec<HypIx> = weights.iter().map(|w| w.0).collect();
    let p = field.model.predict_some(state, &hypotheses);
    let c = &field.model.circuit;
    let reachable = field.model.reachable();
    let mut prints = Prints {
        nodes: vec![Print::default(); c.nodes].into(),
        drops: vec![Print::default(); reachable.drops.len()],
        wires: vec![Print::default(); c.wire_branch.len()].into(),
        unknown,
    };
    let mut change: TiVec<NodeId, f64> = vec![0.0; c.nodes].into();
    let mut moved = Vec::new();
    let mut asked = vec![None; reachable.drops.len()];
    for (h, weight) in weights {
        let Some(s) = p.fault(h) else { continue };
        s.each_moved(|n, volts| {
            prints.nodes[n].add(h, volts, ALIKE_VOLTS, weight);
            change[n] = volts;
            moved.push(n);
        });
        for d in moved.iter().flat_map(|n| &reachable.drops_at[*n]) {
            if asked[*d].replace(h) != Some(h) {
                let [a, b] = reachable.drops[*d].2;
                prints.drops[*d].add(h, change[a] - change[b], ALIKE_VOLTS, weight);
            }
        }
        for n in moved.drain(..) {
            change[n] = 0.0;
        }
        s.each_loaded(|w, amps| prints.wires[w].add(h, amps, ALIKE_AMPS, weight));
    }
    prints
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    field.model.reachable();
    let states = &field.model.circuit.vehicle.states;
    let of_one = |named: &NamedState| {
        let mut out = Vec::new();
        in_state(field, &named.state, &named.id, &mut out);
        out
    };
    let all: Vec<Vec<Candidate>> = states.par_iter().map(of_one).collect();
    out.extend(all.into_iter().flatten());
    // The state one is in, where the file has no name for it: what is complained of may show in no other.
    let here = field.here.state;
    let is_named = states.iter().any(|named| named.state.alike_plugged(here));
    if here.key == KeyPosition::On && here.is_plugged() && !is_named {
        in_state(field, here, "now", out);
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
    let records = field.records();
    let before = minutes::of_state(model, field.here.state, state, state_id);
    let to_place = field.to_place();
    // What is bare on a plugged part goes away with it.
    let gone = |id: &str| id.ends_with(":part") && state.unplugged.contains(owner(id));
    // Of readings that say the same, the quickest.
    let mut best: HashMap<(usize, u64), (f64, Print, usize)> = HashMap::new();
    let mut offer = |kind: usize, print: Print, number: usize, points: [&str; 2]| {
        if print.fingerprint == 0 || points.into_iter().any(gone) {
            return;
        }
        let minutes = before + to_place[kind][number];
        match best.get_mut(&(kind, print.fingerprint)) {
            Some(known) if known.0 <= minutes => {}
            _ => {
                best.insert((kind, print.fingerprint), (minutes, print, number));
            }
        }
    };
    let black = model.circuit.node(reference).map_or(0.0, |n| prints.nodes[n].mass);
    for (k, (point, node)) in reachable.points.iter().enumerate() {
        if !reachable.bus[*node] {
            // The black lead's end may move as well.
            let mut print = prints.nodes[*node];
            print.mass += black;
            offer(0, print, k, [point, ""]);
        }
    }
    for (k, ((a, b, [x, y]), print)) in reachable.drops.iter().zip(&prints.drops).enumerate() {
        if !reachable.bus[*x] && !reachable.bus[*y] {
            offer(1, *print, k, [a, b]);
        }
    }
    for (k, print) in prints.wires.iter().enumerate() {
        offer(2, *print, k, ["", ""]);
    }
    let mut best: Vec<_> = best.into_iter().collect();
    best.sort_unstable_by_key(|(key, _)| *key);
    let (state, state_id): (Arc<OperatingState>, Arc<str>) =
        (Arc::new(state.clone()), state_id.into());
    out.extend(best.into_iter().map(|((kind, _), (_, print, k))| {
        let probe = match kind {
            0 => Probe::volts(&reachable.points[k].0, reference),
            1 => Probe::volts(&reachable.drops[k].0, &reachable.drops[k].1),
            _ => clamp(&model.circuit.vehicle.wires[WireIx::from(k)].id),
        };
        let what = if records { What::Record(probe) } else { What::Reading(probe) };
        let mut candidate = Candidate::new(what, Arc::clone(&state), Arc::clone(&state_id));
        candidate.at_most = print.at_most(prints.unknown);
        if records {
            // Beside where it goes it tells whether it does.
            candidate.at_most += (print.mass + prints.unknown).min(1.0);
        }
        candidate
    }));
}
