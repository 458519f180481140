//! What a check costs, in minutes of work: to bring about its state and take it back, to walk there, to
//! put the leads, to look. One place for all of it.

use super::{What, agree, hands, owner, roll_calls, scans, values};
use crate::evidence::{Evidence, Finding};
use crate::model::Model;
use crate::posterior::Posterior;
use circuit::reroute::By;
use circuit::{Instrument, Probe};
use std::collections::BTreeSet;
use vehicle::{Item, KeyPosition, OperatingState, SignalId};

/// Minutes to take any reading once the leads sit.
const TAKE: f64 = 0.5;
/// Minutes to clip the black lead to the battery.
const CLIP: f64 = 0.3;
/// Minutes to bring about a state that the vehicle file does not name.
const UNNAMED_STATE: f64 = 0.3;
/// Minutes to take the battery off, or to put it on again; what has lost its memory is taught again.
const BATTERY_OFF: f64 = 3.0;
/// Cranking wants a second pair of hands, or a remote start and the injection off.
const CRANKING: f64 = 2.0;
/// A running engine wants the exhaust led out.
const RUNNING: f64 = 1.0;
/// A state is left again: this share of what it took to bring about.
const BACK: f64 = 0.5;
/// To leave a meter on while one moves, heats, loads or drives what may bring the fault about.
const RECORD: f64 = 3.0;
/// To walk from one place of the vehicle to another.
const WALK: f64 = 0.5;
/// The next cavity of a connector where the leads are already.
const STAY: f64 = 0.1;
/// A clamp is not in every hand, is zeroed, and wants the one conductor free of its loom.
const CLAMP: f64 = 1.0;
/// To find on the drawing a cavity or conductor that has nothing to do with what is suspected.
const ORIENT: f64 = 0.5;
/// Suspicion from which on one has had to do with a thing.
const SUSPECTED: f64 = 0.02;
/// To lay one lead, or to move one contact, and to take it back.
const REROUTE: f64 = 1.0;
/// To take a part out and put it in at another place.
const EXCHANGE: f64 = 3.0;
/// A switch that is held or an output that is kept driven meanwhile.
const HELD: f64 = 0.2;

/// Where one stands before a check.
#[derive(Debug, Clone)]
pub struct Here<'a> {
    /// The state the vehicle is in.
    pub state: &'a OperatingState,
    /// Connector, part or ground point where the leads were put last; none from the seat.
    pub at: Option<&'a str>,
    /// What the suspicion lies at: connectors, parts, conductors, splices, ground points.
    pub suspected: BTreeSet<&'a str>,
    /// Live values that were read, with the state they were read in.
    read: BTreeSet<(&'a SignalId, &'a OperatingState)>,
}

impl<'a> Here<'a> {
    /// After what was found so far.
    pub fn after(
        model: &'a Model,
        posterior: &Posterior,
        evidence: &'a [Evidence],
        state: &'a OperatingState,
    ) -> Self {
        let at = evidence.iter().rev().find_map(|e| match &e.finding {
            Finding::Reading { red, instrument, .. }
            | Finding::Recorded { red, instrument, .. }
                if *instrument != Instrument::Amps =>
            {
                Some(Some(owner(red)))
            }
            Finding::Seen { at, .. } | Finding::Moved { at, .. } => Some(Some(owner(at))),
            // From the seat, and from there everything is a walk.
            Finding::Effect { .. }
            | Finding::Code { .. }
            | Finding::Answer { .. }
            | Finding::Signal { .. }
            | Finding::Together { .. } => Some(None),
            _ => None,
        });
        let likely = posterior.items.iter().zip(&model.items).filter(|(p, _)| **p > SUSPECTED);
        let suspected = likely.flat_map(|(_, item)| things(model, item)).collect();
        let read = evidence
            .iter()
            .flat_map(|e| e.finding.signals().into_iter().map(|signal| (signal, &e.state)));
        Self { state, at: at.flatten(), suspected, read: read.collect() }
    }

    /// Whether a live value was read in a state.
    pub(super) fn has_read(&self, signal: &SignalId, state: &OperatingState) -> bool {
        self.read.contains(&(signal, state))
    }
}

