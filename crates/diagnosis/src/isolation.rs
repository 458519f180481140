//! Where to part a bus (N16, N18): what to unplug next, what to lead past or over a spare leg, by what the
//! answers of the modules would tell per minute. What a move itself takes away is worked out on a sound
//! vehicle and told before.

use crate::model::{Model, ModelError};
use crate::network::{connectors, on_bus};
use crate::next::candidates::{Candidate, What};
use crate::next::{Ask, Outcome, Weighed, Weigher, likeliest_ways};
use crate::words;
use circuit::bus_lines::bit;
use circuit::reroute::By;
use serde::Serialize;
use std::collections::BTreeSet;
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::{KeyPosition, OperatingState, PartIx};

/// A level between the lines that changes by less than this share is the same.
const SAME: f64 = 0.1;

/// What a move must tell beyond asking again without it, bits.
const BEYOND_BITS: f64 = 0.05;

/// A move that parts a bus, or leads it elsewhere, after which every module is asked.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusMove {
    /// Name of the check.
    pub id: String,
    /// What to do.
    pub text: String,
    /// Connector to unplug; empty where the bus is led elsewhere.
    pub connector: String,
    /// The way the bus is led; empty where something is unplugged.
    pub reroute: String,
    /// How it is answered: `answers`, or `scan` where the members say nothing to a tester themselves and
    /// only their master's codes tell.
    pub quantity: String,
    /// The state with it done.
    pub state: OperatingState,
    /// Minutes of work.
    pub minutes: f64,
    /// Expected information, bits.
    pub bits: f64,
    /// What it takes away by itself: that is no finding.
    pub harm: Vec<String>,
    /// What the answers would mean.
    pub outcomes: Vec<Outcome>,
}

/// How to part a bus.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BusPlan {
    /// Id of the bus.
    pub bus: String,
    /// Moves that tell something, best first.
    pub moves: Vec<BusMove>,
    /// Moves that could be made and tell nothing now, by what is unplugged or led elsewhere.
    pub idle: Vec<String>,
}

/// Modules that do not answer on a sound vehicle in a state.
pub fn silent(model: &Model, state: &OperatingState) -> Vec<String> {
    let p = model.predict(state);
    let v = &model.circuit.vehicle;
    let modules = v.parts.iter_enumerated().filter(|(_, part)| part.module.is_some());
    modules.filter(|(k, _)| !p.healthy.answers(*k)).map(|(_, part)| part.id.to_string()).collect()
}

/// A move before it is weighed.
struct Possible {
    connector: String,
    reroute: String,
    text: String,
    state: Arc<OperatingState>,
}

fn possible(model: &Model, bus: usize, base: &OperatingState) -> Vec<Possible> {
    let c = &model.circuit;
    let head = crate::network::head(c, &c.vehicle.buses[bus]);
    let owner = |id: &str| c.names.connector(id).and_then(|k| c.vehicle.connectors[k].part.clone());
    let is_head = |id: &str| {
        let of = owner(id).unwrap_or_else(|| id.into());
        head.is_some_and(|h| c.vehicle.parts[h].id == of)
    };
    let mut out = Vec::new();
    for id in connectors(model, bus) {
        if is_head(&id) || base.unplugged.contains(&id) {
            continue;
        }
        let text = format!("Unplug {}", words::thing(model, &id));
        let state = base.without(&id);
        out.push(Possible {
            connector: id.to_string(),
            reroute: String::new(),
            text,
            state: state.into(),
        });
    }
    let lines = model.bus_lines();
    let here = |r: &&circuit::reroute::Reroute| {
        if matches!(r.by, By::Exchange { with } if !c.are_identical(r.part, with)) {
            return false;
        }
        let at = r.leads.first().map(|k| lines[c.branches[*k].from]);
        at.is_some_and(|on| on & bit(bus) != 0) && !base.rerouted.contains(&r.id)
    };
    for r in c.reroutes.iter().filter(here) {
        let text = c.reroute_task(r);
        let mut state = base.clone();
        state.rerouted.insert(r.id.clone());
        out.push(Possible {
            connector: String::new(),
            reroute: r.id.clone(),
            text,
            state: state.into(),
        });
    }
    out.retain(|m| c.check_state(&m.state).is_ok());
    out
}

/// Volts between the lines of a CAN bus at its head while the head sends a dominant bit, on a sound vehicle;
/// none for LIN, where no terminator can be lost.
fn sent_volts(model: &Model, bus: usize, state: &OperatingState) -> Option<f64> {
    let c = &model.circuit;
    let b = &c.vehicle.buses[bus];
    let head = crate::network::head(c, b)?;
    let own = c.transceivers(&b.id).find(|d| c.devices[*d].part == head)?;
    let ear = c.ear(own).filter(|ear| !ear.is_lin())?;
    let sends = c.dominant(&b.id, head)?;
    Some(ear.across(&c.solve(state, &sends, None).volts))
}

/// Whether the members of a bus answer a tester themselves, but for its head.
fn asked_themselves(model: &Model, bus: usize) -> bool {
    let c = &model.circuit;
    let b = &c.vehicle.buses[bus];
    let head = crate::network::head(c, b);
    let mut members = c.transceivers(&b.id).map(|d| c.devices[d].part);
    members.any(|p| Some(p) != head && c.vehicle.parts[p].module.is_some())
}

