//! The parts that matter for a question, found by solving: everything whose current
//! changes when an output is driven.

use crate::model::Model;
use crate::verdict::SOUND;
use circuit::{Circuit, Solution};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::{KeyPosition, OperatingState, PartKind};

/// A point of a part on the sheet.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Pin {
    /// Cavity id, splice or ground id; what a probe names.
    pub id: String,
    /// Cavity number.
    pub no: String,
    /// Current enters here (drawn on top) rather than leaves.
    pub top: bool,
    /// Healthy volts against battery minus in the chosen state.
    pub volts: f64,
    /// Half width of the healthy range, volts.
    pub tolerance: f64,
    /// Repair item of the terminal pair here, when there is one.
    pub item: String,
}

/// A part, connector, splice or ground on the sheet.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Node {
    /// Id of the part, connector, splice or ground.
    pub id: String,
    /// Name.
    pub name: String,
    /// `rail`, `splice`, `ground`, `connector`, or the part's kind.
    pub kind: String,
    /// Second line: rating, place, minutes.
    pub note: String,
    /// Repair item.
    pub item: String,
    /// Belongs to a circuit that only shares something.
    pub context: bool,
    /// Pins in use on this sheet.
    pub pins: Vec<Pin>,
}

/// A conductor on the sheet, oriented with its current.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Line {
    /// Circuit number.
    pub id: String,
    /// Point the current comes from.
    pub from: String,
    /// Point it goes to.
    pub to: String,
    /// IEC 60757 colour.
    pub colour: String,
    /// Cross-section, square millimetres.
    pub area_mm2: f64,
    /// Healthy current in the chosen state, amperes.
    pub amps: f64,
    /// Repair item.
    pub item: String,
    /// Belongs to a circuit that only shares something.
    pub context: bool,
}

/// A circuit sheet.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Sheet {
    /// The output it is about.
    pub output: String,
    /// Name of it.
    pub title: String,
    /// Parts, connectors, splices, grounds.
    pub nodes: Vec<Node>,
    /// Conductors.
    pub lines: Vec<Line>,
}

/// A current that belongs to the driven circuit, amperes.
const OWN_AMPS: f64 = 0.005;
/// A load current, amperes: what shows of circuits that only share something.
const LOAD_AMPS: f64 = 0.5;

struct Slice {
    /// Conductors with the current they gain.
    wires: BTreeMap<usize, f64>,
}

fn driven(circuit: &Circuit, output: &str) -> (Solution, Solution) {
    let off = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let mut on = off.clone();
    on.outputs.insert(output.to_owned());
    (circuit.solve(&off, &[], None), circuit.solve(&on, &[], None))
}

/// Whether a point is a terminal of the battery or the generator.
fn is_source(circuit: &Circuit, end: &str) -> bool {
    let owner = owner(end);
    circuit
        .vehicle
        .parts
        .iter()
        .any(|p| p.id == owner && matches!(p.kind, PartKind::Battery | PartKind::Generator))
}

/// Splices fed straight by a battery or generator: the sheet ends there.
fn mains(circuit: &Circuit) -> BTreeSet<String> {
    let v = &circuit.vehicle;
    v.wires
        .iter()
        .flat_map(|w| [(&w.from, &w.to), (&w.to, &w.from)])
        .filter(|(a, b)| is_source(circuit, a) && v.splices.iter().any(|s| &s.id == *b))
        .map(|(_, b)| b.clone())
        .collect()
}

fn slice(circuit: &Circuit, output: &str, least: f64) -> Slice {
    let (off, on) = driven(circuit, output);
    let v = &circuit.vehicle;
    let wires = v
        .wires
        .iter()
        .enumerate()
        .filter(|(_, w)| !is_source(circuit, &w.from) && !is_source(circuit, &w.to))
        .filter_map(|(w, _)| {
            let k = circuit.wire_branch[w];
            let gained = on.amps(circuit, k) - off.amps(circuit, k);
            (gained.abs() > least).then_some((w, gained))
        })
        .collect();
    Slice { wires }
}

