//! Reading a bus with a plain meter (N14): what lies between its lines, to ground and in volts, as it is
//! plugged now, and what the readings taken so far say together. Everything is solved: expected values on a
//! sound vehicle, what they mean from the hypotheses that lie on the bus.

use crate::evidence::{Evidence, Finding, reading};
use crate::model::{HypIx, ItemIx, Model, ModelError};
use crate::network;
use crate::posterior::Posterior;
use crate::verdict;
use circuit::bus_lines::bit;
use circuit::{Instrument, Probe};
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::{Item, KeyPosition, OperatingState, PartIx};

/// A place where the lines of a bus can be touched together.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusSpot {
    /// Connector or socket, with the side of an in-line pair: `X24`, `C10:rear`.
    pub id: String,
    /// In words.
    pub text: String,
    /// Cavities of the lines: high and low, or the one of LIN.
    pub lines: Vec<String>,
}

/// A reading of a step.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusReading {
    /// `ohms` or `volts`.
    pub quantity: Instrument,
    /// Red lead.
    pub red: String,
    /// Black lead.
    pub black: String,
    /// Between what, in words.
    pub between: String,
    /// What a sound vehicle shows, as plugged now.
    pub expected: String,
    /// What was read there in this state last; none where nothing was, and where it was over limit.
    pub found: Option<f64>,
    /// It was read.
    pub is_read: bool,
    /// What was read is not as expected.
    pub is_off: bool,
}

/// Readings that are taken in the same state.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusStep {
    /// What to do first.
    pub text: String,
    /// The trap in it.
    pub trap: String,
    /// The state.
    pub state: OperatingState,
    /// What to read.
    pub readings: Vec<BusReading>,
}

/// What readings at a bus say together.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusSays {
    /// Id of the repair item.
    pub item: Item,
    /// How it would have to be wrong, in words.
    pub variant: String,
    /// Its probability by these readings alone.
    pub probability: f64,
}

/// A bus for a plain meter.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusStatic {
    /// Id of the bus.
    pub bus: String,
    /// Where its lines can be touched.
    pub spots: Vec<BusSpot>,
    /// The one that is looked at.
    pub spot: String,
    /// Step by step.
    pub steps: Vec<BusStep>,
    /// Readings at this bus that are weighed together.
    pub together: usize,
    /// Share of all suspicion that lies on the bus: before any reading, and by these alone.
    pub on_bus: [f64; 2],
    /// What they say, likeliest first.
    pub says: Vec<BusSays>,
}

/// The trap in measuring ohms.
const ASLEEP: &str = "Awake or asleep with the battery on, an ohmmeter shows what the modules put on the \
                      lines, not what lies between them.";

/// What is said at most, and the least probability worth saying.
const MOST_SAID: usize = 5;
const WORTH_SAYING: f64 = 0.02;

/// Places where all lines of a bus lie side by side and can be touched, the head's first.
///
/// # Errors
/// [`ModelError::Unknown`] for a bus that does not exist.
pub fn spots_of(model: &Model, bus: &str) -> Result<Vec<BusSpot>, ModelError> {
    Ok(spots(model, network::on_bus(&model.circuit, bus)?))
}