/// What a move takes away by itself, in words.
fn harm(model: &Model, bus: usize, base: &OperatingState, with: &OperatingState) -> Vec<String> {
    let c = &model.circuit;
    let before: BTreeSet<String> = silent(model, base).into_iter().collect();
    let gone: Vec<String> =
        silent(model, with).into_iter().filter(|m| !before.contains(m)).collect();
    let mut out = Vec::new();
    let named = |id: &String| {
        c.part(id).map_or_else(|| id.clone(), |p| format!("{} {id}", c.vehicle.parts[p].name))
    };
    let pulled: BTreeSet<PartIx> = with
        .unplugged
        .difference(&base.unplugged)
        .filter_map(|id| {
            c.part(id)
                .or_else(|| c.part(c.vehicle.connectors[c.names.connector(id)?].part.as_deref()?))
        })
        .collect();
    let (own, behind): (Vec<&String>, Vec<&String>) =
        gone.iter().partition(|m| c.part(m).is_some_and(|p| pulled.contains(&p)));
    let list = |all: &[&String]| all.iter().map(|m| named(m)).collect::<Vec<_>>().join(", ");
    if !own.is_empty() {
        out.push(format!("{} silent by itself", list(&own)));
    }
    if !behind.is_empty() {
        out.push(format!("{} cut off with it", list(&behind)));
    }
    for r in with.rerouted.difference(&base.rerouted).filter_map(|id| c.reroute(id)) {
        if let By::Exchange { with } = r.by {
            let [one, other] = [r.part, with].map(|p| c.vehicle.parts[p].id.to_string());
            out.push(format!("{one} works where {other} belongs and {other} where {one} does: put them back, or teach them their places"));
        }
    }
    if let (Some(was), Some(is)) = (sent_volts(model, bus, base), sent_volts(model, bus, with))
        && (is / was - 1.0).abs() > SAME
    {
        let what = if is > was { "takes a terminator away" } else { "adds a terminator" };
        out.push(format!(
            "{what}: {was:.1} V between the lines while somebody sends become {is:.1} V"
        ));
    }
    out
}

/// The state moves start from: as it is, with the key on.
fn base(ask: &Ask<'_>) -> OperatingState {
    if ask.now.key == KeyPosition::On && !ask.now.battery_off {
        return ask.now.clone();
    }
    OperatingState {
        key: KeyPosition::On,
        unplugged: ask.now.unplugged.clone(),
        rerouted: ask.now.rerouted.clone(),
        ..OperatingState::default()
    }
}

/// The moves that part a bus, best first. Each is solved for itself: `going` is told how many are done of how
/// many and says whether to go on; none comes back where it does not.
///
/// # Errors
/// [`ModelError::Unknown`] for a bus that does not exist.
pub fn plan(
    ask: &Ask<'_>,
    bus: &str,
    going: &dyn Fn(usize, usize) -> bool,
) -> Result<Option<BusPlan>, ModelError> {
    let model = ask.model;
    let number = on_bus(&model.circuit, bus)?;
    let base = base(ask);
    let all = possible(model, number, &base);
    let what = || match asked_themselves(model, number) {
        true => What::RollCall,
        false => What::Scan,
    };
    let states = &model.circuit.vehicle.states;
    let named = states.iter().find(|s| s.state.alike_plugged(&base));
    let name = named.map_or("", |s| s.id.as_str());
    let rough = likeliest_ways(ask);
    let weigher = Weigher::new(ask, &rough);
    // Asking again as it is tells something as well: a move is worth what it tells beyond that.
    let again = weigher.weigh(Candidate::new(what(), base.clone(), name));
    let again = again.map_or(0.0, |w| w.ranked.bits);
    let (mut moves, mut idle) = (Vec::new(), Vec::new());
    for (k, m) in all.iter().enumerate() {
        if !going(k, all.len()) {
            return Ok(None);
        }
        let weighed = weigher.weigh(Candidate::new(what(), Arc::clone(&m.state), name));
        match weighed.filter(|w| w.ranked.bits > again + BEYOND_BITS) {
            Some(w) => {
                let rate = w.ranked.bits / w.ranked.minutes;
                moves.push((rate, made(model, number, &base, m, w)));
            }
            None => idle.push(format!("{}{}", m.connector, m.reroute)),
        }
    }
    moves.sort_by(|a, b| b.0.total_cmp(&a.0));
    let moves = moves.into_iter().map(|(_, m)| m).collect();
    Ok(Some(BusPlan { bus: bus.to_owned(), moves, idle }))
}

/// A move as it is shown.
fn made(model: &Model, bus: usize, base: &OperatingState, m: &Possible, w: Weighed) -> BusMove {
    BusMove {
        id: w.ranked.candidate.id().to_string(),
        text: m.text.clone(),
        connector: m.connector.clone(),
        reroute: m.reroute.clone(),
        quantity: w.ranked.candidate.kind().to_owned(),
        state: (*m.state).clone(),
        minutes: w.ranked.minutes,
        bits: w.ranked.bits,
        harm: harm(model, bus, base, &m.state),
        outcomes: w.outcomes,
    }
}
