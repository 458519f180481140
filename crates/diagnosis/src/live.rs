//! Live values: what a module's value stands for, whether it is real, what a sound vehicle would show now,
//! and the charts of its sensors.

use crate::counted::alternates;
use crate::evidence::signal::sigma;
use crate::evidence::{Finding, LiveReading};
use crate::model::Model;
use circuit::chart::Chart;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, PoisonError};
use utoipa::ToSchema;
use vehicle::{
    Amount, KeyPosition, OperatingState, Physical, Signal, SignalIx, SignalSource, Stimulus, TiVec,
    Transfer, Vehicle, at_table,
};

/// Deviations from what is expected beyond which a value differs.
const DEVIATIONS: f64 = 4.0;

/// How a value stands to what a sound vehicle would show now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Stands {
    /// As a sound vehicle would show it.
    AsExpected,
    /// Otherwise.
    Differs,
    /// The module does not believe it: something is open or short.
    NotBelieved,
    /// It hangs on something nobody has said: how warm it is, how far a pedal is pressed.
    Depends,
}

/// What a module's value stands for.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Meaning {
    /// The physical number; none where it has a name, or where the module has no value.
    pub value: Option<f64>,
    /// Its name, for example `pressed`.
    pub name: Option<String>,
    /// Unit of the number.
    pub unit: String,
    /// It is what the pin says; else the module puts something in its place.
    pub real: bool,
}

impl Meaning {
    /// In words; none where there is no value.
    pub fn words(&self) -> Option<String> {
        match (&self.name, self.value, self.real) {
            (Some(name), ..) => Some(name.clone()),
            (None, Some(value), true) => Some(format!("{value:.1} {}", self.unit)),
            (None, Some(put), false) => Some(format!("{put:.1} {} in its place", self.unit)),
            (None, None, false) => Some("not believed".to_owned()),
            (None, None, true) => None,
        }
    }
}

/// What a sound vehicle would show.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Expected {
    /// The value, in the signal's own unit.
    pub value: f64,
    /// Standard deviation over sound vehicles and their converters, in the same unit.
    pub sigma: f64,
    /// It hangs on a stimulus that the state says nothing of.
    pub depends: bool,
}

/// What a sound vehicle would show of every signal in a state.
pub fn expected(model: &Model, state: &OperatingState) -> TiVec<SignalIx, Expected> {
    let c = &model.circuit;
    let p = model.predict(state);
    let values = p.healthy.signals(c);
    let turns = c.teeth_on(state).is_some();
    let of = |(k, value): (SignalIx, f64)| {
        let sigma = c.software.follows(k).map_or(0.0, |(a, b, per)| {
            sigma(value, model.scatter(&p, state, |s| s.between(a, b)) / per, 0.0)
        });
        let signal = &c.vehicle.signals[k];
        // Nobody holds a speed to the per cent, and what goes to and fro has no one value.
        let moves = |(a, b)| alternates(model, state, a, b);
        let counted =
            turns && (c.software.ring(k).is_some() || c.software.pins(k).is_some_and(moves));
        let depends = counted || depends(&c.vehicle.signals.raw, signal, state);
        Expected { value, sigma, depends }
    };
    values.into_iter_enumerated().map(of).collect()
}

/// Half width of what 19 of 20 sound vehicles read at each point of a sensor's chart with the ignition on,
/// volts: worked out at some of the points, on straight lines between.
pub fn tolerance(model: &Model, signal: SignalIx, chart: &Chart) -> Vec<f64> {
    const EVERY: usize = 10;
    const HALF: f64 = 1.96;
    let signals = &model.circuit.vehicle.signals;
    let (Some(pins), Some(stimulus)) =
        (model.circuit.software.pins(signal), felt(&signals.raw, &signals[signal]))
    else {
        return vec![0.0; chart.points.len()];
    };
    let sigma_at = |felt: f64| {
        let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
        state.stimuli.insert(stimulus.to_owned(), Amount(felt));
        let p = model.predict(&state);
        model.scatter(&p, &state, |s| s.between(pins.0, pins.1))
    };
    let some: Vec<(f64, f64)> = (chart.points.iter().step_by(EVERY))
        .map(|p| (p.felt, sigma(p.module_volts, HALF * sigma_at(p.felt), 0.0)))
        .collect();
    chart.points.iter().map(|p| at_table(&some, p.felt)).collect()
}