fn spots(model: &Model, bus: usize) -> Vec<BusSpot> {
    let c = &model.circuit;
    let b = &c.vehicle.buses[bus];
    let mut out: Vec<BusSpot> = Vec::new();
    // Pins of members tell which line is which; elsewhere it is followed along the conductors.
    let line_of = network::lines_of(c, b);
    let head = network::head(c, b);
    let mut add = |id: String, text: String, points: Vec<(usize, String)>, first: bool| {
        let mut by_line: Vec<(usize, String)> = points;
        by_line.sort();
        by_line.dedup_by_key(|p| p.0);
        if by_line.len() == line_of.count {
            let spot = BusSpot { id, text, lines: by_line.into_iter().map(|p| p.1).collect() };
            if first { out.insert(0, spot) } else { out.push(spot) }
        }
    };
    for id in &network::connectors(model, bus) {
        let known = c.names.connector(id).map(|k| &c.vehicle.connectors[k]);
        let sides: Vec<Option<&String>> = match known.and_then(|k| k.sides.as_ref()) {
            Some((a, b)) => vec![Some(a), Some(b)],
            None => vec![None],
        };
        for side in sides {
            let own = c.terminal_branch.range((id.clone(), String::new())..);
            let own = own.take_while(|((of, _), _)| of == id);
            let points = own
                .filter_map(|((_, no), _)| {
                    let point = match side {
                        Some(side) => format!("{id}.{no}:{side}"),
                        None => format!("{id}.{no}"),
                    };
                    let node = c.node(&point).ok()?;
                    Some((line_of.at(node)?, point))
                })
                .collect();
            let (name, text) = match side {
                Some(side) => (
                    format!("{id}:{side}"),
                    format!("{}, {side} side", crate::words::thing(model, id)),
                ),
                None => (id.to_string(), crate::words::thing(model, id)),
            };
            let part = known.and_then(|k| k.part.as_deref()).unwrap_or(id);
            let is_head = head.is_some_and(|h: PartIx| c.vehicle.parts[h].id == *part);
            add(name, text, points, is_head);
        }
    }
    out
}

fn step(
    model: &Model,
    evidence: &[Evidence],
    (text, trap): (&str, String),
    state: OperatingState,
    pairs: &[(Instrument, &str, &str, String)],
) -> Result<BusStep, ModelError> {
    let readings = pairs
        .iter()
        .map(|(quantity, red, black, between)| {
            let probe = Probe { instrument: *quantity, red: (*red).into(), black: (*black).into() };
            let sound = reading::sound(model, &state, &probe)?;
            let read = evidence.iter().rev().filter(|e| e.state == state).find_map(|e| {
                let (p, value) = e.finding.reading()?;
                let turned = p.red == probe.black && p.black == probe.red;
                let same = p.instrument == *quantity && (p == probe || turned);
                let sign = if turned && *quantity == Instrument::Volts { -1.0 } else { 1.0 };
                same.then_some(value.map(|v| sign * v))
            });
            let off = |v: Option<f64>| match v {
                Some(v) => (v - sound.healthy).abs() > verdict::SOUND * sound.sigma,
                None => sound.healthy.is_finite(),
            };
            Ok(BusReading {
                quantity: *quantity,
                red: probe.red.clone(),
                black: probe.black.clone(),
                between: between.clone(),
                expected: verdict::healthy_range(*quantity, sound.healthy, sound.sigma),
                found: read.flatten(),
                is_read: read.is_some(),
                is_off: read.is_some_and(off),
            })
        })
        .collect::<Result<_, ModelError>>()?;
    Ok(BusStep { text: text.to_owned(), trap, state, readings })
}

