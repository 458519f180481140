//! What a check by hand would prove and what it would leave open: substitution (N27), a moved
//! harness (N25), insulation between neighbours (N26). And where a jumper must not go.

use crate::evidence::{Strength, effect, moved, substituted};
use crate::model::{HypIx, ItemIx, Model, ModelError};
use crate::posterior::{Explains, Live, Posterior};
use circuit::meter::Leads;
use circuit::{Change, Circuit, Instrument, Probe};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use vehicle::element::Switches;
use vehicle::{
    ConnectorId, Element, Item, KeyPosition, OperatingState, PartId, PartKind, Point, WireIx,
};

/// A substitution worth weighing.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Offer {
    /// A fused jumper.
    Jumper { red: String, black: String, part: PartId, state: OperatingState },
    /// A known-good part.
    Swap { swapped: PartId, part: PartId, state: OperatingState },
}

/// A repair item with its share of the suspicion.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Share {
    /// Repair item.
    pub item: Item,
    /// In words.
    pub text: String,
    /// Probability, 0 to 1.
    pub probability: f64,
}

/// What a check by hand would prove.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Coverage {
    /// Why it must not be done; empty when it may.
    pub refused: Vec<String>,
    /// What the check is, in a line.
    pub text: String,
    /// Suspects it would show to be the cause if the outcome is the telling one.
    pub proves: Vec<Share>,
    /// Suspects it would leave open.
    pub leaves: Vec<Share>,
    /// Share of the suspicion that the telling outcome would settle on, 0 to 1.
    pub share: f64,
    /// The reading to take, where the check is one.
    pub reading: Option<ToRead>,
}

/// A reading to take, with the state it is taken in.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ToRead {
    /// Quantity, as a reading names it.
    pub quantity: String,
    /// Red lead.
    pub red: String,
    /// Black lead.
    pub black: String,
    /// State, unplugged connectors included.
    pub state: OperatingState,
}

/// Share of the suspicion below which a repair item is not listed.
const LISTED: f64 = 0.005;
/// Jumpers and parts weighed at a time.
const JUMPERS: usize = 3;
const SWAPS: usize = 2;
/// Suspicion from which on swapping a part is worth a thought.
const WORTH_SWAPPING: f64 = 0.05;
/// A jumper with its fuse, ohms.
const JUMPER_OHMS: f64 = 0.03;
/// A sensor, reference or data pin must not see more than this, volts.
const SIGNAL_PIN_VOLTS: f64 = 6.0;
/// Continuous current of a copper conductor in a loom by its area in mm²: about 14 A at 1 mm²,
/// rising with the 0.68th power as the tables for 70 °C insulation do.
fn ampacity(area_mm2: f64) -> f64 {
    14.0 * area_mm2.powf(0.68)
}

fn shares(model: &Model, sums: BTreeMap<ItemIx, f64>) -> Vec<Share> {
    let mut list: Vec<Share> = sums
        .into_iter()
        .filter(|(_, p)| *p > LISTED)
        .map(|(item, probability)| Share {
            item: model.items[item].clone(),
            text: model.item_text(&model.items[item]),
            probability,
        })
        .collect();
    list.sort_by(|a, b| b.probability.total_cmp(&a.probability).then(a.item.cmp(&b.item)));
    list
}

/// Sorts what is suspected by the chance of the telling outcome.
fn divide(
    model: &Model,
    posterior: &Posterior,
    text: String,
    telling: impl Fn(HypIx) -> f64,
) -> Coverage {
    let (mut proves, mut leaves) = (BTreeMap::new(), BTreeMap::new());
    for (h, p) in posterior.hypotheses.iter_enumerated().take(model.faults.len()) {
        let t = if *p > 1e-9 { telling(h) } else { 0.0 };
        *proves.entry(model.item_of[h]).or_insert(0.0) += t * p;
        *leaves.entry(model.item_of[h]).or_insert(0.0) += (1.0 - t) * p;
    }
    let elsewhere = model.elsewhere();
    leaves.insert(elsewhere, posterior.items[elsewhere]);
    let share = proves.values().sum();
    Coverage {
        refused: Vec::new(),
        text,
        proves: shares(model, proves),
        leaves: shares(model, leaves),
        share,
        reading: None,
    }
}

