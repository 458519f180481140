//! Live values read from the seat: in each state the few that together divide the suspicion best.

use super::{Candidate, Field, What, minutes, readings};
use crate::counted::{Counted, Which, alternates};
use crate::evidence::rolling::turned_by;
use crate::live::{felt, physical};
use crate::model::HypIx;
use circuit::{BODY, NodeId};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use vehicle::{Amount, KeyPosition, OperatingState, SignalIx, Vehicle};

/// Minutes to pick signals and to read them.
pub(super) const MINUTES: f64 = 0.1;
/// Values read at once at most: what one takes in at a glance.
const MOST: usize = 5;
/// States of which the values are weighed: only the best of all is proposed.
const MOST_STATES: usize = 4;
/// Steps in which what suspects do to a value is told apart here, volts, and how many either way.
const STEP_VOLTS: f64 = 0.25;
const MOST_STEPS: f64 = 8.0;
/// The same of a rate, as a share.
const STEP_RATE: f64 = 0.02;
/// A suspect that moves a sensor's value by more may show when what it feels is moved, volts.
const STIRRED_VOLTS: f64 = 0.1;
/// Values that add at least this share of what the best one would say as much.
const ALIKE: f64 = 0.9;
/// What one more value has to add to the others, bits.
const WORTH: f64 = 0.02;
/// What all of them have to say, bits: a glance that settles nothing only holds up.
const WORTH_ALL: f64 = 0.1;

/// A value that a tester can read and that follows a voltage.
struct Readable<'v> {
    signal: SignalIx,
    pins: (NodeId, NodeId),
    /// It is the supply of its module: of values that say the same the plainest.
    is_supply: bool,
    /// What its sensor feels.
    stimulus: Option<&'v str>,
    /// Volts that its module believes.
    valid: Option<[f64; 2]>,
}

/// How what suspects do to a value tells them apart.
enum By {
    /// By how much they move it.
    Moved,
    /// Nobody knows what it should be: by whether its module believes it.
    Believed([f64; 2]),
    /// It counts what turns: by how much less or more than the sound vehicle.
    Counted,
}

pub(super) fn generate(field: &Field<'_>, out: &mut Vec<Candidate>) {
    let c = &field.model.circuit;
    let v = &c.vehicle;
    let asked = |s: &vehicle::Signal| {
        let module = c.part(&s.module).and_then(|k| v.parts[k].module.as_ref());
        s.did.is_some() && module.is_some()
    };
    let readable: Vec<Readable<'_>> = (v.signals.iter_enumerated())
        .filter(|(_, s)| asked(s))
        .filter_map(|(signal, s)| {
            let pins = match c.software.ring(signal) {
                Some(ring) => (ring, BODY),
                None => c.software.pins(signal)?,
            };
            let valid = physical(&v.signals.raw, s).and_then(|p| p.valid);
            let is_supply = s.did == Some(v.identifiers.supply.did);
            let stimulus = felt(&v.signals.raw, s);
            Some(Readable { signal, pins, is_supply, stimulus, valid })
        })
        .collect();
    // What comes and goes and is away now is not read at one moment.
    if readable.is_empty() || field.records() {
        return;
    }
    let mut at: HashMap<NodeId, Vec<usize>> = HashMap::new();
    for (k, r) in readable.iter().enumerate() {
        at.entry(r.pins.0).or_default().push(k);
        at.entry(r.pins.1).or_default().push(k);
    }
    let (weights, _) = readings::weights(field);
    let here = field.here.state;
    let is_named = v.states.iter().any(|named| named.state.alike_plugged(here));
    let unnamed = (!is_named && here.is_plugged()).then_some((here, "now"));
    let states = v.states.iter().map(|named| (&named.state, named.id.as_str())).chain(unnamed);
    let awake: Vec<(&OperatingState, &str)> =
        states.filter(|(state, _)| state.key == KeyPosition::On).collect();
    let of = |(state, id): (&OperatingState, &str)| {
        let Told { chosen, bits, stirred } = telling(field, state, &readable, &at, &weights);
        let signals: Vec<_> = chosen.into_iter().map(|k| v.signals[k].id.clone()).collect();
        let minutes = minutes::of_state(field.model, field.here.state, state, id) + MINUTES;
        let what = What::Values { signals };
        let worth =
            (bits > WORTH_ALL).then(|| (bits / minutes, Candidate::new(what, state.clone(), id)));
        (worth, stirred)
    };
    let (found, stirred): (Vec<_>, Vec<_>) = awake.into_par_iter().map(of).unzip();
    // What a hand moves and a suspect would show in: moved as far as it goes, and watched.
    let stirred: BTreeSet<&str> = stirred.into_iter().flatten().collect();
    let pushed: Vec<(OperatingState, String)> =
        stirred.into_iter().flat_map(|id| pushed(v, id)).collect();
    let pushed = pushed.par_iter().map(|(state, id)| of((state, id)).0);
    let mut all: Vec<(f64, Candidate)> =
        found.into_iter().chain(pushed.collect::<Vec<_>>()).flatten().collect();
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    out.extend(all.into_iter().take(MOST_STATES).map(|(_, candidate)| candidate));
}