/// The physical side of a signal: its own, or that of what a message brings.
pub fn physical<'v>(signals: &'v [Signal], signal: &'v Signal) -> Option<&'v Physical> {
    signal.physical.as_ref().or_else(|| match &signal.from {
        SignalSource::Received { signal: of, .. } => {
            signals.iter().find(|s| s.id == *of)?.physical.as_ref()
        }
        _ => None,
    })
}

/// What turns the ring that a signal counts, in words.
pub fn turned_by<'v>(vehicle: &'v Vehicle, signal: &Signal) -> Option<&'v str> {
    let id = crate::evidence::rolling::turned_by(vehicle, signal)?;
    vehicle.stimuli.iter().find(|s| s.id == id).map(|s| s.name.as_str())
}

/// What values read at once tell: rates of what one thing turns together, for how fast it turned only they
/// tell; every other value by itself.
pub fn findings(vehicle: &Vehicle, read: impl IntoIterator<Item = LiveReading>) -> Vec<Finding> {
    let mut turned: BTreeMap<&str, Vec<LiveReading>> = BTreeMap::new();
    let mut out = Vec::new();
    for one in read {
        let of = vehicle.signals.iter().find(|s| s.id == one.signal);
        match of.and_then(|s| crate::evidence::rolling::turned_by(vehicle, s)) {
            Some(by) => turned.entry(by).or_default().push(one),
            None => out.push(Finding::Signal { signal: one.signal, value: one.value }),
        }
    }
    let together = |values: Vec<LiveReading>| match &values[..] {
        [LiveReading { signal, value }] => {
            Finding::Signal { signal: signal.clone(), value: *value }
        }
        _ => Finding::Together { values, apart: 0.0 },
    };
    out.extend(turned.into_values().map(together));
    out
}

/// The values among findings as one finding of sensors that have to agree; one value alone stays as it is.
pub fn together(mut found: Vec<Finding>, apart: f64) -> Vec<Finding> {
    let mut values = Vec::new();
    found.retain(|f| match f {
        Finding::Signal { signal, value } => {
            values.push(LiveReading { signal: signal.clone(), value: *value });
            false
        }
        _ => true,
    });
    match &values[..] {
        [] => {}
        [LiveReading { signal, value }] => {
            found.insert(0, Finding::Signal { signal: signal.clone(), value: *value });
        }
        _ => found.insert(0, Finding::Together { values, apart }),
    }
    found
}

/// The stimulus that a signal follows.
pub(crate) fn felt<'v>(signals: &'v [Signal], signal: &'v Signal) -> Option<&'v str> {
    match &physical(signals, signal)?.transfer {
        Transfer::Felt { stimulus, .. } => Some(stimulus),
        _ => None,
    }
}

/// Whether a signal hangs on a stimulus that a state says nothing of.
pub(crate) fn depends(signals: &[Signal], signal: &Signal, state: &OperatingState) -> bool {
    felt(signals, signal).is_some_and(|stimulus| !state.stimuli.contains_key(stimulus))
}

/// The stimulus that a signal hangs on and a state says nothing of.
pub(crate) fn unsaid<'v>(
    vehicle: &'v Vehicle,
    signal: &Signal,
    state: &OperatingState,
) -> Option<&'v Stimulus> {
    let id = felt(&vehicle.signals.raw, signal)?;
    vehicle.stimuli.iter().find(|s| s.id == id && !state.stimuli.contains_key(id))
}

/// The signal whose own pin feels it: itself, or at the sender what a message brings; none of one that no
/// sensor feels.
fn felt_at(model: &Model, signal: SignalIx) -> Option<SignalIx> {
    let signals = &model.circuit.vehicle.signals;
    let of = signals.get(signal)?;
    felt(&signals.raw, of)?;
    match &of.from {
        SignalSource::Received { signal: of, .. } => signals.position(|s| s.id == *of),
        _ => Some(signal),
    }
}