/// What one has to do with when an item is suspected.
fn things<'m>(model: &'m Model, item: &'m Item) -> Vec<&'m str> {
    let v = &model.circuit.vehicle;
    let ends = |id: &'m str| {
        let wire = model.circuit.wire(id).map(|w| &v.wires[w]);
        let ends = wire.into_iter().flat_map(|w| [&w.from, &w.to]).map(|end| owner(end));
        ends.chain([id])
    };
    match item {
        Item::Wire(id) => ends(id).collect(),
        Item::Pair(a, b) => [a, b].into_iter().flat_map(|id| ends(id)).collect(),
        Item::Part(id) => {
            let own = v.connectors.iter().filter(|c| c.part.as_ref() == Some(id));
            own.map(|c| c.id.as_str()).chain([id.as_str()]).collect()
        }
        _ => item.thing().map(owner).into_iter().collect(),
    }
}

/// Where something is.
fn place<'m>(model: &'m Model, id: &str) -> Option<&'m str> {
    let (v, n) = (&model.circuit.vehicle, &model.circuit.names);
    n.connector(id)
        .map(|k| &v.connectors[k].place)
        .or_else(|| n.part(id).map(|k| &v.parts[k].place))
        .or_else(|| n.ground(id).map(|k| &v.grounds[k].place))
        .or_else(|| n.splice(id).map(|k| &v.splices[k].place))
        .map(vehicle::PlaceId::as_str)
}

/// Minutes from where one stands to the value.
pub(super) fn of(
    model: &Model,
    here: &Here<'_>,
    what: &What,
    state: &OperatingState,
    state_id: &str,
) -> f64 {
    of_state(model, here.state, state, state_id)
        + match what {
            What::Reading(p) => probe(model, here, p),
            What::Record(p) => RECORD + probe(model, here, p),
            What::Effect { .. } => 0.0,
            What::Scan => scans::MINUTES,
            What::RollCall => roll_calls::MINUTES,
            What::Values { .. } => values::MINUTES,
            What::Agree { apart, .. } if *apart > 0.0 => agree::NIGHT + values::MINUTES,
            What::Agree { .. } => values::MINUTES,
            What::Move { at } => hands::MOVE + go(model, here, at),
            What::Look { at } => hands::look_minutes(model, here, at),
            What::Jumper { red, black, .. } => leads(model, here, red, black),
            What::Swap { swapped, .. } => hands::swap_minutes(model, here, swapped),
        }
}

/// Minutes from the present state to another and back, and to take any reading in it.
pub(super) fn of_state(
    model: &Model,
    now: &OperatingState,
    state: &OperatingState,
    state_id: &str,
) -> f64 {
    let mut minutes = TAKE;
    if !state.alike_plugged(now) {
        let named = model.circuit.vehicle.states.iter().find(|s| s.id == state_id);
        let mut there = named.map_or(UNNAMED_STATE, |s| s.minutes);
        there += HELD * (state.switches.len() + state.outputs.len()) as f64;
        if state.key == KeyPosition::Start {
            there += CRANKING;
        }
        if state.engine != now.engine && state.engine == vehicle::Engine::Running {
            there += RUNNING;
        }
        minutes += there * (1.0 + BACK);
        if state.battery_off != now.battery_off {
            minutes += BATTERY_OFF;
        }
    }
    for connector in state.unplugged.symmetric_difference(&now.unplugged) {
        minutes += reach(model, connector).1;
    }
    let led = state.rerouted.symmetric_difference(&now.rerouted);
    for r in led.filter_map(|id| model.circuit.reroute(id)) {
        minutes += match &r.by {
            By::Exchange { with } => {
                let of =
                    |part: vehicle::PartIx| reach(model, &model.circuit.vehicle.parts[part].id);
                let both = [of(r.part), of(*with)];
                both.iter().map(|(go, unplug)| go + unplug + EXCHANGE).sum::<f64>()
            }
            By::Bridge | By::Spare { .. } => REROUTE * r.leads.len() as f64,
        };
    }
    minutes
}

/// Minutes to get to something.
pub(super) fn go(model: &Model, here: &Here<'_>, id: &str) -> f64 {
    let own = owner(id);
    if here.at == Some(own) {
        return STAY;
    }
    let beside =
        here.at.and_then(|at| place(model, at)).is_some_and(|p| place(model, own) == Some(p));
    reach(model, own).0 + if beside { 0.0 } else { WALK }
}