/// A bus as a plain meter sees it at a spot, as plugged in a state; the head's own plug without one.
///
/// # Errors
/// [`ModelError`] for a bus or a spot that does not exist.
pub fn look(
    model: &Model,
    evidence: &[Evidence],
    now: &OperatingState,
    bus: &str,
    spot: Option<&str>,
) -> Result<BusStatic, ModelError> {
    let c = &model.circuit;
    let number = network::on_bus(c, bus)?;
    let spots = spots(model, number);
    let unknown = |id: &str| ModelError::Unknown { what: "place on this bus", id: id.to_owned() };
    let at = match spot {
        Some(id) => spots.iter().find(|s| s.id == id).ok_or_else(|| unknown(id))?,
        None => spots.first().ok_or_else(|| unknown("any"))?,
    };
    let plugged = OperatingState {
        unplugged: now.unplugged.clone(),
        rerouted: now.rerouted.clone(),
        ..OperatingState::default()
    };
    let dead = OperatingState { battery_off: true, ..plugged.clone() };
    let asleep = plugged.clone();
    let awake = OperatingState { key: KeyPosition::On, ..plugged };
    let ground = c.reference.as_str();
    let (ohms, volts) = (Instrument::Ohms, Instrument::Volts);
    let names: &[&str] = if at.lines.len() == 2 { &["H", "L"] } else { &["line"] };
    let to_ground = |quantity| {
        let lines = at.lines.iter().zip(names);
        lines.map(move |(l, n)| (quantity, l.as_str(), ground, format!("{n} to ground")))
    };
    let mut resistances: Vec<(Instrument, &str, &str, String)> = Vec::new();
    if let [high, low] = &at.lines[..] {
        resistances.push((ohms, high, low, "H to L".to_owned()));
    }
    resistances.extend(to_ground(ohms));
    let mut levels: Vec<(Instrument, &str, &str, String)> = to_ground(volts).collect();
    if let [high, low] = &at.lines[..] {
        levels.push((volts, high, low, "H to L".to_owned()));
    }
    // What an ohmmeter would make of the bus with everything awake.
    let live = resistances.first().map(|(_, red, black, _)| Probe {
        instrument: ohms,
        red: (*red).to_owned(),
        black: (*black).to_owned(),
    });
    let trapped = live.is_some_and(|probe| verdict::trap(model, &awake, &probe).is_some());
    let trap = if trapped { ASLEEP.to_owned() } else { String::new() };
    let average = "A meter shows the average of a busy bus, not its levels.".to_owned();
    let steps = vec![
        step(
            model,
            evidence,
            ("Battery off, and everything as it is plugged now: ohms", trap),
            dead,
            &resistances,
        )?,
        step(
            model,
            evidence,
            ("Battery on, key off, all asleep: volts", String::new()),
            asleep,
            &levels[..names.len()],
        )?,
        step(model, evidence, ("Key on, the bus busy: volts", average), awake, &levels)?,
    ];
    let spot = at.id.clone();
    let mine = mine(model, number, evidence);
    let (on_bus, says) = together(model, number, &mine)?;
    Ok(BusStatic { bus: bus.to_owned(), spots, spot, steps, together: mine.len(), on_bus, says })
}

/// Readings at the lines of a bus.
fn mine(model: &Model, bus: usize, evidence: &[Evidence]) -> Vec<Evidence> {
    let lines = model.bus_lines();
    let on = |point: &str| model.circuit.node(point).is_ok_and(|n| lines[n] & bit(bus) != 0);
    let is_mine = |e: &&Evidence| match &e.finding {
        Finding::Reading { red, black, .. } => on(red) || on(black),
        _ => false,
    };
    evidence.iter().filter(is_mine).cloned().collect()
}

/// What readings say together, by themselves: how much of the suspicion lies on the bus before and after,
/// and on what there.
fn together(
    model: &Model,
    bus: usize,
    readings: &[Evidence],
) -> Result<([f64; 2], Vec<BusSays>), ModelError> {
    let posterior = Posterior::given(model, model.plain(), readings)?;
    let before = Posterior::given(model, model.plain(), &[])?;
    let here: Vec<HypIx> = model.faults.keys().filter(|h| model.lies_on(*h, bus)).collect();
    let share = |p: &Posterior| here.iter().map(|h| p.hypotheses[*h]).sum::<f64>();
    let on_bus = [share(&before), share(&posterior)];
    if readings.is_empty() {
        return Ok((on_bus, Vec::new()));
    }
    let items: BTreeSet<ItemIx> = here.iter().map(|h| model.item_of[*h]).collect();
    let mut says: Vec<BusSays> = items
        .into_iter()
        .filter_map(|item| {
            let own = model.variants(item).iter().filter(|h| model.lies_on(**h, bus));
            let best =
                own.max_by(|a, b| posterior.hypotheses[**a].total_cmp(&posterior.hypotheses[**b]))?;
            let id = &model.items[item];
            Some(BusSays {
                item: id.clone(),
                variant: model.faults[*best].text.clone(),
                probability: posterior.items[item],
            })
        })
        .filter(|s| s.probability > WORTH_SAYING)
        .collect();
    says.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    says.truncate(MOST_SAID);
    Ok((on_bus, says))
}