/// States with the ignition on in which a hand in the seat has moved something as far as it goes either way,
/// with their names; none of what no hand moves.
fn pushed(v: &Vehicle, stimulus: &str) -> Vec<(OperatingState, String)> {
    let of = v.stimuli.iter().find(|s| s.id == stimulus && s.by_hand);
    let ends = of.and_then(|s| s.range).into_iter().flatten();
    let state = |end: f64| {
        let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
        state.stimuli.insert(stimulus.to_owned(), Amount(end));
        (state, format!("{stimulus}={end}"))
    };
    ends.map(state).collect()
}

/// What values tell in a state.
struct Told<'v> {
    /// Those that divide the suspicion best together, the best one first.
    chosen: Vec<SignalIx>,
    /// By how much, bits.
    bits: f64,
    /// What is felt by sensors whose values some suspect moves.
    stirred: BTreeSet<&'v str>,
}

fn telling<'v>(
    field: &Field<'_>,
    state: &OperatingState,
    readable: &[Readable<'v>],
    at: &HashMap<NodeId, Vec<usize>>,
    weights: &[(HypIx, f64)],
) -> Told<'v> {
    let v = &field.model.circuit.vehicle;
    let hypotheses: Vec<HypIx> = weights.iter().map(|w| w.0).collect();
    let p = field.model.predict_some(state, &hypotheses);
    let counted = Counted::of(field.model, state, Which::Some(&hypotheses));
    let turns = counted.is_some();
    // What was read needs no second reading.
    let told = |r: &Readable<'_>| {
        let signal = &v.signals[r.signal].id;
        let said = r.stimulus.is_none_or(|s| state.stimuli.contains_key(s));
        let counts = field.model.circuit.software.ring(r.signal).is_some();
        match said {
            _ if field.here.has_read(signal, state) => None,
            _ if turns && !counts && alternates(field.model, state, r.pins.0, r.pins.1) => None,
            _ if counts => counted.as_ref().map(|_| By::Counted),
            true => Some(By::Moved),
            false => r.valid.map(By::Believed),
        }
    };
    let told: Vec<Option<By>> = readable.iter().map(told).collect();
    // What each suspect does to each value, in steps, as far as it does anything.
    let mut moved: BTreeMap<usize, Vec<(usize, i8)>> = BTreeMap::new();
    let mut change: HashMap<NodeId, f64> = HashMap::new();
    let mut stirred = BTreeSet::new();
    for (n, h) in hypotheses.iter().enumerate() {
        let Some(s) = p.fault(*h) else { continue };
        change.clear();
        s.each_moved(|node, volts| {
            if at.contains_key(&node) {
                change.insert(node, volts);
            }
        });
        let by = |node: NodeId| change.get(&node).copied().unwrap_or(0.0);
        let mut touched: Vec<usize> = change.keys().flat_map(|node| &at[node]).copied().collect();
        touched.sort_unstable();
        touched.dedup();
        for k in touched {
            let (a, b) = readable[k].pins;
            let by = by(a) - by(b);
            if by.abs() > STIRRED_VOLTS {
                stirred.extend(readable[k].stimulus);
            }
            let steps = match &told[k] {
                None | Some(By::Counted) => 0,
                Some(By::Moved) => (by / STEP_VOLTS).round().clamp(-MOST_STEPS, MOST_STEPS) as i8,
                Some(By::Believed([low, high])) => {
                    let value = p.healthy.between(a, b) + by;
                    i8::from(value > *high) - i8::from(value < *low)
                }
            };
            if steps != 0 {
                moved.entry(k).or_default().push((n, steps));
            }
        }
    }
    if let Some(counted) = counted {
        let c = &field.model.circuit;
        let rates = (0..readable.len()).filter(|k| matches!(told[*k], Some(By::Counted)));
        for k in rates {
            let signal = readable[k].signal;
            let sound = counted.sound(c, signal);
            let steps = |h: HypIx| {
                let by = counted.under(c, signal, h).unwrap_or(sound) / sound - 1.0;
                (by / STEP_RATE).round().clamp(-MOST_STEPS, MOST_STEPS) as i8
            };
            let all = hypotheses.iter().enumerate().map(|(n, h)| (n, steps(*h)));
            moved.entry(k).or_default().extend(all.filter(|(_, s)| *s != 0 && sound > 0.0));
        }
    }
    let mut classes = Classes::new(weights);
    let (mut chosen, mut bits) = (Vec::new(), 0.0);
    while chosen.len() < MOST {
        let open = moved.iter().filter(|(k, _)| !chosen.contains(*k));
        let gains: Vec<(f64, usize)> = open.map(|(k, m)| (classes.gain(m), *k)).collect();
        let best = gains.iter().map(|g| g.0).fold(WORTH, f64::max);
        let alike = gains.into_iter().filter(|(gain, _)| *gain > WORTH && *gain >= ALIKE * best);
        let plainest = alike.min_by(|a, b| {
            let is_other = |k: usize| !readable[k].is_supply;
            is_other(a.1).cmp(&is_other(b.1)).then(b.0.total_cmp(&a.0)).then(a.1.cmp(&b.1))
        });
        let Some((gain, k)) = plainest else { break };
        bits += gain;
        classes.divide(&moved[&k]);
        chosen.push(k);
    }
    // What one counts says little without the others that the same thing turns.
    let counts = |k: &usize| matches!(told[*k], Some(By::Counted));
    if let Some(one) = chosen.iter().copied().find(counts) {
        let by = |k: usize| turned_by(v, &v.signals[readable[k].signal]);
        let others = (0..readable.len()).filter(|k| counts(k) && by(*k) == by(one));
        chosen.retain(|k| !counts(k));
        chosen.extend(others);
    }
    let chosen = chosen.into_iter().map(|k| readable[k].signal).collect();
    Told { chosen, bits, stirred }
}