/// A jumper between two points while an effect is watched: it proves what lies in the stretch that
/// it bridges, when the effect comes back.
///
/// # Errors
/// [`ModelError`] for names that do not exist.
pub fn jumper(
    model: &Model,
    posterior: &Posterior,
    state: &OperatingState,
    red: &str,
    black: &str,
    part: &str,
) -> Result<Coverage, ModelError> {
    model.circuit.check_state(state)?;
    let leads = substituted::probe(red, black).leads(&model.circuit)?;
    let at = crate::evidence::part(model, part)?;
    let p = model.predict_all(state);
    let sound = p
        .healthy
        .effect(at)
        .ok_or_else(|| ModelError::Unknown { what: "part with an effect", id: part.to_owned() })?;
    let normal = effect::chances(sound)[effect::index(Strength::Normal)];
    let wanted = |h: HypIx| posterior.hypotheses[h] > 1e-6;
    let comes = model.sweep_all(&p.sweep, leads.change(), None, wanted, f64::NAN, |point| {
        let chances = effect::chances(point.effect(at).unwrap_or(0.0));
        chances[effect::index(Strength::Normal)] * normal
    });
    let came_before = |h: HypIx| {
        let strength = p.fault(h).and_then(|s| s.effect(at)).unwrap_or(0.0);
        effect::chances(strength)[effect::index(Strength::Normal)]
    };
    let text = format!(
        "Fused jumper from {red} to {black}: if {} comes back, the fault lies in what it bridges",
        crate::words::effect(model, part)
    );
    // It tells about those whose effect comes back with the jumper and not without.
    let mut coverage = divide(model, posterior, text, |h| {
        if comes[h].is_nan() { 0.0 } else { comes[h] * (1.0 - came_before(h)) }
    });
    coverage.refused = harm(model, state, leads);
    Ok(coverage)
}

/// What a jumper would harm on a sound vehicle; empty when nothing.
fn harm(model: &Model, state: &OperatingState, leads: Leads) -> Vec<String> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let p = model.predict(state);
    let mut sweep = p.sweep.clone();
    let changes: Vec<Change> = leads.change().into_iter().collect();
    let mut out = Vec::new();
    if sweep.solve(&changes).tool_blew {
        out.push("its fuse would blow: it would bridge a supply to ground".to_owned());
    }
    // What would happen until it does.
    let [a, b] = leads.nodes(c);
    let with = sweep.solve(&[Change::Bridge(a, b, JUMPER_OHMS)]);
    for (d, placed) in c.devices.iter_enumerated() {
        let part = &v.parts[placed.part];
        let element = &part.elements[placed.element];
        let pin_volts = |pin: &str| {
            let n = c.pin_node.get(&(placed.part, pin.to_owned())).copied();
            n.map_or((0.0, 0.0), |n| (with.volts[n], p.solution.volts[n]))
        };
        let driven = element.gives().and_then(|g| Some((g.pin, g.switches?)));
        match (driven, element.signal_pin()) {
            (Some((pin, Switches::Supply)), _) => {
                // On, it is fed against; off, it is fed from outside through its own switch.
                let (now, before) = pin_volts(pin);
                if (now - before).abs() > 1.0 {
                    out.push(format!(
                        "it would feed the output at pin {pin} of {} {}; unplug that first",
                        part.name, part.id
                    ));
                }
            }
            (Some((pin, Switches::Ground)), _) => {
                // Off, it is an open switch that a jumper may bridge.
                let (now, before) = pin_volts(pin);
                if p.solution.modes[d] != 0 && (now - before).abs() > 1.0 {
                    out.push(format!(
                        "it would work against the output at pin {pin} of {} {}",
                        part.name, part.id
                    ));
                }
            }
            (None, Some(pin)) => {
                let (now, before) = pin_volts(pin);
                if now > SIGNAL_PIN_VOLTS && before <= SIGNAL_PIN_VOLTS {
                    out.push(format!(
                        "it would put {now:.1} V on the signal pin {pin} of {} {}",
                        part.name, part.id
                    ));
                }
            }
            (None, None) => {}
        }
    }
    for (w, branch) in c.wire_branch.iter_enumerated() {
        let (amps, wire) = (with.amps(*branch).abs(), &v.wires[w]);
        let most = ampacity(wire.area_mm2);
        if amps > most && amps > 1.2 * p.solution.amps(c, *branch).abs() {
            out.push(format!(
                "conductor {} ({} mm²) would carry {amps:.0} A, more than its {most:.0} A",
                wire.id, wire.area_mm2
            ));
        }
    }
    out.truncate(4);
    out
}

/// Explanations that are asked what effect they take away.
const LOOKED_AT: usize = 64;

