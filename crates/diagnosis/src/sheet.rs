//! The part of the circuit that matters for a question, with what every point of it should read.

mod about;
mod driven;
mod face;
mod walk;

pub use about::{Subject, subjects};
pub use face::{Face, FaceCavity, face};

use crate::model::{Model, Snapshot};
use crate::verdict::SOUND;
use circuit::{BODY, NodeId, Sweep, fault};
use serde::Serialize;
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::{Item, OperatingState, Point, TiVec, WireId};
use walk::{Harness, owner};

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
    /// Volts under the chosen suspect.
    pub under: Option<f64>,
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
    pub id: WireId,
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
    /// What it is about, as asked for.
    pub about: String,
    /// Name of it.
    pub title: String,
    /// Parts, connectors, splices, grounds.
    pub nodes: Vec<Node>,
    /// Conductors.
    pub lines: Vec<Line>,
}

/// What a sheet is asked to show.
#[derive(Debug, Clone)]
pub struct Wanted<'a> {
    /// What it is about, see [`Subject::id`].
    pub about: &'a str,
    /// Things on it whose other conductors are wanted too.
    pub more: &'a [String],
    /// Operating state of the values.
    pub state: &'a OperatingState,
    /// Id of a fault whose values are wanted beside the sound ones.
    pub under: Option<&'a str>,
}

/// Values of points in a state.
pub(crate) struct Values<'a> {
    model: &'a Model,
    state: OperatingState,
    predictions: std::sync::Arc<crate::model::Predictions>,
    under: Option<TiVec<NodeId, f64>>,
    reference: NodeId,
}

impl<'a> Values<'a> {
    pub(crate) fn new(model: &'a Model, state: &OperatingState, under: Option<&str>) -> Self {
        let c = &model.circuit;
        let predictions = model.predict(state);
        let under = under.and_then(|id| fault::by_id(c, id).ok()).map(|f| {
            let mut sweep: Sweep = predictions.sweep.clone();
            sweep.solve(&f.changes).volts.to_vec()
        });
        let state = state.clone();
        Self { model, state, predictions, under, reference: c.node(&c.reference).unwrap_or(BODY) }
    }

    /// Sound volts of a point against battery minus, half the width of the sound range, and volts
    /// under the chosen suspect.
    pub(crate) fn of(&self, end: &str) -> (f64, f64, Option<f64>) {
        let at = self.model.circuit.node(end).unwrap_or(BODY);
        let across = |s: &Snapshot| s.between(at, self.reference);
        let volts = across(&self.predictions.healthy);
        let scatter = self.model.scatter(&self.predictions, &self.state, across);
        let blur = scatter.hypot(circuit::Instrument::Volts.sigma(volts));
        let under = self.under.as_ref().map(|v| v[at] - v[self.reference]);
        (volts, SOUND * blur, under)
    }
}

/// Draws up a sheet; none when there is no such thing.
pub fn sheet(model: &Model, wanted: &Wanted<'_>) -> Option<Sheet> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let harness = Harness::of(c);
    let (title, mut wires) = about::choose(model, &harness, wanted.about)?;
    for id in wanted.more {
        about::neighbours(model, &harness, id, &mut wires);
    }
    let values = Values::new(model, wanted.state, wanted.under);
    let mut nodes: BTreeMap<String, Node> = BTreeMap::new();
    let mut lines = Vec::new();
    for (w, context) in &wires {
        let wire = &v.wires[*w];
        let amps = values.predictions.healthy.amps(*w);
        // Downward is where the current goes; where none flows, towards the lower voltage.
        let fall = values.of(&wire.from).0 - values.of(&wire.to).0;
        let down = [amps, fall].into_iter().find(|x| x.abs() > 1e-6).unwrap_or(1.0);
        let (from, to) = if down >= 0.0 { (&wire.from, &wire.to) } else { (&wire.to, &wire.from) };
        for (end, top) in [(from, false), (to, true)] {
            let id = owner(end);
            let node = nodes
                .entry(id.to_owned())
                .or_insert_with(|| describe(model, id, harness.mains.contains(id)));
            node.context &= *context;
            if !node.pins.iter().any(|pin| pin.id == *end) {
                let (volts, tolerance, under) = values.of(end);
                let (no, item) = match Point::of(end).no {
                    None => (String::new(), String::new()),
                    Some(no) => {
                        let terminal = Item::Terminal(Point::of(end).cavity().into());
                        (no.to_owned(), terminal.to_string())
                    }
                };
                node.pins.push(Pin { id: end.clone(), no, top, volts, tolerance, under, item });
            }
        }
        lines.push(Line {
            id: wire.id.clone(),
            from: from.clone(),
            to: to.clone(),
            colour: wire.colour.clone(),
            area_mm2: wire.area_mm2,
            amps: amps.abs(),
            item: Item::wire(&wire.id).to_string(),
            context: *context,
        });
    }
    let about = wanted.about.to_owned();
    Some(Sheet { about, title, nodes: nodes.into_values().collect(), lines })
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
            .unwrap_or_else(|| id.into());
        match v.parts.iter().find(|p| p.id == part_id) {
            Some(p) => {
                let kind = format!("{:?}", p.kind).to_lowercase();
                let rating = p.elements.iter().find_map(|e| e.rating_amps());
                let note = rating.map(|amps| format!("{amps} A")).unwrap_or_else(|| {
                    format!("{}, {}", place(&p.place), minutes(p.minutes.reach))
                });
                (p.name.clone(), kind, note, Item::part(&part_id).to_string())
            }
            None => (id.to_owned(), "other".to_owned(), String::new(), String::new()),
        }
    };
    Node { id: id.to_owned(), name, kind, note, item, context: true, pins: Vec::new() }
}