/// How a value stands that was read while things moved: to what is expected in each of the states that it may
/// have been read in, and to all between them.
pub fn stands_while(model: &Model, signal: SignalIx, expected: &[Expected], raw: f64) -> Stands {
    if expected.is_empty() {
        return Stands::Depends;
    }
    let sigma = expected.iter().map(|e| e.sigma).fold(0.0, f64::max);
    let least = expected.iter().map(|e| e.value).fold(f64::INFINITY, f64::min);
    let most = expected.iter().map(|e| e.value).fold(f64::NEG_INFINITY, f64::max);
    let depends = expected.iter().any(|e| e.depends);
    stands(model, signal, Expected { value: raw.clamp(least, most), sigma, depends }, raw)
}

/// How a value stands.
pub fn stands(model: &Model, signal: SignalIx, expected: Expected, raw: f64) -> Stands {
    let signals = &model.circuit.vehicle.signals;
    let believed = physical(&signals.raw, &signals[signal]).is_none_or(|p| p.believes(raw));
    match () {
        () if !believed => Stands::NotBelieved,
        () if expected.depends => Stands::Depends,
        () if (raw - expected.value).abs() <= DEVIATIONS * expected.sigma.max(0.01) => {
            Stands::AsExpected
        }
        () => Stands::Differs,
    }
}

/// Service charts of a vehicle's sensors, worked out when they are first asked for.
#[derive(Debug, Default)]
pub struct Charts(Mutex<HashMap<SignalIx, Option<Arc<Chart>>>>);

impl Charts {
    /// The chart of a signal that feels something, with the ignition on; none for any other.
    pub fn of(&self, model: &Model, signal: SignalIx) -> Option<Arc<Chart>> {
        let at = felt_at(model, signal)?;
        let known = |map: &HashMap<_, Option<Arc<Chart>>>| map.get(&at).cloned();
        if let Some(known) = known(&self.0.lock().unwrap_or_else(PoisonError::into_inner)) {
            return known;
        }
        let on = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
        let made = model.circuit.chart(at, &on).map(Arc::new);
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(at, made.clone());
        made
    }

    /// Works out charts that are not at hand, on all cores.
    pub fn prepare(&self, model: &Model, signals: &[SignalIx]) {
        signals.par_iter().filter(|k| !self.has(model, **k)).for_each(|k| {
            self.of(model, *k);
        });
    }

    /// Whether the chart of a signal is at hand, or there is none.
    pub fn has(&self, model: &Model, signal: SignalIx) -> bool {
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        felt_at(model, signal).is_none_or(|at| known.contains_key(&at))
    }

    /// What a value stands for; a value the module does not believe has the substitute instead. Works the
    /// chart out that it takes, if it is not at hand.
    pub fn meaning(&self, model: &Model, signal: SignalIx, raw: f64) -> Meaning {
        let signals = &model.circuit.vehicle.signals;
        let plain = |unit: &str| Meaning {
            value: Some(raw),
            name: None,
            unit: unit.to_owned(),
            real: true,
        };
        let Some(of) = signals.get(signal) else { return plain("") };
        let Some(physical) = physical(&signals.raw, of) else { return plain(&of.unit) };
        let unit = physical.unit.clone();
        if !physical.believes(raw) {
            return Meaning { value: physical.substitute, name: None, unit, real: false };
        }
        let name = physical.transfer.name(raw).map(str::to_owned);
        let value = match &physical.transfer {
            Transfer::Table(_) => physical.transfer.by_table(raw),
            Transfer::Felt { .. } => self.of(model, signal).and_then(|c| c.felt_at(raw)),
            Transfer::Named(_) => None,
        };
        // What a message that does not arrive would have brought is put in its place.
        let put = match &of.from {
            SignalSource::Received { substitute, .. } => {
                (raw - substitute).abs() < of.coded().per_bit.abs()
            }
            _ => false,
        };
        Meaning { value, name, unit, real: !put }
    }
}