/// Suspects sorted by what the chosen values show under them.
struct Classes {
    weights: Vec<f64>,
    class: Vec<usize>,
    /// Weight of each class.
    total: Vec<f64>,
}

/// What a class of that weight adds to the entropy, bits.
fn bits(weight: f64) -> f64 {
    if weight > 0.0 { -weight * weight.log2() } else { 0.0 }
}

impl Classes {
    fn new(weights: &[(HypIx, f64)]) -> Self {
        let weights: Vec<f64> = weights.iter().map(|w| w.1).collect();
        Self { class: vec![0; weights.len()], total: vec![weights.iter().sum()], weights }
    }

    /// Suspects that one more value sets apart, by their class and what the value does.
    fn parts(&self, moves: &[(usize, i8)]) -> BTreeMap<(usize, i8), (f64, Vec<usize>)> {
        let mut parts: BTreeMap<(usize, i8), (f64, Vec<usize>)> = BTreeMap::new();
        for (n, steps) in moves {
            let part = parts.entry((self.class[*n], *steps)).or_default();
            part.0 += self.weights[*n];
            part.1.push(*n);
        }
        parts
    }

    /// What one more value adds, bits.
    fn gain(&self, moves: &[(usize, i8)]) -> f64 {
        let mut left: BTreeMap<usize, f64> = BTreeMap::new();
        let mut gain = 0.0;
        for ((class, _), (weight, _)) in self.parts(moves) {
            gain += bits(weight);
            *left.entry(class).or_insert(self.total[class]) -= weight;
        }
        let split = |(class, left): (usize, f64)| bits(left) - bits(self.total[class]);
        gain + left.into_iter().map(split).sum::<f64>()
    }

    fn divide(&mut self, moves: &[(usize, i8)]) {
        for ((class, _), (weight, own)) in self.parts(moves) {
            self.total[class] -= weight;
            own.into_iter().for_each(|n| self.class[n] = self.total.len());
            self.total.push(weight);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hand_moves_a_pedal_either_way_and_no_hand_moves_the_weather() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let v = Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap();
        let pedal = pushed(&v, "pedal");
        let ends: Vec<f64> = pedal.iter().map(|(state, _)| state.stimuli["pedal"].0).collect();
        assert_eq!(ends, [0.0, 100.0]);
        assert!(pedal.iter().all(|(state, _)| state.key == KeyPosition::On));
        assert!(pushed(&v, "outside_temperature").is_empty() && pushed(&v, "nothing").is_empty());
    }

    #[test]
    fn what_says_the_same_again_adds_nothing() {
        let weights: Vec<(HypIx, f64)> =
            [0.25; 4].iter().enumerate().map(|(k, w)| (HypIx::from(k), *w)).collect();
        let mut classes = Classes::new(&weights);
        let (first, second) = ([(0, 3), (1, 3)], [(1, -2), (2, -2)]);
        // One of two halves: 1 bit; the second one divides each half again.
        assert!((classes.gain(&first) - 1.0).abs() < 1e-12);
        classes.divide(&first);
        assert!(classes.gain(&first).abs() < 1e-12);
        assert!((classes.gain(&second) - 1.0).abs() < 1e-12);
        classes.divide(&second);
        assert_eq!(classes.total.iter().filter(|t| **t > 1e-12).count(), 4);
    }
}