/// Minutes to place the leads, or a clamp.
pub(super) fn probe(model: &Model, here: &Here<'_>, p: &Probe) -> f64 {
    let c = &model.circuit;
    match c.wire(&p.red).filter(|_| p.instrument == Instrument::Amps) {
        // A clamp goes round the conductor at whichever end is nearer.
        Some(w) => {
            let w = &c.vehicle.wires[w];
            let nearer = [&w.from, &w.to].map(|e| go(model, here, e));
            let strange = if here.suspected.contains(p.red.as_str()) { 0.0 } else { ORIENT };
            CLAMP + strange + nearer.into_iter().fold(f64::INFINITY, f64::min)
        }
        None => leads(model, here, &p.red, &p.black),
    }
}

fn leads(model: &Model, here: &Here<'_>, red: &str, black: &str) -> f64 {
    let put = |id: &str| match id == model.circuit.reference {
        true => CLIP,
        false if here.suspected.contains(owner(id)) => go(model, here, id),
        false => go(model, here, id) + ORIENT,
    };
    match owner(red) == owner(black) {
        true => put(red),
        false => put(red) + put(black),
    }
}

/// Minutes to reach and to unplug whatever a point belongs to.
pub(crate) fn reach(model: &Model, id: &str) -> (f64, f64) {
    let (v, n) = (&model.circuit.vehicle, &model.circuit.names);
    let id = owner(id);
    let m = (n.connector(id).map(|k| v.connectors[k].minutes))
        .or_else(|| n.part(id).map(|k| v.parts[k].minutes))
        .or_else(|| n.ground(id).map(|k| v.grounds[k].minutes))
        .or_else(|| n.splice(id).map(|k| v.splices[k].minutes));
    match m {
        Some(m) => (m.reach, m.unplug),
        // A place or a conductor: as near as the nearest thing there.
        None => (nearest(model, id).unwrap_or(1.0), 0.0),
    }
}

/// Minutes to reach the nearest connector in a place, or at an end of a conductor.
fn nearest(model: &Model, id: &str) -> Option<f64> {
    let v = &model.circuit.vehicle;
    let in_place = v.connectors.iter().filter(|c| c.place == id).map(|c| c.minutes.reach);
    let at_ends = model.circuit.names.wire(id).map(|k| {
        let w = &v.wires[k];
        [&w.from, &w.to].map(|e| reach(model, e).0)
    });
    in_place.chain(at_ends.into_iter().flatten()).min_by(f64::total_cmp)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::evidence::Strength;
    use crate::next::candidates::Candidate;

    #[test]
    fn what_is_near_and_known_is_cheap_and_what_needs_a_helper_is_not() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let named = |id: &str| {
            model.circuit.vehicle.states.iter().find(|s| s.id == id).unwrap().state.clone()
        };
        let on = named("rear_washer");
        let finding = Finding::Effect { part: "M7".into(), strength: Strength::None };
        let seat = [Evidence::new(on.clone(), finding)];
        let reading = Finding::Reading {
            instrument: Instrument::Volts,
            red: "M7.1".into(),
            black: "BAT.-".into(),
            value: Some(12.0),
        };
        let pump = [Evidence::new(on.clone(), reading)];
        let posterior = Posterior::new(&model, &seat).unwrap();
        let minutes = |evidence: &[Evidence], probe: Probe, state: &str| {
            let here = Here::after(&model, &posterior, evidence, &on);
            let c = Candidate::new(What::Reading(probe), named(state), state);
            c.minutes(&model, &here)
        };
        let at = |red: &str| Probe::volts(red, "BAT.-");
        // The next cavity, and the same one coming from the seat.
        let (next, walked) =
            (minutes(&pump, at("M7.2"), "rear_washer"), minutes(&seat, at("M7.2"), "rear_washer"));
        assert!(next + WALK <= walked, "{next} {walked}");
        // Somewhere the suspicion does not lie one has to find one's way first.
        let here = Here::after(&model, &posterior, &seat, &on);
        assert!(here.suspected.contains("M7") && !here.suspected.contains("X28"));
        let strange = super::probe(&model, &here, &at("X28.30"));
        assert!(strange >= go(&model, &here, "X28") + CLIP + ORIENT - 1e-9);
        // Cranking costs a helper, there and back; a clamp is fetched.
        let (running, cranking) =
            (minutes(&seat, at("M7.1"), "on"), minutes(&seat, at("M7.1"), "cranking"));
        assert!(cranking > running + CRANKING, "{running} {cranking}");
        let clamp = Probe { instrument: Instrument::Amps, red: "62".into(), black: String::new() };
        assert!(super::probe(&model, &here, &clamp) > CLAMP);
    }
}