/// The effect that most of the suspicion takes away: output state, part.
pub(crate) fn missing_effect(model: &Model, live: &[Live]) -> Option<(OperatingState, PartId)> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let mut likeliest: Vec<&Live> = live.iter().collect();
    likeliest.sort_by(|a, b| b.p.total_cmp(&a.p).then(a.repair.cmp(&b.repair)));
    likeliest.truncate(LOOKED_AT);
    let hypotheses: Vec<HypIx> = likeliest
        .iter()
        .filter_map(|l| if let Explains::Fault(h) = l.what { Some(h) } else { None })
        .collect();
    let mut best: Option<(f64, OperatingState, PartId)> = None;
    for named in &v.states {
        let p = model.predict_some(&named.state, &hypotheses);
        for at in model.working(&named.state) {
            let lost: f64 = likeliest
                .iter()
                .filter_map(|l| match l.what {
                    Explains::Fault(h) => Some((l.p, p.fault(h)?.effect(at)?)),
                    _ => None,
                })
                .filter(|(_, effect)| *effect < 0.8)
                .map(|(p, _)| p)
                .sum();
            if lost > 0.3 && best.as_ref().is_none_or(|b| lost > b.0) {
                best = Some((lost, named.state.clone(), v.parts[at].id.clone()));
            }
        }
    }
    best.map(|(_, state, part)| (state, part))
}

/// Points along the feed of a state's load where a jumper from the battery could come in: ends of
/// conductors that carry the load's current, nearest to half of the suspicion first.
pub fn jumper_points(
    model: &Model,
    live: &[Live],
    state: &OperatingState,
    part: &str,
) -> Vec<(String, String)> {
    let c = &model.circuit;
    let v = &c.vehicle;
    let Some(at) = c.part(part) else { return Vec::new() };
    let p = model.predict(state);
    let post = c.supply.map(|n| p.solution.volts[n]).unwrap_or(12.0);
    let feed = v.parts[at].elements.iter().find_map(|e| match e {
        Element::Motor(motor) => c.pin_node.get(&(at, motor.plus.clone())),
        _ => None,
    });
    let Some(feed) = feed else { return Vec::new() };
    let rest = model.predict(&state.undriven());
    let supply_point =
        c.node_of.iter().find(|(id, n)| Some(**n) == c.supply && !id.ends_with(":part"));
    let Some((supply_point, _)) = supply_point else { return Vec::new() };
    let mut points: Vec<(f64, String)> = Vec::new();
    for (point, node) in model.reachable().fed() {
        let live_here = p.solution.volts[*node] > 0.7 * post;
        let on_way = c.load_at(&p.solution, *node) > 0.2
            && (c.load_at(&p.solution, *node) - c.load_at(&rest.solution, *node)).abs() > 0.2;
        if !live_here || !on_way || *node == *feed && point.ends_with(":part") {
            continue;
        }
        // Suspicion that lies before this point: it is low there under the suspect.
        let before: f64 = live
            .iter()
            .filter_map(|l| match l.what {
                Explains::Fault(h) => Some((l.p, p.fault(h)?)),
                _ => None,
            })
            .filter(|(_, s)| s.volts(*node) < p.solution.volts[*node] - 0.7)
            .map(|(p, _)| p)
            .sum();
        if before > 0.05 && before < 0.97 {
            points.push(((before - 0.5).abs(), point.clone()));
        }
    }
    points.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let near: Vec<String> = {
        let mut seen: Vec<f64> = Vec::new();
        points
            .into_iter()
            .filter(|(d, _)| {
                let new = seen.iter().all(|s| (s - d).abs() > 1e-6);
                seen.push(*d);
                new
            })
            .map(|(_, p)| p)
            .collect()
    };
    near.into_iter().map(|p| (supply_point.clone(), p)).collect()
}

/// Substitutions worth weighing against other checks.
pub(crate) fn offers(
    model: &Model,
    posterior: &Posterior,
    live: &[Live],
    now: &OperatingState,
) -> Vec<Offer> {
    let mut out = Vec::new();
    if now.key == KeyPosition::Start {
        return out;
    }
    let Some((state, part)) = missing_effect(model, live) else {
        return out;
    };
    for (red, black) in jumper_points(model, live, &state, &part).into_iter().take(JUMPERS) {
        let leads = substituted::probe(&red, &black).leads(&model.circuit);
        if leads.is_ok_and(|leads| harm(model, &state, leads).is_empty()) {
            out.push(Offer::Jumper { red, black, part: part.clone(), state: state.clone() });
        }
    }
    let v = &model.circuit.vehicle;
    let sockets = |id: &str| model.circuit.terminal_branch.keys().any(|(c, _)| c == id);
    let parts = posterior.ranking().into_iter().filter_map(|(item, p)| {
        let id = model.items[item].as_part()?;
        let kind = v.parts.get(model.circuit.part(id)?)?.kind;
        // What sits in a socket is swapped in a moment, and a lamp is; a module is not swapped to see.
        let quick = sockets(id) || kind == PartKind::Lamp;
        (p > WORTH_SWAPPING && quick).then(|| PartId::from(id))
    });
    for swapped in parts.take(SWAPS) {
        out.push(Offer::Swap { swapped, part: part.clone(), state: state.clone() });
    }
    out
}

