//! Sensors that have to agree although nobody knows on what (N33): those that feel the same, and
//! thermometers before the first start of the day, when a night has brought everything to one temperature.

use super::{Candidate, Field, What, readings};
use crate::live::felt;
use crate::model::HypIx;
use circuit::NodeId;
use std::collections::BTreeMap;
use vehicle::{KeyPosition, OperatingState, SignalId, SignalIx, SignalSource, Stimulus};

/// Minutes beside those of reading: the vehicle is left to stand until the morning, which costs no work, but
/// has to be arranged for.
pub(super) const NIGHT: f64 = 3.0;
/// What is left between sensors after a night, one standard deviation in kelvins.
pub(super) const NIGHT_APART: f64 = 2.0;
/// Unit of what a night makes alike.
const WARMTH: &str = "°C";
/// Sensors compared at most, and at least: of two that disagree nobody knows which is wrong.
const MOST: usize = 5;
const FEWEST: usize = 3;
/// A suspect that moves a sensor's value by more can make it disagree, volts.
const MOVES: f64 = 0.1;

/// A value that its own module reads at pins where a sensor is felt.
struct Member<'v> {
    signal: SignalIx,
    pins: (NodeId, NodeId),
    feels: &'v Stimulus,
    /// Weight of the suspects that move it.
    weight: f64,
}

/// The plain state with the ignition on, by its name in the file where it has one.
fn key_on(field: &Field<'_>) -> (OperatingState, String) {
    let plain = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
    let named = field.model.circuit.vehicle.states.iter().find(|s| s.state == plain);
    let id = named.map_or_else(|| "on".to_owned(), |s| s.id.clone());
    (plain, id)
}

fn members<'v>(field: &Field<'v>) -> Vec<Member<'v>> {
    let c = &field.model.circuit;
    let v = &c.vehicle;
    let of = |(signal, s): (SignalIx, &'v vehicle::Signal)| {
        let own = s.did.is_some() && !matches!(s.from, SignalSource::Received { .. });
        let feels = felt(&v.signals.raw, s).filter(|_| own)?;
        let feels = v.stimuli.iter().find(|x| x.id == feels && x.range.is_some())?;
        let pins = c.software.pins(signal)?;
        (!feels.driving).then_some(Member { signal, pins, feels, weight: 0.0 })
    };
    v.signals.iter_enumerated().filter_map(of).collect()
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let mut members = members(field);
    if members.len() < 2 || field.records() {
        return;
    }
    let (state, id) = key_on(field);
    let (weights, _) = readings::weights(field);
    let hypotheses: Vec<HypIx> = weights.iter().map(|w| w.0).collect();
    let p = field.model.predict_some(&state, &hypotheses);
    for (h, weight) in &weights {
        let Some(s) = p.fault(*h) else { continue };
        for m in &mut members {
            let by = s.between(m.pins.0, m.pins.1) - p.healthy.between(m.pins.0, m.pins.1);
            m.weight += if by.abs() > MOVES { *weight } else { 0.0 };
        }
    }
    members.sort_by(|a, b| b.weight.total_cmp(&a.weight).then(a.signal.cmp(&b.signal)));
    let mut groups: Vec<(f64, usize, Vec<&Member<'_>>)> = Vec::new();
    let mut by_stimulus: BTreeMap<&str, Vec<&Member<'_>>> = BTreeMap::new();
    for m in &members {
        by_stimulus.entry(&m.feels.id).or_default().push(m);
    }
    groups.extend(by_stimulus.into_values().map(|g| (0.0, 2, g)));
    let warm: Vec<&Member<'_>> = members.iter().filter(|m| m.feels.unit == WARMTH).collect();
    let first = warm.first().map(|m| &m.feels.id);
    if warm.iter().any(|m| Some(&m.feels.id) != first) {
        groups.push((NIGHT_APART, FEWEST, warm));
    }
    let v = &field.model.circuit.vehicle;
    for (apart, fewest, group) in groups {
        let moved = group.iter().take(MOST).filter(|m| m.weight > 0.0).count();
        if moved == 0 || group.len() < 2 {
            continue;
        }
        let chosen = group.iter().take(moved.max(fewest));
        let signals: Vec<SignalId> = chosen.map(|m| v.signals[m.signal].id.clone()).collect();
        out.push(Candidate::new(What::Agree { signals, apart }, state.clone(), id.as_str()));
    }
}