/// Draws up the sheet of an output in a state.
pub fn sheet(model: &Model, output: &str, state: &OperatingState) -> Option<Sheet> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let title = v.outputs.iter().find(|o| o.id == output)?.name.clone();
    let own = slice(c, output, OWN_AMPS);
    let mut wires: BTreeMap<usize, (f64, bool)> =
        own.wires.iter().map(|(w, a)| (*w, (*a, false))).collect();
    // Other outputs' load paths that run through a connector or ground of this one.
    let shared: BTreeSet<String> = own
        .wires
        .keys()
        .flat_map(|w| [owner(&v.wires[*w].from), owner(&v.wires[*w].to)])
        .filter(|id| {
            v.grounds.iter().any(|g| &g.id == id)
                || v.connectors.iter().any(|k| &k.id == id && k.sides.is_some())
        })
        .collect();
    for other in v.outputs.iter().filter(|o| o.id != output) {
        let slice = slice(c, &other.id, LOAD_AMPS);
        let touches = slice.wires.keys().any(|w| {
            let wire = &v.wires[*w];
            shared.contains(&owner(&wire.from)) || shared.contains(&owner(&wire.to))
        });
        if touches {
            for (w, amps) in slice.wires {
                wires.entry(w).or_insert((amps, true));
            }
        }
    }
    let p = model.predict(state);
    let reference = c.node(&c.reference).unwrap_or(0);
    let mains = mains(c);
    let mut nodes: BTreeMap<String, Node> = BTreeMap::new();
    let mut lines = Vec::new();
    for (w, (amps, context)) in &wires {
        let wire = &v.wires[*w];
        let (from, to) = if *amps >= 0.0 { (&wire.from, &wire.to) } else { (&wire.to, &wire.from) };
        for (end, top) in [(from, false), (to, true)] {
            let id = owner(end);
            let node = nodes
                .entry(id.clone())
                .or_insert_with(|| describe(model, &id, mains.contains(&id)));
            node.context &= *context;
            if !node.pins.iter().any(|pin| pin.id == *end) {
                let at = c.node(end).unwrap_or(0);
                let volts = p.healthy.between(at, reference);
                let scatter = model.scatter(&p, |s| s.between(at, reference));
                let blur = scatter.hypot(circuit::Instrument::Volts.sigma(volts));
                let (no, item) = match end.split_once('.') {
                    None => (String::new(), String::new()),
                    Some((_, cavity)) => {
                        let no = cavity.split(':').next().unwrap_or(cavity);
                        (no.to_owned(), format!("terminal:{id}.{no}"))
                    }
                };
                node.pins.push(Pin {
                    id: end.clone(),
                    no,
                    top,
                    volts,
                    tolerance: SOUND * blur,
                    item,
                });
            }
        }
        lines.push(Line {
            id: wire.id.clone(),
            from: from.clone(),
            to: to.clone(),
            colour: wire.colour.clone(),
            area_mm2: wire.area_mm2,
            amps: p.healthy.amps(*w).abs(),
            item: format!("wire:{}", wire.id),
            context: *context,
        });
    }
    Some(Sheet { output: output.to_owned(), title, nodes: nodes.into_values().collect(), lines })
}

fn owner(end: &str) -> String {
    end.split('.').next().unwrap_or(end).to_owned()
}

fn describe(model: &Model, id: &str, main: bool) -> Node {
    let v = &model.circuit.vehicle;
    let place = |id: &str| v.places.iter().find(|p| p.id == id).map_or("", |p| p.name.as_str());
    let minutes = |m: f64| format!("{m:.0} min");
    let (name, kind, note, item) = if let Some(g) = v.grounds.iter().find(|g| g.id == id) {
        (g.name.clone(), "ground".to_owned(), minutes(g.minutes.reach), format!("ground:{id}"))
    } else if let Some(s) = v.splices.iter().find(|s| s.id == id) {
        let kind = if main { "rail" } else { "splice" };
        (s.name.clone(), kind.to_owned(), String::new(), String::new())
    } else if let Some(k) = v.connectors.iter().find(|k| k.id == id && k.sides.is_some()) {
        let wet = v.places.iter().any(|p| p.id == k.place && p.wet);
        let note = format!(
            "{} cavities{}, {}",
            k.cavity_count,
            if wet { ", wet place" } else { "" },
            minutes(k.minutes.reach)
        );
        (k.name.clone(), "connector".to_owned(), note, String::new())
    } else {
        let part_id = v
            .connectors
            .iter()
            .find(|k| k.id == id)
            .and_then(|k| k.part.clone())
            .unwrap_or_else(|| id.to_owned());
        match v.parts.iter().find(|p| p.id == part_id) {
            Some(p) => {
                let kind = format!("{:?}", p.kind).to_lowercase();
                let rating = p.elements.iter().find_map(|e| match e {
                    vehicle::Element::Fuse { rating_amps, .. } => Some(format!("{rating_amps} A")),
                    _ => None,
                });
                let note = rating.unwrap_or_else(|| {
                    format!("{}, {}", place(&p.place), minutes(p.minutes.reach))
                });
                (p.name.clone(), kind, note, format!("part:{part_id}"))
            }
            None => (id.to_owned(), "other".to_owned(), String::new(), String::new()),
        }
    };
    Node { id: id.to_owned(), name, kind, note, item, context: true, pins: Vec::new() }
}