/// Moving the harness at a place: it shows what lies there and comes and goes.
///
/// # Errors
/// [`ModelError`] for a place that does not exist.
pub fn wiggle(model: &Model, posterior: &Posterior, at: &str) -> Result<Coverage, ModelError> {
    crate::evidence::known_place(model, at)?;
    let text = format!(
        "Move the harness at {}: if the symptom changes, the fault lies there",
        crate::words::thing(model, at)
    );
    Ok(divide(model, posterior, text, |h| {
        let [steady, wavering] = moved::chances(model, at, &model.faults[h]);
        let share = posterior.share_wavering(h);
        let there = steady * (1.0 - share) + wavering * share;
        if there > 0.05 { there } else { 0.0 }
    }))
}

/// Everything that is plugged at the ends of a conductor, past splices and connectors between looms.
fn plugged_at(c: &Circuit, wire: WireIx) -> BTreeSet<ConnectorId> {
    let v = &c.vehicle;
    let (mut seen, mut todo) = (BTreeSet::from([wire]), vec![wire]);
    let mut out = BTreeSet::new();
    while let Some(w) = todo.pop() {
        for end in [&v.wires[w].from, &v.wires[w].to] {
            let at = Point::of(end);
            let owner = at.owner;
            let ends_in_part =
                c.names.connector(owner).is_some_and(|k| v.connectors[k].part.is_some());
            let is_socket = c.terminal_branch.keys().any(|(x, _)| x == owner);
            if ends_in_part || is_socket {
                out.insert(owner.into());
                continue;
            }
            let goes_on: Vec<WireIx> = match at.side {
                // The other side of a connector between looms.
                Some(_) => {
                    let side = |e: &str| {
                        let other = Point::of(e);
                        other.side.is_some() && other.cavity() == at.cavity()
                    };
                    let joins = |x: &WireIx| side(&v.wires[*x].from) || side(&v.wires[*x].to);
                    v.wires.keys().filter(joins).collect()
                }
                None if c.names.splice(end).is_some() => c.names.ending_at(end).to_vec(),
                None => Vec::new(),
            };
            todo.extend(goes_on.into_iter().filter(|x| seen.insert(*x)));
        }
    }
    out
}

/// How insulation between two conductors is measured: everything they lead to unplugged, the
/// battery off, ohms between their ends.
///
/// # Errors
/// [`ModelError`] for conductors that do not exist.
pub fn insulation_check(
    model: &Model,
    a: &str,
    b: &str,
) -> Result<(OperatingState, Probe), ModelError> {
    let c = &model.circuit;
    let wire = |id: &str| {
        c.wire(id).ok_or_else(|| ModelError::Unknown { what: "conductor", id: id.to_owned() })
    };
    let (first, second) = (wire(a)?, wire(b)?);
    let unplugged = plugged_at(c, first).into_iter().chain(plugged_at(c, second)).collect();
    let state = OperatingState { battery_off: true, unplugged, ..OperatingState::default() };
    let end = |w: WireIx| c.vehicle.wires[w].to.clone();
    Ok((state, Probe { instrument: Instrument::Ohms, red: end(first), black: end(second) }))
}

/// Insulation between two conductors: a low reading proves what joins them.
///
/// # Errors
/// [`ModelError`] for conductors that do not exist.
pub fn insulation(
    model: &Model,
    posterior: &Posterior,
    a: &str,
    b: &str,
) -> Result<Coverage, ModelError> {
    let (state, probe) = insulation_check(model, a, b)?;
    let p = model.predict(&state);
    let leads = probe.leads(&model.circuit)?;
    let nodes = leads.nodes(&model.circuit);
    let sound = crate::evidence::reading::read(model, &state, &[], leads);
    let wanted = |h: HypIx| posterior.hypotheses[h] > 1e-6;
    let ohms = model.sweep_all(&p.sweep, leads.change(), Some(&nodes), wanted, f64::NAN, |point| {
        leads.shown_at(&point).value()
    });
    let unplugged: Vec<&str> = state.unplugged.iter().map(ConnectorId::as_str).collect();
    let text = format!(
        "Insulation between conductors {a} and {b}, {} unplugged, battery off: sound {}",
        unplugged.join(", "),
        crate::words::value(Instrument::Ohms, sound)
    );
    let mut coverage = divide(model, posterior, text, |h| {
        f64::from(u8::from(ohms[h].is_finite() && ohms[h] < 0.5 * sound))
    });
    if sound.is_finite() && sound < 1e3 {
        coverage.refused.push(format!(
            "the two are joined by the circuit itself ({}): it would tell nothing",
            crate::words::value(Instrument::Ohms, sound)
        ));
    }
    coverage.reading = Some(ToRead {
        quantity: probe.instrument.name().to_owned(),
        red: probe.red,
        black: probe.black,
        state,
    });
    Ok(coverage)
}
